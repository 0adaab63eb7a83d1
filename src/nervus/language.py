"""The language that people are spoken to in: English is the source, catalogues ship for others.

A text of ours is written in English where it is used, `say("{count} passes", count=3)`; what stands for
it in another language, and how numbers are written there, is found here. What is kept in a job or a
file, and what a program reads, stays as it is.
"""

import gettext
import os
from datetime import date
from enum import Enum
from functools import cache
from pathlib import Path
from string import Formatter
from typing import Final

DOMAIN: Final = "nervus"
VARIABLE: Final = "NERVUS_LANGUAGE"
ENGLISH: Final = "en"
PSEUDO: Final = "xx"
"""Every text in brackets: what stands outside them was never handed to be translated."""
CATALOGUES: Final = Path(__file__).parent / "locale"
_COMMA: Final = frozenset({"de"})
"""Languages that write numbers with a decimal comma."""
_DAY_MONTH: Final = {"de": (("%d %b %Y", "%d.%m.%Y"), ("%d %b", "%d.%m."))}
"""How a day is written instead, by language."""


def available() -> tuple[str, ...]:
    """The languages that can be chosen."""
    found = (p.parent.parent.name for p in CATALOGUES.glob(f"*/LC_MESSAGES/{DOMAIN}.mo"))
    return (ENGLISH, *sorted(found))


def chosen() -> str:
    """The language that somebody chose for all programs of ours, "" where nobody did."""
    try:
        return _choice().read_text(encoding="utf-8").strip()
    except (OSError, UnicodeDecodeError):
        # No choice, or none that can be read: the desktop's stands.
        return ""


def choose(code: str) -> None:
    """Keep a choice for the next start; "" leaves it to the desktop.

    Raises:
        OSError: it can't be kept.
    """
    path = _choice()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(code + "\n", encoding="utf-8")


def _choice() -> Path:
    base = os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config"
    return Path(base) / "nervus" / "language"


@cache
def language() -> str:
    """The language of this process: the variable's, else as chosen, else the desktop's, else English."""
    wanted = os.environ.get(VARIABLE, "") or chosen()
    if wanted == PSEUDO:
        return PSEUDO
    if not wanted:
        names = (os.environ.get(name, "") for name in ("LC_ALL", "LC_MESSAGES", "LANG"))
        wanted = next((name for name in names if name), "")
    short = wanted.replace("-", "_").partition("_")[0].partition(".")[0].casefold()
    return short if short in available() else ENGLISH


@cache
def _catalogue() -> gettext.NullTranslations | None:
    """What stands for each text; `None` where nothing does."""
    if language() in (ENGLISH, PSEUDO):
        return None
    return gettext.translation(DOMAIN, CATALOGUES, [language()])


def say(text: str, /, **values: object) -> str:
    """A text in the language of the people, with its values written as they write them.

    Args:
        text: in English, with fields in braces as of `str.format` where there are values.
        values: for the fields; a member of an enumeration is translated too. Any other text is taken as
            it is, for it may be what somebody wrote: one of ours comes through `say` itself.
    """
    if language() == ENGLISH:
        return text.format(**values) if values else text
    spoken = _spoken(text)
    if not values:
        return spoken
    return _NUMBERS.format(spoken, **{name: _value(value) for name, value in values.items()})


def say_many(one: str, many: str, count: int, /, **values: object) -> str:
    """As `say`, of one thing or of several; `count` is a field of both texts."""
    catalogue = _catalogue()
    if catalogue is None:
        return say(one if count == 1 else many, count=count, **values)
    spoken = catalogue.ngettext(one, many, count)
    return _NUMBERS.format(spoken, count=count, **{name: _value(v) for name, v in values.items()})


def figures(text: str, /, **values: object) -> str:
    """Numbers and their units, which no language calls otherwise, as people write them."""
    if language() == ENGLISH:
        return text.format(**values)
    return _NUMBERS.format(text, **{name: _value(value) for name, value in values.items()})


def written(number: str) -> str:
    """A number that something else has made a text of, as people write it."""
    return number.replace(".", ",") if language() in _COMMA else number


def _spoken(text: str) -> str:
    catalogue = _catalogue()
    if catalogue is not None:
        return catalogue.gettext(text) if text else ""
    return _bracketed(text) if language() == PSEUDO else text


def _bracketed(text: str) -> str:
    """The words of a text in brackets, its fields outside: what is put into them answers for itself."""
    if "{" not in text:
        return f"⟦{text}⟧" if text.strip() else text
    made = ""
    for words, name, form, how in _NUMBERS.parse(text):
        made += f"⟦{words.replace('{', '{{').replace('}', '}}')}⟧" if words.strip() else words
        if name is not None:
            made += f"{{{name}{f'!{how}' if how else ''}{f':{form}' if form else ''}}}"
    return made


def _value(value: object) -> object:
    if isinstance(value, Enum) and isinstance(value.value, str):
        return _spoken(value.value)
    return value


class _Numbers(Formatter):
    """Writes fractions as the language does."""

    def format_field(self, value: object, spec: str) -> str:
        if isinstance(value, date) and language() in _DAY_MONTH:
            for ours, theirs in _DAY_MONTH[language()]:
                spec = spec.replace(ours, theirs)
        text: str = super().format_field(value, spec)
        return written(text) if isinstance(value, float) else text


_NUMBERS = _Numbers()

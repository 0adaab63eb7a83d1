"""What of a text was never handed to be spoken: seen in the language that puts words in brackets."""

import dataclasses
import re
from collections.abc import Iterable, Iterator
from enum import Enum

import msgspec

_BRACKETED = re.compile(r"⟦[^⟦⟧]*⟧")
_WORD = re.compile(r"[A-Za-z]{3,}")
# Units, months, and what a program or a driver reads: no language's words.
_NO_WORDS = frozenset(
    _WORD.findall(
        "Nervus min kPa nbsp Sep Oct Nov Dec tps app vref sgnd batt dev ttyS READ standin PORT NAME "
        "socketcan socketcand CHANNEL slcan robotell seeedstudio DEVICE BITRATE serial can usb NUMBER "
        "BAUD tcp HOST link set type bitrate"
    )
)


def typed(value: object) -> Iterator[str]:
    """The texts that somebody wrote, in what is kept."""
    if isinstance(value, str) and not isinstance(value, Enum):
        yield value
    elif isinstance(value, msgspec.Struct):
        for name in value.__struct_fields__:
            yield from typed(getattr(value, name))
    elif dataclasses.is_dataclass(value):
        for field in dataclasses.fields(value):
            yield from typed(getattr(value, field.name))
    elif isinstance(value, dict):
        for each in (*value, *value.values()):
            yield from typed(each)
    elif isinstance(value, tuple | list | frozenset):
        for each in value:
            yield from typed(each)


def unspoken(text: str) -> str:
    """What is left of a text when all that was spoken is taken away."""
    text = re.sub(r"<[^>]*>", "", text)
    while (shorter := _BRACKETED.sub("", text)) != text:
        text = shorter
    return text


def left_over(seen: Iterable[tuple[str, str]], known: Iterable[str]) -> list[str]:
    """The texts with a word that nobody typed and that was not spoken.

    Args:
        seen: where each was seen, and the text.
        known: what somebody typed.
    """
    typed_texts = sorted({k for k in known if _WORD.search(k)}, key=len, reverse=True)
    found = []
    for where, text in seen:
        left = unspoken(text)
        for own in typed_texts:
            left = left.replace(own, "")
        if left.endswith("…") and any(own.startswith(left[:-1]) for own in typed_texts):
            continue
        if any(word not in _NO_WORDS for word in _WORD.findall(left)):
            found.append(f"{where}: {left.strip()[:90]}")
    return found

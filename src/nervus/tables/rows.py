"""The rows of a table as the table library reads them: numbers where all are, else text."""

from typing import TYPE_CHECKING

from nervus.domain.errors import Place, RecordingUnusable
from nervus.knowledge.columns import missing_words
from nervus.language import say
from nervus.tables.layout import SPACES
from nervus.tables.mapping import CHANNEL, IGNORE, MARK, STAMPS, CsvMapping
from nervus.tables.text import TableText, opened_between

if TYPE_CHECKING:
    import pandas as pd

ACCEPTED = say("accepted are rows of numbers as the mapping says")


def rows_of(text: TableText, mapping: CsvMapping, foot: int) -> "pd.DataFrame":
    """The columns that are used, by their numbers, without the lines above and below.

    Raises:
        RecordingUnusable: the rows can't be split into so many cells.
    """
    import pandas as pd  # noqa: PLC0415 - half a second of import, off the way to the first window

    wanted = [n for n, c in enumerate(mapping.columns) if c.channel != IGNORE]
    words = {
        n for n in wanted
        if mapping.columns[n].unit in STAMPS or mapping.columns[n].channel in (MARK, CHANNEL)
        or mapping.is_long
    }  # fmt: skip
    # A mark between thousands is not what the fast reader makes sure of.
    fast = not mapping.thousands
    try:
        return _read(
            text, mapping, foot, {n: "str" if n in words or not fast else "float64" for n in wanted}
        )
    except (ValueError, OverflowError):
        # Some cell is no number, or says that there is none: read as text, to tell its place.
        try:
            return _read(text, mapping, foot, dict.fromkeys(wanted, "str"))
        except (ValueError, pd.errors.ParserError) as wrong:
            said = str(wrong).replace("\n", " ")[:120]
            raise RecordingUnusable(
                Place(text.path.name), say("it can't be split ({said})", said=said), ACCEPTED
            ) from wrong


def _read(text: TableText, mapping: CsvMapping, foot: int, types: "dict[int, str]") -> "pd.DataFrame":
    import pandas as pd  # noqa: PLC0415

    numbers = {n: _missing_as_written() for n, kind in types.items() if kind == "float64"}
    with opened_between(text, mapping.skip, foot) as opened:
        table: pd.DataFrame = pd.read_csv(
            opened,  # type: ignore[call-overload] # an open file, which its stubs know by other names
            sep=r"\s+" if mapping.delimiter == SPACES else mapping.delimiter,
            decimal=mapping.decimal,
            encoding="utf-8" if mapping.encoding.startswith("utf-16") else mapping.encoding,
            header=None,
            names=list(range(len(mapping.columns))),
            usecols=list(types),
            dtype=types,
            comment=mapping.comment if len(mapping.comment) == 1 else None,
            skipinitialspace=True,
            skip_blank_lines=True,
            index_col=False,
            on_bad_lines="error",
            keep_default_na=False,
            na_values=numbers or None,
        )
    return table


def _missing_as_written() -> list[str]:
    words = missing_words()
    return sorted(
        {w for word in words for w in (word, word.upper(), word.title(), word.capitalize())} | {"NaN"}
    )

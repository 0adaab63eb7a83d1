"""What a report is made of: plain blocks, which HTML and PDF are both written from."""

from dataclasses import dataclass, field
from enum import StrEnum


class Audience(StrEnum):
    """Whom a report is for."""

    CUSTOMER = "customer"
    FILE = "file"


class Tone(StrEnum):
    """How a paragraph stands out."""

    TEXT = "text"
    LEAD = "lead"
    QUIET = "quiet"
    CAUTION = "caution"


@dataclass(frozen=True, slots=True)
class Heading:
    """Level 1 is the title of the whole, 2 a chapter."""

    text: str
    level: int = 2


@dataclass(frozen=True, slots=True)
class Paragraph:
    """Some sentences."""

    text: str
    tone: Tone = Tone.TEXT


@dataclass(frozen=True, slots=True)
class Items:
    """A list."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Table:
    """Rows under a head; columns of numbers stand at the right.

    Attributes:
        caption: what it shows.
        head: one word or two for each column.
        rows: as many texts each.
        widths: of the columns, in shares.
        numbers: which columns hold numbers.
    """

    caption: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    widths: tuple[float, ...]
    numbers: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class Bar:
    """A share, drawn and said."""

    name: str
    share: float
    says: str


@dataclass(frozen=True, slots=True)
class Bars:
    """Shares under each other."""

    rows: tuple[Bar, ...]


@dataclass(frozen=True, slots=True)
class Picture:
    """A drawing (SVG) or a photo (JPEG).

    Attributes:
        data: its bytes.
        kind: `svg` or `jpg`.
        alt: what is to be seen, for who can't see it.
        caption: below it.
        share: of the width of the page.
    """

    data: bytes
    kind: str
    alt: str
    caption: str
    share: float = 1.0


@dataclass(frozen=True, slots=True)
class NewPage:
    """What follows begins on a new page."""


Block = Heading | Paragraph | Items | Table | Bars | Picture | NewPage


@dataclass(frozen=True, slots=True)
class Report:
    """A whole report.

    Attributes:
        title: of the document.
        language: of its texts, as in BCP 47.
        workshop: who hands it over, "" for nobody in particular.
        mark: the workshop's mark as a picture, `None` for none.
        foot: at the foot of each page.
        blocks: in their order.
        not_shown: what could not be put in, as sentences.
    """

    title: str
    language: str
    workshop: str
    mark: Picture | None
    foot: str
    blocks: tuple[Block, ...]
    not_shown: tuple[str, ...] = field(default=())

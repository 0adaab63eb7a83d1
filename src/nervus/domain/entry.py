"""What every entry of a job has: an identifier, a time, a source; and the kinds of text in it."""

from datetime import datetime
from enum import StrEnum
from typing import Annotated

import msgspec
from msgspec import Meta

Identifier = Annotated[str, Meta(pattern=r"^[0-9a-f]{16}$")]
"""Sixteen hexadecimal digits, drawn by chance: the same in every logbook that a job wanders into."""
LONGEST_WORDS = 1_000_000
Words = Annotated[str, Meta(max_length=LONGEST_WORDS)]
Name = Annotated[str, Meta(max_length=200)]
FileName = Annotated[str, Meta(pattern=r"^[0-9a-f]{16}-[A-Za-z0-9._-]{1,120}$")]
Digest = Annotated[str, Meta(pattern=r"^[0-9a-f]{64}$")]
Instant = Annotated[datetime, Meta(tz=True)]
Chance = Annotated[float, Meta(ge=0.0, le=1.0)]


class Source(StrEnum):
    """Where an entry came from."""

    TYPED = "typed"
    PASTED = "pasted"
    VEHICLE = "read from the vehicle"
    FILE = "from a file"
    SEEN = "seen at the vehicle"
    ANALYSIS = "by analysis"


class Record(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """The base of all that is kept in a job and written into its bundle."""


class Entry(Record, frozen=True, kw_only=True, tag_field="kind"):
    """One thing that was told, seen, measured, decided or done.

    Attributes:
        id: stays the same when the entry is corrected.
        at: when it was so, with its offset from UTC.
        source: where it came from.
    """

    id: Identifier
    at: Instant
    source: Source

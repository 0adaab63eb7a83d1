"""What can be told and seen without measuring: complaints, looks, and which codes point where."""

from functools import cache
from typing import TypeVar

from nervus.codes.notation import read_code
from nervus.domain.errors import KnowledgeUnusable
from nervus.domain.job import Complaint
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.loader import known_codes, table_of
from nervus.knowledge.shapes import (
    CodeEvidenceRows,
    ComplaintRows,
    LookItem,
    LookItems,
    ToldRow,
)
from nervus.knowledge.tree import check_rows, fits
from nervus.language import say

Row = TypeVar("Row", ToldRow, LookItem)


@cache
def complaints() -> ComplaintRows:
    """Symptoms and conditions.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("complaint.toml", ComplaintRows)
    rows = table.symptom + table.condition
    check_rows("complaint.toml", [r.id for r in rows], [r.chance for r in rows])
    return table


@cache
def look_items() -> LookItems:
    """What to look at.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("look.toml", LookItems)
    check_rows("look.toml", [item.id for item in table.item], [item.when_bad for item in table.item])
    return table


@cache
def code_evidence() -> CodeEvidenceRows:
    """Which codes point at which stretch.

    Raises:
        KnowledgeUnusable: the file that ships is damaged, or names a code that is not known.
    """
    table = table_of("code_evidence.toml", CodeEvidenceRows)
    rows = table.evidence
    check_rows("code_evidence.toml", [row.id for row in rows], [])
    strange = {c for row in rows for c in row.codes if read_code(c) not in known_codes()}
    if strange:
        raise KnowledgeUnusable(
            say("code_evidence.toml: codes that are not known: {sorted}", sorted=sorted(strange))
        )
    return table


def fitting(rows: tuple[Row, ...], throttle: ThrottleKind | None) -> tuple[Row, ...]:
    """The rows that concern a throttle of this kind; all where the kind is not known."""
    return tuple(r for r in rows if fits(r.throttle, throttle))


def told_in_words(complaint: Complaint | None) -> str:
    """A complaint in one line: the free words, then symptoms, then conditions."""
    if complaint is None:
        return ""
    table = complaints()
    titles = {row.id: row.title for row in table.symptom + table.condition}
    told = [titles.get(name, name) for name in complaint.symptoms + complaint.conditions]
    words = " ".join(complaint.words.split())
    return " · ".join(part for part in (words, ", ".join(told)) if part)

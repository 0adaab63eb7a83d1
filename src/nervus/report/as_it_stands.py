"""Chapter of the report for the file: as it stands, with the faults, the ledger, what contradicts."""

from nervus.domain.suspect import SuspectId
from nervus.judge.words import SUSPECT_NAMES, natural_frequency
from nervus.language import figures, say
from nervus.report.document import Bar, Bars, Block, Heading, Items, Paragraph, Table, Tone
from nervus.report.of_job import Known, way_picture

# A suspect, a fault below this is not listed.
_WORTH_LISTING = 0.005
_MOST_FAULTS, _MOST_ASIDE = 12, 30


def as_it_stands(known: Known) -> list[Block]:
    """Suspects, faults and where they come from."""
    judged = known.judged
    suspects = tuple(
        Bar(SUSPECT_NAMES[s.id], s.probability, natural_frequency(s.probability))
        for s in judged.standing.suspects
        if s.probability >= _WORTH_LISTING
    )
    first = judged.standing.suspects[0].id if judged.standing.suspects else None
    return [
        Heading(say("As it stands")),
        Paragraph(judged.standing.headline, Tone.LEAD),
        *([Paragraph(judged.missing)] if judged.missing else []),
        Bars(suspects),
        way_picture(known, 1.0),
        _faults(known),
        *([_ledger(known, first)] if judged.ledger and first is not None else []),
        *(
            Paragraph(say("Contradiction: {text}.", text=c.text), Tone.CAUTION)
            for c in judged.contradictions
        ),
        *_not_weighed(known),
    ]


def _faults(known: Known) -> Table:
    rows = tuple(
        (f.text, SUSPECT_NAMES[f.suspect], natural_frequency(f.probability))
        for f in known.judged.faults[:_MOST_FAULTS]
        if f.probability >= _WORTH_LISTING
    )
    head = (say("Fault"), say("Belongs to"), say("How sure"))
    return Table(say("Single faults"), head, rows, (4, 2, 1.6))


def _ledger(known: Known, first: SuspectId) -> Table:
    rows = tuple(
        (
            line.text,
            figures("{get:.3g}", get=line.times_as_likely.get(first, 1.0)),
            say("yes") if line.turns else "",
            line.source,
        )
        for line in known.judged.ledger
    )
    head = (
        say("Observation"),
        say("Makes {suspect_names} so many times as likely", suspect_names=SUSPECT_NAMES[first]),
        say("Turns the answer"),
        say("Source"),
    )
    return Table(say("Ledger"), head, rows, (4, 1.5, 1, 3), frozenset({1}))


def _not_weighed(known: Known) -> list[Block]:
    every = known.judged.not_weighed
    if not every:
        return []
    aside = [r.text for r in every[:_MOST_ASIDE]]
    if len(every) > _MOST_ASIDE:
        aside.append(
            say("and {most_aside} more, in the whole course", most_aside=len(every) - _MOST_ASIDE)
        )
    return [Paragraph(say("Kept, and not weighed:")), Items(tuple(aside))]

"""Chapters of the report for the file: what was done, how it was proved, what it cost."""

from msgspec.structs import replace

from nervus.domain.job import Change, Compared, Cost, Guided, TakenOff, of_kind
from nervus.judge.entry_words import done_told, off_told, told
from nervus.judge.job_words import at_hand_words
from nervus.judge.of_job import judge_job
from nervus.judge.timeline import before_and_after
from nervus.knowledge.known_procedures import procedure_named
from nervus.knowledge.tree import tree_for
from nervus.language import figures, say
from nervus.proof.again import ask_again
from nervus.proof.differences import Difference, differences, measures, readings_again
from nervus.proof.telling import standing_told, state_told
from nervus.report.costs import in_money, school_rows, spent
from nervus.report.document import Block, Heading, Paragraph, Table
from nervus.report.of_job import Known, picture_of
from nervus.report.what_was_found import photos


def work(known: Known, missing: list[str]) -> list[Block]:
    """Changes, procedures, what came off, parts side by side."""
    job = known.job
    changes, guided = of_kind(job.entries, Change), of_kind(job.entries, Guided)
    off, beside = of_kind(job.entries, TakenOff), of_kind(job.entries, Compared)
    if not (changes or guided or off or beside):
        return []
    blocks: list[Block] = [Heading(say("Done"))]
    if changes:
        faults = {f.id: f.text for f in tree_for(job.vehicle.throttle).faults}
        rows = tuple(
            (
                figures("{at:%d %b %Y %H:%M}", at=c.at.astimezone()),
                done_told(c),
                faults.get(c.cures, c.cures),
                c.shown_by,
            )
            for c in changes
        )
        blocks.append(
            Table(
                say("Changes"),
                (say("When"), say("What"), say("Meant for"), say("To be shown by")),
                rows,
                (1.6, 4, 2, 2),
            )
        )
    for one in guided:
        blocks += _procedure(one)
    if off:
        states = tuple(
            (say("back on") if t.put_back else t.waived or say("still off"), off_told(t)) for t in off
        )
        blocks.append(Table(say("What came off"), (say("State"), say("What")), states, (2, 4)))
    for pair in beside:
        blocks.append(Paragraph(told(pair)))
        blocks += photos(known, pair.photos, say("Old and new part side by side"), missing)
    return blocks


def _procedure(one: Guided) -> list[Block]:
    procedure = procedure_named(one.guide)
    if procedure is None:
        return [Paragraph(told(one))]
    texts = {s.id: s for s in (*procedure.step, *procedure.detour)}
    rows = tuple(
        (texts[k].text if k in texts else k, v, texts[k].caution if k in texts else "")
        for k, v in one.done.items()
    )
    return [Table(procedure.title, (say("Step"), say("Said"), say("Caution given")), rows, (4, 2, 3))]


def proof(known: Known) -> list[Block]:
    """How far the repair is proved, and by what."""
    job = known.job
    blocks: list[Block] = [Heading(say("Proof")), Paragraph(state_told(job))]
    if known.stands is not None:
        blocks += [Paragraph(sentence) for sentence in standing_told(known.stands)]
    pair = [known.recordings.get(r.id) for r in before_and_after(job) if r is not None]
    before, after = (pair[0], pair[1]) if len(pair) > 1 else (None, None)
    if before is not None and after is not None:
        asked = tuple(
            (a.finding, say(a.outcome), a.why)
            for a in ask_again(before.analysis, after.analysis, after.recording)
        )
        blocks += picture_of(known, 1.0)
        blocks.append(
            Table(
                say("Each finding of before, asked for again"),
                (say("Finding"), say("Now"), say("Why")),
                asked,
                (4, 1.2, 4),
            )
        )
        rows = differences(
            measures(before.recording, before.analysis), measures(after.recording, after.analysis)
        )
        if rows:
            blocks.append(difference_table(say("Before and after, recorded"), rows))
    changes = of_kind(job.entries, Change)
    again = readings_again(job, changes[-1]) if changes else ()
    if again:
        blocks.append(difference_table(say("Before and after, measured"), again))
    return blocks


def difference_table(caption: str, rows: tuple[Difference, ...]) -> Table:
    """Numbers before and after, with the uncertainty of their difference."""
    head = (say("What"), say("Before"), say("After"), say("Difference (95 in 100)"), "")
    return Table(
        caption, head, tuple(d.cells for d in rows), (3, 1.5, 1.5, 2.4, 1.8), frozenset({1, 2, 3})
    )


def costs(known: Known) -> list[Block]:
    """What was spent, and what each way was expected to cost."""
    return [Heading(say("Costs")), *_spent(known), *_ways(known)]


def _spent(known: Known) -> list[Block]:
    sums = spent(known.job, known.own)
    if sums is None:
        return [Paragraph(say("Nothing was written down."))]
    rows = [
        (c.what, figures("{minutes:g}", minutes=c.minutes), in_money(c.money, known.own))
        for c in of_kind(known.job.entries, Cost)
    ]
    minutes = figures("{minutes:g}", minutes=sums.minutes)
    rows.append((say("in all, with the work"), minutes, in_money(sums.whole, known.own)))
    head = (say("What"), say("Minutes"), say("Money"))
    return [Table(say("Spent"), head, tuple(rows), (4, 1, 1.4), frozenset({1, 2}))]


def _ways(known: Known) -> list[Block]:
    changes, judged = of_kind(known.job.entries, Change), known.judged
    if changes:
        # As it stood when somebody had to choose a way: afterwards there is nothing left to choose.
        early = tuple(e for e in known.job.entries if e.at < changes[0].at)
        judged = judge_job(replace(known.job, entries=early), known.own)
    schools = school_rows(judged, known.own)
    if not schools:
        return []
    head = (
        say("Way"), say("Minutes"), say("Parts"), say("Cost in all"), say("Parts in vain"),
        say("Come-backs"),
    )  # fmt: skip
    caption = say("What each way was expected to cost, before anything was changed")
    table = Table(caption, head, schools, (2.2, 1, 1.3, 2, 1.2, 1.3), frozenset({1, 2, 3, 4, 5}))
    at_hand = at_hand_words(judged.schools)
    return [table, *([Paragraph(at_hand)] if at_hand else [])]

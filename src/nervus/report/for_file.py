"""The report for the file: everything that is in the job, chapter by chapter."""

from msgspec.structs import replace

from nervus import __version__
from nervus.domain.errors import OutsideError
from nervus.domain.job import (
    Change,
    CodeSet,
    Compared,
    Cost,
    Findings,
    Guided,
    Identified,
    Look,
    Reading,
    Recorded,
    Seen,
    TakenOff,
    of_kind,
)
from nervus.judge.entry_words import conditions_told, done_told, off_told, told
from nervus.judge.job_words import at_hand_words
from nervus.judge.of_job import judge_job
from nervus.judge.profiles import chosen_profile
from nervus.judge.timeline import before_and_after
from nervus.judge.words import SUSPECT_NAMES, how_measured, natural_frequency
from nervus.knowledge import look_items, told_in_words
from nervus.knowledge.known_procedures import procedure_named
from nervus.knowledge.tree import tree_for
from nervus.language import figures, say
from nervus.proof.again import ask_again
from nervus.proof.differences import Difference, differences, measures, readings_again
from nervus.proof.telling import standing_told, state_told
from nervus.report.charts import over_time
from nervus.report.costs import in_money, school_rows, spent
from nervus.report.document import (
    Bar,
    Bars,
    Block,
    Heading,
    Items,
    NewPage,
    Paragraph,
    Picture,
    Table,
    Tone,
)
from nervus.report.of_job import CAUTION, Known, picture_of, way_picture

# A suspect, a fault below this is not listed.
_WORTH_LISTING = 0.005
_MOST_FAULTS, _MOST_ASIDE = 12, 30


def _held_against(profile: str) -> list[str]:
    if not profile:
        return []
    chosen = chosen_profile(profile)
    title = chosen.title if chosen is not None else say("{name} (not known here)", name=profile)
    return [say("Recordings were held against: {title}", title=title)]


def for_file(known: Known, words: str, missing: list[str]) -> list[Block]:
    """All chapters; what can't be shown is added to `missing`."""
    job = known.job
    blocks: list[Block] = [
        Heading(
            say("Record of the job: {value}", value=job.vehicle.name or say("vehicle without a name")), 1
        )
    ]
    kind = say(job.vehicle.throttle) if job.vehicle.throttle is not None else say("not known")
    lines = (
        [say("Vehicle: {description}", description=job.vehicle.description)]
        if job.vehicle.description
        else []
    )
    lines += [
        say("Throttle: {kind}", kind=kind),
        *_held_against(job.vehicle.profile),
        say(
            "Opened {astimezone:%d %b %Y %H:%M}, {len} entries, number {id}",
            astimezone=job.opened.astimezone(),
            len=len(job.entries),
            id=job.id,
        ),
        say("Complaint: {value}", value=told_in_words(job.complaint) or say("nothing told")),
        state_told(job),
    ]
    blocks.append(Items(tuple(lines)))
    if words.strip():
        blocks += [Heading(say("From the workshop")), Paragraph(words.strip())]
    blocks += _judgement(known)
    blocks += _codes(known)
    blocks += _looks(known, missing)
    blocks += _recordings(known)
    blocks += _readings(known)
    blocks += _work(known, missing)
    blocks += _proof(known)
    blocks += _costs(known)
    blocks += [Heading(say("The whole course")), _course(known)]
    blocks += [
        Heading(say("How this was made")),
        Paragraph(
            say(
                "Nervus {version}. Probabilities are of the job as it stands; the ledger says "
                "where they come from. {caution}",
                version=__version__,
                caution=CAUTION,
            ),
            Tone.QUIET,
        ),
    ]
    return blocks


def _judgement(known: Known) -> list[Block]:
    judged = known.judged
    blocks: list[Block] = [Heading(say("As it stands")), Paragraph(judged.standing.headline, Tone.LEAD)]
    if judged.missing:
        blocks.append(Paragraph(judged.missing))
    blocks.append(
        Bars(
            tuple(
                Bar(SUSPECT_NAMES[s.id], s.probability, natural_frequency(s.probability))
                for s in judged.standing.suspects
                if s.probability >= _WORTH_LISTING
            )
        )
    )
    blocks.append(way_picture(known, 1.0))
    faults = tuple(
        (f.text, SUSPECT_NAMES[f.suspect], natural_frequency(f.probability))
        for f in judged.faults[:_MOST_FAULTS]
        if f.probability >= _WORTH_LISTING
    )
    blocks.append(
        Table(
            say("Single faults"), (say("Fault"), say("Belongs to"), say("How sure")), faults, (4, 2, 1.6)
        )
    )
    first = judged.standing.suspects[0].id if judged.standing.suspects else None
    if judged.ledger and first is not None:
        rows = tuple(
            (
                line.text,
                figures("{get:.3g}", get=line.times_as_likely.get(first, 1.0)),
                say("yes") if line.turns else "",
                line.source,
            )
            for line in judged.ledger
        )
        head = (
            say("Observation"),
            say("Makes {suspect_names} so many times as likely", suspect_names=SUSPECT_NAMES[first]),
            say("Turns the answer"),
            say("Source"),
        )
        blocks.append(Table(say("Ledger"), head, rows, (4, 1.5, 1, 3), frozenset({1})))
    blocks += [
        Paragraph(say("Contradiction: {text}.", text=c.text), Tone.CAUTION)
        for c in judged.contradictions
    ]
    if judged.not_weighed:
        aside = [r.text for r in judged.not_weighed[:_MOST_ASIDE]]
        if len(judged.not_weighed) > _MOST_ASIDE:
            aside.append(
                say(
                    "and {most_aside} more, in the whole course",
                    most_aside=len(judged.not_weighed) - _MOST_ASIDE,
                )
            )
        blocks += [Paragraph(say("Kept, and not weighed:")), Items(tuple(aside))]
    return blocks


def _codes(known: Known) -> list[Block]:
    sets, units = of_kind(known.job.entries, CodeSet), of_kind(known.job.entries, Identified)
    if not sets and not units:
        return []
    blocks: list[Block] = [Heading(say("Codes"))]
    if units:
        blocks.append(Items(tuple(told(u) for u in units)))
    for one in sets:
        when = figures(
            "{moment}, {at:%d %b %Y %H:%M} ({source})",
            moment=one.moment,
            at=one.at.astimezone(),
            source=one.source,
        )
        if one.codes:
            rows = tuple(
                (
                    c.code,
                    c.module,
                    ", ".join(say(state) for state in c.states)
                    + (f" (0x{c.status:02X})" if c.status is not None else ""),
                    ", ".join(figures("{k} {v:g}", k=k, v=v) for k, v in c.frame.items()) or c.says,
                )
                for c in one.codes
            )
            blocks.append(
                Table(
                    when,
                    (say("Code"), say("Unit"), say("Status"), say("Freeze frame or words")),
                    rows,
                    (1.2, 1.6, 1.6, 4),
                )
            )
        else:
            none = say("no codes were told") if one.missing else say("no codes")
            blocks.append(Paragraph(f"{when}: {none}."))
        blocks += [Paragraph(say("Not told: {m}", m=m), Tone.CAUTION) for m in one.missing]
    return blocks


def _looks(known: Known, missing: list[str]) -> list[Block]:
    looks = of_kind(known.job.entries, Look)
    if not looks:
        return []
    titles = {item.id: item.title for item in look_items().item}
    seen = {Seen.GOOD: say("good"), Seen.BAD: say("bad"), Seen.NOT_SEEN: say("not seen")}
    rows = tuple(
        (
            titles.get(x.item, x.item),
            seen[x.seen],
            x.note,
            figures("{at:%d %b %H:%M}", at=x.at.astimezone()),
        )
        for x in looks
    )
    blocks: list[Block] = [
        Heading(say("Looked at")),
        Table(
            say("What was looked at"),
            (say("Item"), say("Seen"), say("Note"), say("When")),
            rows,
            (3, 1, 4, 1.5),
        ),
    ]
    for look in looks:
        title = titles.get(look.item, look.item)
        blocks += photos(known, look.photos, f"{title}: {seen[look.seen]}. {look.note}".strip(), missing)
    return blocks


def photos(known: Known, names: tuple[str, ...], words: str, missing: list[str]) -> list[Block]:
    """The photos of an entry; what is no picture is named instead."""
    blocks: list[Block] = []
    for name in names:
        try:
            blocks.append(
                Picture(known.sources.photo(name), "jpg", say("Photo. {words}", words=words), words, 0.7)
            )
        except OutsideError as wrong:
            missing.append(say("A photo is not shown: {wrong}", wrong=wrong))
    return blocks


def _recordings(known: Known) -> list[Block]:
    every = of_kind(known.job.entries, Recorded)
    if not every:
        return []
    found = {f.recording: f for f in of_kind(known.job.entries, Findings)}
    blocks: list[Block] = [NewPage(), Heading(say("Recorded"))]
    for recorded in every:
        blocks.append(Heading(recorded.name, 3))
        when = figures("{at:%d %b %Y %H:%M}", at=recorded.at.astimezone())
        blocks.append(
            Paragraph(
                figures(
                    "{when}, {duration_s:.0f} s, {join}",
                    when=when,
                    duration_s=recorded.duration_s,
                    join=", ".join(recorded.channels),
                ),
                Tone.QUIET,
            )
        )
        drawn = known.recordings.get(recorded.id)
        if drawn is None:
            kept = found.get(recorded.id)
            blocks.append(Paragraph(kept.headline if kept is not None else say("It was not analysed.")))
            if kept is not None and kept.findings:
                blocks.append(Items(kept.findings))
            continue
        seen = drawn.analysis.examination
        blocks.append(Paragraph(drawn.analysis.judgement.headline))
        blocks.append(
            Picture(
                over_time(drawn),
                "svg",
                say("The tracks over time. {headline}", headline=drawn.analysis.judgement.headline),
                say("Over time; shaded where something was found"),
            )
        )
        rows = [f.text for f in seen.findings] or [say("No finding.")]
        if drawn.analysis.circuit.explanations:
            rows += [e.text for e in drawn.analysis.circuit.explanations]
        blocks.append(Items((*rows, seen.coverage.text)))
        blocks.append(Items(tuple(how_measured(c) for c in seen.channels)))
    return blocks


def _readings(known: Known) -> list[Block]:
    readings = of_kind(known.job.entries, Reading)
    if not readings:
        return []
    rows = tuple(
        (
            r.where or say("measured"),
            say("nothing") if r.nothing else figures("{value:.6g}", value=r.value),
            "" if r.nothing else r.unit,
            conditions_told(r.conditions),
            figures("{at:%d %b %H:%M}", at=r.at.astimezone()),
            say(r.source),
        )
        for r in readings
    )
    head = (say("Where"), say("Value"), say("Unit"), say("Conditions"), say("When"), say("Source"))
    return [
        Heading(say("Readings")),
        Table(say("Measured"), head, rows, (3, 1.1, 0.8, 3, 1.5, 1.4), frozenset({1})),
    ]


def _work(known: Known, missing: list[str]) -> list[Block]:
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


def _proof(known: Known) -> list[Block]:
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


def _costs(known: Known) -> list[Block]:
    costs, sums = of_kind(known.job.entries, Cost), spent(known.job, known.own)
    blocks: list[Block] = [Heading(say("Costs"))]
    if sums is not None:
        rows = tuple(
            (c.what, figures("{minutes:g}", minutes=c.minutes), in_money(c.money, known.own))
            for c in costs
        )
        rows += (
            (
                say("in all, with the work"),
                figures("{minutes:g}", minutes=sums.minutes),
                in_money(sums.whole, known.own),
            ),
        )
        blocks.append(
            Table(
                say("Spent"),
                (say("What"), say("Minutes"), say("Money")),
                rows,
                (4, 1, 1.4),
                frozenset({1, 2}),
            )
        )
    else:
        blocks.append(Paragraph(say("Nothing was written down.")))
    changes = of_kind(known.job.entries, Change)
    judged = known.judged
    if changes:
        # As it stood when somebody had to choose a way: afterwards there is nothing left to choose.
        early = tuple(e for e in known.job.entries if e.at < changes[0].at)
        judged = judge_job(replace(known.job, entries=early), known.own)
    schools = school_rows(judged, known.own)
    if schools:
        head = (
            say("Way"), say("Minutes"), say("Parts"), say("Cost in all"), say("Parts in vain"),
            say("Come-backs"),
        )  # fmt: skip
        blocks.append(
            Table(
                say("What each way was expected to cost, before anything was changed"),
                head,
                schools,
                (2.2, 1, 1.3, 2, 1.2, 1.3),
                frozenset({1, 2, 3, 4, 5}),
            )
        )
        at_hand = at_hand_words(judged.schools)
        blocks += [Paragraph(at_hand)] if at_hand else []
    return blocks


def _course(known: Known) -> Table:
    rows = tuple(
        (figures("{at:%d %b %Y %H:%M}", at=e.at.astimezone()), told(e), say(e.source))
        for e in known.job.entries
    )
    return Table(say("Every entry"), (say("When"), say("What"), say("Source")), rows, (1.6, 6, 1.6))

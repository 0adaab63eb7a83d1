"""Chapters of the report for the file: codes, what was looked at, recordings, readings."""

from nervus.domain.errors import OutsideError
from nervus.domain.job import CodeSet, Findings, Identified, Look, Reading, Recorded, Seen, of_kind
from nervus.judge.entry_words import conditions_told, told
from nervus.judge.words import how_measured
from nervus.knowledge import look_items
from nervus.language import figures, say
from nervus.report.charts import over_time
from nervus.report.document import Block, Heading, Items, NewPage, Paragraph, Picture, Table, Tone
from nervus.report.of_job import Known


def codes(known: Known) -> list[Block]:
    """Units and code sets as they were told."""
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


def looks(known: Known, missing: list[str]) -> list[Block]:
    """What was looked at, with its photos; what can't be shown is added to `missing`."""
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


def recordings(known: Known) -> list[Block]:
    """Each recording with its picture, what was found, and how it was measured."""
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


def readings(known: Known) -> list[Block]:
    """What was measured by hand."""
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

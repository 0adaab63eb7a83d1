"""What stands in the report of a job: one page for the customer, everything for the file."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from msgspec.structs import replace

from nervus import __version__
from nervus.domain.entry import FileName
from nervus.domain.errors import OutsideError
from nervus.domain.job import Change, Complaint, Findings, Job, JobState, Recorded, of_kind
from nervus.domain.judgement import JobJudgement
from nervus.domain.profile import ThrottleKind
from nervus.judge.of_job import judge_job, kept
from nervus.judge.timeline import before_and_after
from nervus.judge.words import natural_frequency
from nervus.knowledge import judging, told_in_words
from nervus.knowledge.own_prices import AS_SHIPPED, OwnPrices
from nervus.language import figures, language, say
from nervus.proof.telling import standing_told, state_told
from nervus.proof.watching import Standing, prior_of, standing
from nervus.report.charts import Drawn, over_travel, signals_way
from nervus.report.costs import in_money, spent
from nervus.report.document import (
    Audience,
    Block,
    Heading,
    Items,
    Paragraph,
    Picture,
    Report,
    Tone,
)

CAUTION = say(
    "Nervus advises; the technician decides. The maker's procedure and local rules "
    "come first, and work on safety systems belongs to licensed people."
)
# So many reasons are told to a customer.
_REASONS = 3


@dataclass(frozen=True, slots=True)
class Sources:
    """Where a report gets what is not in the job itself.

    Attributes:
        drawn: a kept recording with its analysis, under a word for it; may raise `OutsideError`.
        photo: a kept photo, scaled, as JPEG; may raise `OutsideError`.
        now: the moment at which the report is made.
        mark: the workshop's mark, `None` for none.
    """

    drawn: Callable[[Recorded, str], Drawn]
    photo: Callable[[FileName], bytes]
    now: datetime
    mark: Picture | None = None


@dataclass(frozen=True, slots=True)
class Known:
    """All that a report is made of, worked out once."""

    job: Job
    judged: JobJudgement
    stands: Standing | None
    own: OwnPrices
    recordings: dict[str, Drawn]
    sources: Sources


def report_of(
    job: Job,
    sources: Sources,
    audience: Audience,
    own: OwnPrices = AS_SHIPPED,
    words: str = "",
) -> Report:
    """The report of a job.

    Args:
        job: all that was told, seen, read, measured and changed.
        sources: recordings, photos, and the hour.
        audience: one page for the customer, or everything for the file.
        own: the workshop's name, prices and currency.
        words: the workshop's own, put in as they are.
    """
    missing: list[str] = []
    recordings = _load(job, sources, audience, missing)
    job = _with_findings(job, recordings)
    known = Known(job, judge_job(job, own), standing(job, prior_of(job, own)), own, recordings, sources)
    if audience is Audience.CUSTOMER:
        blocks = _for_customer(known, words)
    else:
        from nervus.report.for_file import for_file  # noqa: PLC0415 - the longer of the two

        blocks = for_file(known, words, missing)
    blocks += [Paragraph(sentence, Tone.QUIET) for sentence in missing]
    vehicle = job.vehicle.name or say("vehicle without a name")
    customer = audience is Audience.CUSTOMER
    made = figures("{at:%d %b %Y %H:%M}", at=sources.now.astimezone())
    return Report(
        title=f"{vehicle}: {say('what was done') if customer else say('record of the job')}",
        language=language(),
        workshop=own.name,
        mark=sources.mark,
        foot=say(
            "{vehicle} · made {made} with Nervus {version}",
            vehicle=vehicle,
            made=made,
            version=__version__,
        ),
        blocks=tuple(blocks),
        not_shown=tuple(missing),
    )


def _load(job: Job, sources: Sources, audience: Audience, missing: list[str]) -> dict[str, Drawn]:
    """The recordings that are drawn, by identifier; what can't be read any more is named."""
    before, after = before_and_after(job)
    wanted = [(r, w) for r, w in ((before, say("before")), (after, say("after"))) if r is not None]
    if audience is Audience.FILE:
        ids = {r.id for r, _ in wanted}
        wanted += [(r, r.name) for r in of_kind(job.entries, Recorded) if r.id not in ids]
    found: dict[str, Drawn] = {}
    for recorded, word in wanted:
        try:
            found[recorded.id] = sources.drawn(recorded, word)
        except OutsideError as wrong:
            missing.append(say("{name} is not drawn: {wrong}", name=recorded.name, wrong=wrong))
    return found


def _with_findings(job: Job, recordings: dict[str, Drawn]) -> Job:
    """The job with findings for each recording that was analysed here and has none yet."""
    known = {f.recording for f in of_kind(job.entries, Findings)}
    more = tuple(
        kept(recordings[r.id].analysis, r, judging())
        for r in of_kind(job.entries, Recorded)
        if r.id in recordings and r.id not in known
    )
    return replace(job, entries=(*job.entries, *more)) if more else job


# -- for the customer ------------------------------------------------------------------------------


def _for_customer(known: Known, words: str) -> list[Block]:
    job, judged = known.job, known.judged
    blocks: list[Block] = [Heading(job.vehicle.name or say("Your vehicle"), 1)]
    if job.vehicle.description:
        blocks.append(Paragraph(job.vehicle.description, Tone.QUIET))
    complaints = of_kind(job.entries, Complaint)
    if complaints:
        blocks.append(
            Paragraph(say("You told us: {told_in_words}.", told_in_words=told_in_words(complaints[-1])))
        )
    blocks += [Heading(say("What was wrong")), Paragraph(judged.standing.headline, Tone.LEAD)]
    blocks += _reasons(judged)
    changes = of_kind(job.entries, Change)
    blocks.append(Heading(say("What was done")))
    if changes:
        rows = tuple(figures("{at:%d %b %Y}: ", at=c.at.astimezone()) + _done(c) for c in changes)
        blocks.append(Items(rows))
    else:
        blocks.append(Paragraph(say("Nothing was changed on the vehicle yet.")))
    blocks += picture_of(known, share=0.82)
    blocks += [Heading(say("How it stands")), Paragraph(state_told(job))]
    if known.stands is not None:
        blocks.append(Paragraph(" ".join(standing_told(known.stands))))
    elif job.state is not JobState.MENDED:
        blocks.append(
            Paragraph(say("How long it has to stay well before it counts as mended is not planned."))
        )
    blocks += cost_lines(known)
    if words.strip():
        blocks += [Heading(say("From us")), Paragraph(words.strip())]
    blocks.append(Paragraph(CAUTION, Tone.QUIET))
    return blocks


def _done(change: Change) -> str:
    return (
        say("{done} (tried, and taken out again)", done=change.done)
        if change.swapped_back
        else change.done
    )


def _reasons(judged: JobJudgement) -> list[Block]:
    first = judged.standing.suspects[0].id
    strongest = sorted(judged.ledger, key=lambda line: -line.times_as_likely.get(first, 1.0))
    rows = tuple(
        line.text for line in strongest[:_REASONS] if line.times_as_likely.get(first, 1.0) > 1.0
    )
    if not rows:
        return [Paragraph(say("How we know: nothing was seen yet that tells."))]
    return [Paragraph(say("How we know:")), Items(rows)]


def picture_of(known: Known, share: float) -> list[Block]:
    """Before over after, over travel; the signal's way where nothing was recorded."""
    shown = [
        known.recordings[r.id]
        for r in before_and_after(known.job)
        if r is not None and r.id in known.recordings
    ]
    drawing = over_travel(shown) if shown else None
    if drawing is not None:
        words = say(" and ").join(d.word for d in shown)
        alt = say(
            "The sensor's tracks over the travel of the throttle, {words}; findings are shaded. ",
            words=words,
        ) + " ".join(f"{d.word}: {d.analysis.judgement.headline}" for d in shown)
        caption = say("Over travel, shaded where something was found; one line a pass")
        return [Picture(drawing, "svg", alt, caption, share)]
    return [way_picture(known, share)]


def way_picture(known: Known, share: float) -> Picture:
    """The signal's way with the suspicion on it."""
    stretches = known.judged.standing.stretches
    electronic = known.job.vehicle.throttle is not ThrottleKind.CABLE
    worst = stretches[0] if stretches else None
    told = (
        say(
            "most suspected: {fault}, {natural_frequency}",
            fault=worst.fault,
            natural_frequency=natural_frequency(worst.probability),
        )
        if worst
        else say("nothing suspected")
    )
    return Picture(
        signals_way(stretches, electronic=electronic),
        "svg",
        say("The signal's way from the plate to the control unit; {told}.", told=told),
        say("The signal's way; hatched and swollen where the suspicion lies"),
        share,
    )


def cost_lines(known: Known) -> list[Block]:
    """What it cost, where that was written down."""
    sums = spent(known.job, known.own)
    if sums is None:
        return []
    told = say(
        "{minutes:.0f} minutes of work, {in_money} for parts and material, {in_money_} in all.",
        minutes=sums.minutes,
        in_money=in_money(sums.money, known.own),
        in_money_=in_money(sums.whole, known.own),
    )
    return [Heading(say("What it cost")), Paragraph(told)]

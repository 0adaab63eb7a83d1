"""The report for the file: everything that is in the job, chapter by chapter."""

from nervus import __version__
from nervus.judge.entry_words import told
from nervus.judge.profiles import chosen_profile
from nervus.knowledge import told_in_words
from nervus.language import figures, say
from nervus.proof.telling import state_told
from nervus.report.as_it_stands import as_it_stands
from nervus.report.document import Block, Heading, Items, Paragraph, Table, Tone
from nervus.report.of_job import CAUTION, Known
from nervus.report.what_was_done import costs, proof, work
from nervus.report.what_was_found import codes, looks, readings, recordings


def for_file(known: Known, words: str, missing: list[str]) -> list[Block]:
    """All chapters; what can't be shown is added to `missing`."""
    blocks = _head(known)
    if words.strip():
        blocks += [Heading(say("From the workshop")), Paragraph(words.strip())]
    blocks += as_it_stands(known)
    blocks += codes(known)
    blocks += looks(known, missing)
    blocks += recordings(known)
    blocks += readings(known)
    blocks += work(known, missing)
    blocks += proof(known)
    blocks += costs(known)
    blocks += [Heading(say("The whole course")), _course(known)]
    made = say(
        "Nervus {version}. Probabilities are of the job as it stands; the ledger says "
        "where they come from. {caution}",
        version=__version__,
        caution=CAUTION,
    )
    return [*blocks, Heading(say("How this was made")), Paragraph(made, Tone.QUIET)]


def _head(known: Known) -> list[Block]:
    job = known.job
    name = job.vehicle.name or say("vehicle without a name")
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
    return [Heading(say("Record of the job: {value}", value=name), 1), Items(tuple(lines))]


def _held_against(profile: str) -> list[str]:
    if not profile:
        return []
    chosen = chosen_profile(profile)
    title = chosen.title if chosen is not None else say("{name} (not known here)", name=profile)
    return [say("Recordings were held against: {title}", title=title)]


def _course(known: Known) -> Table:
    rows = tuple(
        (figures("{at:%d %b %Y %H:%M}", at=e.at.astimezone()), told(e), say(e.source))
        for e in known.job.entries
    )
    return Table(say("Every entry"), (say("When"), say("What"), say("Source")), rows, (1.6, 6, 1.6))

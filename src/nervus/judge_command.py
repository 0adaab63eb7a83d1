"""`nervus judge`: one job weighed, from a bundle, its `job.json`, or the logbook."""

import argparse
import json
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from nervus.command_help import add_command
from nervus.domain.errors import OutsideError
from nervus.job_commands import add_one_job, open_logbook, the_one_job
from nervus.language import say
from nervus.world import USED

if TYPE_CHECKING:
    from nervus.domain.job import Findings, Job, Recorded
    from nervus.domain.profile import ThrottleProfile

_FILES = "files"


def add_judge(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add the command to the parser."""
    judge = add_command(
        commands, "judge", say("weigh all that is in a job"), "nervus judge job.zip --json"
    )
    add_one_job(judge)
    judge.add_argument(
        "--prices",
        type=Path,
        metavar="FILE.toml",
        help=say("the workshop's own times, prices and tools"),
    )
    judge.add_argument("--json", action="store_true", help=say("print nervus.judgement/1"))
    judge.set_defaults(run=_judge)


def _judge(arguments: argparse.Namespace) -> int:
    if (arguments.job is None) == (arguments.logbook is None):
        raise OutsideError(
            say("judge takes one job: a bundle (.zip), a job.json, or --logbook with its words.")
        )
    with tempfile.TemporaryDirectory() as folder:
        if arguments.job is None:
            job, where = job_of_logbook(
                arguments.logbook, arguments.logbook_file, "nervus judge --logbook"
            )
        else:
            job, where = job_of_file(arguments.job, Path(folder))
        job = with_findings(job, where)
    print(_told(job, arguments.prices, as_json=arguments.json))
    return USED


def job_of_logbook(words: str, file: Path | None, to_type: str) -> "tuple[Job, Callable[[str], Path]]":
    """The one job of a logbook that holds certain words, and where its files lie.

    Raises:
        OutsideError: none does, or several do.
    """
    book = open_logbook(file)
    try:
        row = the_one_job(book.jobs(), words, lambda job_id: f"{to_type} {job_id}")
        return book.job(row.id), book.attachments.path
    finally:
        book.close()


def job_of_file(path: Path, folder: Path) -> "tuple[Job, Callable[[str], Path]]":
    """The job in a bundle or its job.json, and where its files lie; a bundle is unpacked in `folder`.

    Raises:
        OutsideError: it can't be read.
    """
    from nervus.files.bundle import read_bundle, read_job_file  # noqa: PLC0415

    if path.suffix.lower() == ".json":
        beside = path.parent / _FILES
        return read_job_file(path), lambda name: beside / name if beside.is_dir() else path.parent / name
    return read_bundle(path, folder), lambda name: folder / name


def with_findings(job: "Job", where: "Callable[[str], Path]") -> "Job":
    """The job with findings for each recording that is there and has none yet."""
    from msgspec.structs import replace  # noqa: PLC0415

    from nervus.domain.job import Findings, Recorded, of_kind  # noqa: PLC0415 - start-up

    profile = _profile(job.vehicle.profile)
    known = {f.recording for f in of_kind(job.entries, Findings)}
    made = [
        _found(recording, where(recording.file), profile)
        for recording in of_kind(job.entries, Recorded)
        if recording.id not in known and where(recording.file).is_file()
    ]
    return replace(job, entries=(*job.entries, *(f for f in made if f is not None)))


def _profile(name: str) -> "ThrottleProfile | None":
    """The profile of the vehicle's throttle; where it is not known here, that is told."""
    from nervus.judge.profiles import chosen_profile  # noqa: PLC0415

    profile = chosen_profile(name)
    if name and profile is None:
        words = say("the profile {name} is not known here: recordings are judged without it.", name=name)
        print(f"nervus: {words}", file=sys.stderr)
    return profile


def _found(recording: "Recorded", path: Path, profile: "ThrottleProfile | None") -> "Findings | None":
    """What a recording shows; `None`, and a remark, where it can't be read."""
    from nervus.judge.analyse import analyse  # noqa: PLC0415
    from nervus.judge.of_job import kept  # noqa: PLC0415
    from nervus.knowledge import judging  # noqa: PLC0415
    from nervus.link.reading import kept_recording  # noqa: PLC0415

    try:
        return kept(analyse(kept_recording(path), profile), recording, judging())
    except OutsideError as wrong:
        print(say("nervus: {wrong} The job is judged without it.", wrong=wrong), file=sys.stderr)
        return None


def _told(job: "Job", prices: Path | None, *, as_json: bool) -> str:
    from nervus.files.judgement_answer import judgement_answer, judgement_report  # noqa: PLC0415
    from nervus.judge.of_job import judge_job  # noqa: PLC0415
    from nervus.knowledge.own_prices import AS_SHIPPED, read_own_prices, remarks_on  # noqa: PLC0415

    own = read_own_prices(prices) if prices is not None else AS_SHIPPED
    for remark in remarks_on(own):
        print(say("nervus: {prices}: {remark}.", prices=prices, remark=remark), file=sys.stderr)
    judged = judge_job(job, own)
    if as_json:
        plain = (sys.stdout.encoding or "").lower().replace("-", "") != "utf8"
        return json.dumps(judgement_answer(job, judged), ensure_ascii=plain, allow_nan=False)
    return judgement_report(job, judged)

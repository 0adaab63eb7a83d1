"""The headless commands on the logbook: list, give and take jobs, and what a bundle looks like."""

import argparse
import json
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from nervus.command_help import add_command
from nervus.domain.errors import OutsideError
from nervus.domain.job_list import matching
from nervus.language import say

if TYPE_CHECKING:
    from nervus.domain.job import AnyEntry
    from nervus.domain.job_list import JobRow
    from nervus.logbook import Logbook

_MOST_LISTED = 12


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add these commands to the parser."""
    jobs = add_command(commands, "jobs", say("list the jobs of the logbook"), "nervus jobs quay road")
    jobs.add_argument("words", nargs="*", help=say("only jobs that hold all of these"))
    jobs.set_defaults(run=_jobs)

    give = add_command(
        commands, "give", say("write a job into a bundle"), 'nervus give "quay road" job.zip'
    )
    give.add_argument("job", help=say("its identifier, or words that only one job holds"))
    give.add_argument("file", type=Path, metavar="FILE.zip")
    give.add_argument("--replace", action="store_true", help=say("write over a file that is there"))
    give.set_defaults(run=_give)

    take = add_command(
        commands, "take", say("take the job of a bundle into the logbook"), "nervus take job.zip"
    )
    take.add_argument("file", type=Path, metavar="FILE.zip")
    take.set_defaults(run=_take)

    for command in (jobs, give, take):
        command.add_argument(
            "--logbook",
            type=Path,
            metavar="FILE",
            help=say("another than the window's (default: the window's)"),
        )

    schema = add_command(
        commands, "bundle-schema", say("print the JSON Schema of a job's bundle"), "nervus bundle-schema"
    )
    schema.set_defaults(run=_schema)


def add_one_job(command: argparse.ArgumentParser) -> None:
    """Add how a command is told the one job it is about: a file of it, or words of the logbook."""
    command.add_argument(
        "job", nargs="?", type=Path, metavar="JOB", help=say("a bundle (.zip), or its job.json")
    )
    command.add_argument(
        "--logbook", metavar="WORDS", help=say("a job of the logbook that holds these words")
    )
    command.add_argument(
        "--logbook-file", type=Path, metavar="FILE", help=say("another logbook than the window's")
    )


def _usual() -> Path:
    """Where the window keeps the logbook unless its settings say otherwise."""
    data = os.environ.get("XDG_DATA_HOME")
    if data:
        return Path(data) / "nervus" / "logbook.db"
    try:
        return Path.home() / ".local" / "share" / "nervus" / "logbook.db"
    except RuntimeError as wrong:
        raise OutsideError(
            say("You have no home folder here; choose the logbook with --logbook.")
        ) from wrong


def open_logbook(chosen: Path | None) -> "Logbook":
    """A logbook that is there: the chosen one, or the window's.

    Raises:
        OutsideError: there is none.
    """
    from nervus.logbook import Logbook  # noqa: PLC0415 - loads the database library

    path = chosen or _usual()
    if not path.is_file():
        raise OutsideError(say("{path}: there is no logbook; choose one with --logbook.", path=path))
    return Logbook(path)


def _jobs(arguments: argparse.Namespace) -> int:
    book = open_logbook(arguments.logbook)
    for row in matching(book.jobs(), " ".join(arguments.words), frozenset()):
        print(f"{row.id}  {row.state:<9}  {row.vehicle}: {row.complaint}  {row.codes}".rstrip())
    book.close()
    return 0


def _give(arguments: argparse.Namespace) -> int:
    from nervus.files.bundle import write_bundle  # noqa: PLC0415
    from nervus.files.outputs import free_place  # noqa: PLC0415
    from nervus.link.reading import kept_recording  # noqa: PLC0415

    to = free_place(arguments.file, replace=arguments.replace)
    book = open_logbook(arguments.logbook)
    try:
        row = the_one_job(
            book.jobs(),
            arguments.job,
            lambda job_id: say("nervus give {job_id} {file}", job_id=job_id, file=arguments.file),
        )
        write_bundle(book.job(row.id), book.attachments.path, to, kept_recording)
    finally:
        book.close()
    print(to)
    return 0


def the_one_job(rows: "list[JobRow]", typed: str, to_type: Callable[[str], str]) -> "JobRow":
    """The one job that is meant; where several are, each is told with what to type.

    Raises:
        OutsideError: none is, or several are.
    """
    found = [row for row in rows if row.id == typed] or matching(rows, typed, frozenset())
    if len(found) == 1:
        return found[0]
    if not found:
        raise OutsideError(
            say("“{typed}”: no job holds it; see them all with nervus jobs.", typed=typed)
        )
    listed = "".join(
        f"\n  {to_type(row.id)}    {row.vehicle}: {row.complaint} ({row.state})"
        for row in found[:_MOST_LISTED]
    )
    more = (
        say("\n  and {most_listed} more", most_listed=len(found) - _MOST_LISTED)
        if len(found) > _MOST_LISTED
        else ""
    )
    raise OutsideError(
        say(
            "“{typed}”: {len} jobs hold it; type more words, or one of{listed}{more}",
            typed=typed,
            len=len(found),
            listed=listed,
            more=more,
        )
    )


def _take(arguments: argparse.Namespace) -> int:
    from nervus.files.bundle import read_bundle  # noqa: PLC0415
    from nervus.logbook import Logbook  # noqa: PLC0415 - loads the database library

    path = arguments.logbook or _usual()
    with tempfile.TemporaryDirectory() as folder:
        job = read_bundle(arguments.file, Path(folder))
        path.parent.mkdir(parents=True, exist_ok=True)
        book = Logbook(path)
        try:
            known = any(row.id == job.id for row in book.jobs())
            before = book.job(job.id).entries if known else None
            book.attachments.adopt(Path(folder))
            book.put_job(job)
            after = book.job(job.id).entries
        finally:
            book.close()
    print(job.id)
    print(_taken(before, after), file=sys.stderr)
    return 0


def _taken(before: "tuple[AnyEntry, ...] | None", after: "tuple[AnyEntry, ...]") -> str:
    """What a bundle changed in a job that was there."""
    if before is None:
        return say("A new job with {len} entries.", len=len(after))
    was = {entry.id: entry for entry in before}
    new = [entry for entry in after if entry.id not in was]
    changed = [entry for entry in after if entry.id in was and was[entry.id] != entry]
    counts = [
        f"{len(entries)} {what} ({', '.join(dict.fromkeys(type(e).__name__.lower() for e in entries))})"
        for what, entries in (("new", new), ("changed", changed))
        if entries
    ]
    return say(
        "The job was there: {value}.",
        value=", ".join(counts) if counts else say("nothing in it changed"),
    )


def _schema(_arguments: argparse.Namespace) -> int:
    from nervus.files.bundle import bundle_schema  # noqa: PLC0415

    print(json.dumps(bundle_schema(), indent=2, ensure_ascii=False))
    return 0

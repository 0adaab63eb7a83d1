"""The headless commands on the logbook: list, give and take jobs, and what a bundle looks like."""

import argparse
import json
import os
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from nervus.domain.errors import OutsideError
from nervus.domain.job_list import matching

if TYPE_CHECKING:
    from nervus.logbook import Logbook


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add these commands to the parser."""
    jobs = commands.add_parser("jobs", help="list the jobs of the logbook")
    jobs.add_argument("words", nargs="*", help="only jobs that hold all of these")
    jobs.set_defaults(run=_jobs)

    give = commands.add_parser("give", help="write a job into a bundle")
    give.add_argument("job", help="its identifier, or words that only one job holds")
    give.add_argument("file", type=Path, metavar="FILE.zip")
    give.set_defaults(run=_give)

    take = commands.add_parser("take", help="take the job of a bundle into the logbook")
    take.add_argument("file", type=Path, metavar="FILE.zip")
    take.set_defaults(run=_take)

    for command in (jobs, give, take):
        command.add_argument("--logbook", type=Path, default=_usual(), metavar="FILE")

    schema = commands.add_parser("bundle-schema", help="print the JSON Schema of a job's bundle")
    schema.set_defaults(run=_schema)


def _usual() -> Path:
    """Where the window keeps the logbook unless its settings say otherwise."""
    data = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(data) / "nervus" / "logbook.db"


def _open(path: Path) -> "Logbook":
    from nervus.logbook import Logbook  # noqa: PLC0415 - loads the database library

    if not path.is_file():
        raise OutsideError(f"{path}: there is no logbook; choose one with --logbook.")
    return Logbook(path)


def _jobs(arguments: argparse.Namespace) -> int:
    book = _open(arguments.logbook)
    for row in matching(book.jobs(), " ".join(arguments.words), frozenset()):
        print(f"{row.id}  {row.state:<9}  {row.vehicle}: {row.complaint}  {row.codes}".rstrip())
    book.close()
    return 0


def _give(arguments: argparse.Namespace) -> int:
    from nervus.files.bundle import write_bundle  # noqa: PLC0415

    book = _open(arguments.logbook)
    rows = [row for row in book.jobs() if row.id == arguments.job]
    rows = rows or matching(book.jobs(), arguments.job, frozenset())
    if len(rows) != 1:
        raise OutsideError(f"“{arguments.job}”: {len(rows)} jobs hold it; accepted is what one holds.")
    write_bundle(book.job(rows[0].id), book.attachments.path, arguments.file)
    book.close()
    print(arguments.file)
    return 0


def _take(arguments: argparse.Namespace) -> int:
    from nervus.files.bundle import read_bundle  # noqa: PLC0415
    from nervus.logbook import Logbook  # noqa: PLC0415 - loads the database library

    with tempfile.TemporaryDirectory() as folder:
        job = read_bundle(arguments.file, Path(folder))
        arguments.logbook.parent.mkdir(parents=True, exist_ok=True)
        book = Logbook(arguments.logbook)
        book.attachments.adopt(Path(folder))
        book.put_job(job)
        book.close()
    print(job.id)
    return 0


def _schema(_arguments: argparse.Namespace) -> int:
    from nervus.files.bundle import bundle_schema  # noqa: PLC0415

    print(json.dumps(bundle_schema(), indent=2, ensure_ascii=False))
    return 0

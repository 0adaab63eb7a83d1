"""`nervus report`: the report of a job as PDF or HTML; `nervus due`: jobs that have a day."""

import argparse
import sys
import tempfile
from pathlib import Path

from nervus.command_help import add_command
from nervus.domain.errors import OutsideError
from nervus.job_commands import add_one_job, open_logbook
from nervus.judge_command import job_of_file, job_of_logbook
from nervus.language import say
from nervus.world import USED

DONE_WITHOUT_ALL = 1


def add_report(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add the command to the parser."""
    report = add_command(
        commands,
        "report",
        say("write the report of a job"),
        "nervus report job.zip -o report.pdf --for customer",
    )
    add_one_job(report)
    report.add_argument(
        "-o", "--output", type=Path, required=True, metavar="FILE", help=say("a .pdf or an .html file")
    )
    report.add_argument(
        "--for",
        dest="audience",
        choices=("customer", "file"),
        default="customer",
        help=say("one page for the customer (as usual), or everything for the file"),
    )
    report.add_argument("--words", default="", metavar="TEXT", help=say("words of your own to put in"))
    report.add_argument(
        "--prices", type=Path, metavar="FILE.toml", help=say("the workshop's own name, mark and prices")
    )
    report.add_argument("--replace", action="store_true", help=say("write over a file that is there"))
    report.set_defaults(run=_report)
    due = add_command(
        commands, "due", say("write the jobs that have a day as a calendar"), "nervus due -o due.ics"
    )
    due.add_argument(
        "-o", "--output", type=Path, metavar="FILE.ics", help=say("list them only, without it")
    )
    due.add_argument(
        "--logbook", type=Path, metavar="FILE", help=say("another logbook than the window's")
    )
    due.add_argument("--replace", action="store_true", help=say("write over a file that is there"))
    due.set_defaults(run=_due)


def _report(arguments: argparse.Namespace) -> int:
    if (arguments.job is None) == (arguments.logbook is None):
        raise OutsideError(
            say("report takes one job: a bundle (.zip), a job.json, or --logbook with its words.")
        )
    from nervus.files.outputs import free_place  # noqa: PLC0415 - start-up
    from nervus.knowledge.own_prices import AS_SHIPPED, read_own_prices  # noqa: PLC0415 - start-up
    from nervus.link.reading import kept_recording  # noqa: PLC0415 - loads pandas
    from nervus.report.document import Audience  # noqa: PLC0415 - start-up
    from nervus.report.written import make_report, write_report  # noqa: PLC0415 - start-up

    to = free_place(arguments.output, replace=arguments.replace)
    own = read_own_prices(arguments.prices) if arguments.prices is not None else AS_SHIPPED
    with tempfile.TemporaryDirectory() as folder:
        if arguments.job is None:
            job, where = job_of_logbook(
                arguments.logbook, arguments.logbook_file, "nervus report --logbook"
            )
        else:
            job, where = job_of_file(arguments.job, Path(folder))
        audience = Audience(arguments.audience)
        report = make_report(job, where, kept_recording, audience, own, arguments.words)
    write_report(report, to)
    for sentence in report.not_shown:
        print(say("nervus: {sentence}", sentence=sentence), file=sys.stderr)
    print(to)
    return DONE_WITHOUT_ALL if report.not_shown else USED


def _due(arguments: argparse.Namespace) -> int:
    from datetime import date  # noqa: PLC0415 - beside its one use

    from nervus.proof.calendar import due_rows  # noqa: PLC0415 - start-up
    from nervus.report.due_jobs import write_calendar  # noqa: PLC0415 - start-up

    book = open_logbook(arguments.logbook)
    try:
        rows = book.jobs()
    finally:
        book.close()
    if arguments.output is not None:
        from nervus.files.outputs import free_place  # noqa: PLC0415 - start-up

        to = free_place(arguments.output, replace=arguments.replace)
        write_calendar(rows, to)
        print(to)
        return USED
    for row in due_rows(rows, date.today()):
        print(f"{row.id}  {row.due}  {row.state:<9}  {row.vehicle}: {row.complaint}".rstrip())
    return USED

"""The headless commands, and the door to the window.

Exit 0: done, whatever was found. Exit 1: done, and something is missing, which is named. Exit 2: the
input can't be used, told in one sentence on standard error. Exit 130: stopped by Ctrl C. Only the
command's own imports are loaded: a script that analyses never loads the window.
"""

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path

from nervus import __version__
from nervus.command_help import MAPPING, PROFILES, add_command
from nervus.job_commands import add_commands as add_job_commands
from nervus.live_commands import add_commands
from nervus.vehicle_commands import add_commands as add_vehicle_commands
from nervus.world import USED, guarded


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command line; returns the exit code."""
    arguments = _parser().parse_args(argv)
    return guarded(lambda: int(arguments.run(arguments)))


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="nervus",
        description="Sensor, wiring or throttle body? Without a command the window opens.",
    )
    parser.add_argument("--version", action="version", version=f"nervus {__version__}")
    parser.set_defaults(run=_open_window, file=None, demo=None, theme=None)
    commands = parser.add_subparsers(metavar="COMMAND")

    window = add_command(
        commands, "window", "open the window, with a recording or the demo", "nervus window --demo"
    )
    window.add_argument("file", nargs="?", type=Path, help="a recording to open")
    window.add_argument(
        "--demo", nargs="?", const="", metavar="CASE", help="open the demo's jobs, or one case of it"
    )
    window.add_argument("--theme", choices=("bright", "dim"), help="instead of the remembered one")
    window.set_defaults(run=_open_window)

    analyse = add_command(
        commands,
        "analyse",
        "judge one recording",
        "nervus analyse drive.csv --profile electronic-opposite",
        PROFILES,
        MAPPING,
    )
    analyse.add_argument("file", type=Path, metavar="FILE", help="a recording, - for standard input")
    analyse.add_argument("--profile", metavar="ID|FILE", help="what the throttle should do")
    analyse.add_argument("--json", action="store_true", help="one JSON object, for programs")
    analyse.add_argument(
        "--map",
        action="append",
        default=[],
        metavar="NAME[UNIT]=ID",
        help="what a column is, and its unit if it is not written; NAME=- leaves it out",
    )
    analyse.add_argument(
        "--time-unit", metavar="UNIT", help="of a time that is numbers: s, ms, µs, min, h, d"
    )
    analyse.add_argument(
        "--dates", metavar="ORDER", help="day-first or month-first, where both are possible"
    )
    analyse.add_argument(
        "--rate", type=float, metavar="HZ", help="rows a second, where no column is the time"
    )
    analyse.add_argument(
        "--agree", action="store_true", help="take what is proposed for a table of another's"
    )
    analyse.set_defaults(run=_analyse)

    add_commands(commands)
    add_vehicle_commands(commands)
    add_job_commands(commands)

    demo = add_command(
        commands, "demo-files", "write the demo recordings into a folder", "nervus demo-files demo"
    )
    demo.add_argument("folder", type=Path)
    demo.add_argument("--replace", action="store_true", help="write over files that are there")
    demo.set_defaults(run=_write_demo)
    return parser


def _analyse(arguments: argparse.Namespace) -> int:
    from nervus.files import answer, plain_report  # noqa: PLC0415
    from nervus.judge.analyse import analyse  # noqa: PLC0415
    from nervus.knowledge import profile_named  # noqa: PLC0415
    from nervus.link.reading import recording_in, regular  # noqa: PLC0415
    from nervus.tables.wishes import read_wish  # noqa: PLC0415

    wish = read_wish(
        arguments.map,
        arguments.time_unit or "",
        arguments.dates or "",
        arguments.rate,
        agreed=arguments.agree,
    )
    profile = profile_named(arguments.profile) if arguments.profile else None
    with regular(arguments.file) as path:
        read = recording_in(path, wish)
    for remark in read.remarks:
        print(f"nervus: {remark}", file=sys.stderr)
    recording = read.recording
    assert recording is not None  # noqa: S101 - else it is refused above
    analysis = analyse(recording, profile)
    if arguments.json:
        plain = (sys.stdout.encoding or "").lower().replace("-", "") != "utf8"
        print(json.dumps(answer(analysis), ensure_ascii=plain, allow_nan=False))
    else:
        print(plain_report(recording.name, analysis))
    return USED


def _write_demo(arguments: argparse.Namespace) -> int:
    from nervus.standin.demo import write_demo  # noqa: PLC0415

    for path in write_demo(arguments.folder, replace=arguments.replace):
        print(path)
    return USED


def _open_window(arguments: argparse.Namespace) -> int:
    from nervus.window.display import check_display  # noqa: PLC0415

    check_display()
    from nervus.window.app import run  # noqa: PLC0415 - loads Qt

    return run(arguments.file, demo=arguments.demo, theme=arguments.theme)

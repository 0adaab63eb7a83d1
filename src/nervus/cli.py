"""The headless commands, and the door to the window.

Exit 0: done, whatever was found. Exit 1: done, and something is missing, which is named. Exit 2: the
input can't be used, told in one sentence on standard error. Exit 130: stopped by Ctrl C. Only the
command's own imports are loaded: a script that analyses never loads the window.
"""

import argparse
import gc
from collections.abc import Sequence
from pathlib import Path

from nervus import __version__
from nervus.analyse_command import add_analyse
from nervus.command_help import add_command
from nervus.job_commands import add_commands as add_job_commands
from nervus.judge_command import add_judge
from nervus.language import say
from nervus.live_commands import add_commands
from nervus.report_command import add_report
from nervus.vehicle_commands import add_commands as add_vehicle_commands
from nervus.world import USED, guarded


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command line; returns the exit code."""
    arguments = command_parser().parse_args(argv)
    return guarded(lambda: int(arguments.run(arguments)))


def command_parser() -> argparse.ArgumentParser:
    """All commands and their options: what `--help`, man pages and completions are made of."""
    parser = argparse.ArgumentParser(
        prog="nervus",
        description=say("Sensor, wiring or throttle body? Without a command the window opens."),
    )
    parser.add_argument(
        "--version", action="version", version=say("nervus {version}", version=__version__)
    )
    parser.set_defaults(run=_open_window, file=None, demo=None, theme=None)
    commands = parser.add_subparsers(metavar="COMMAND")

    window = add_command(
        commands, "window", say("open the window, with a recording or the demo"), "nervus window --demo"
    )
    window.add_argument("file", nargs="?", type=Path, help=say("a recording to open"))
    window.add_argument(
        "--demo",
        nargs="?",
        const="",
        metavar="CASE",
        help=say("open the demo's jobs, or one case of it"),
    )
    window.add_argument("--theme", choices=("bright", "dim"), help=say("instead of the remembered one"))
    window.set_defaults(run=_open_window)

    add_analyse(commands)
    add_commands(commands)
    add_vehicle_commands(commands)
    add_job_commands(commands)
    add_judge(commands)
    add_report(commands)

    demo = add_command(
        commands, "demo-files", say("write the demo recordings into a folder"), "nervus demo-files demo"
    )
    demo.add_argument("folder", type=Path)
    demo.add_argument("--replace", action="store_true", help=say("write over files that are there"))
    demo.set_defaults(run=_write_demo)
    return parser


def _write_demo(arguments: argparse.Namespace) -> int:
    from nervus.standin.demo import write_demo  # noqa: PLC0415

    for path in write_demo(arguments.folder, replace=arguments.replace):
        print(path)
    return USED


def _open_window(arguments: argparse.Namespace) -> int:
    from nervus.window.display import check_display  # noqa: PLC0415

    check_display()
    # What is loaded now stays: to look through it for what is gone takes a tenth of the start.
    gc.disable()
    try:
        from nervus.window.app import run  # noqa: PLC0415 - loads Qt

        return run(arguments.file, demo=arguments.demo, theme=arguments.theme)
    finally:
        gc.enable()

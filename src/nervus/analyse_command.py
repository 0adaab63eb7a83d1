"""The command that judges recordings: one, or many and whole folders, several at a time."""

import argparse
import json
import sys
import traceback
from collections.abc import Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nervus.command_help import MAPPING, PROFILES, add_command
from nervus.domain.errors import OutsideError
from nervus.language import say
from nervus.world import OF_THE_WORLD, UNUSABLE, USED, words_of

if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis

_STANDARD_INPUT = "-"


def add_analyse(commands: Any) -> None:
    """Add the command to the parser's."""
    analyse = add_command(
        commands,
        "analyse",
        say("judge recordings"),
        "nervus analyse drive.csv --profile electronic-opposite",
        PROFILES,
        MAPPING,
    )
    analyse.add_argument(
        "files",
        type=Path,
        nargs="+",
        metavar="FILE",
        help=say("recordings, or folders of them; - for standard input"),
    )
    analyse.add_argument("--profile", metavar="ID|FILE", help=say("what the throttle should do"))
    analyse.add_argument(
        "--json",
        action="store_true",
        help=say("one JSON object, for programs; of several files one a line"),
    )
    analyse.add_argument(
        "--jobs", type=_at_least_one, default=1, metavar="N", help=say("so many files at a time")
    )
    analyse.add_argument(
        "--map",
        action="append",
        default=[],
        metavar="NAME[UNIT]=ID",
        help=say("what a column is, and its unit if it is not written; NAME=- leaves it out"),
    )
    analyse.add_argument(
        "--time-unit", metavar="UNIT", help=say("of a time that is numbers: s, ms, µs, min, h, d")
    )
    analyse.add_argument(
        "--dates", metavar="ORDER", help=say("day-first or month-first, where both are possible")
    )
    analyse.add_argument(
        "--rate", type=float, metavar="HZ", help=say("rows a second, where no column is the time")
    )
    analyse.add_argument(
        "--agree", action="store_true", help=say("take what is proposed for a table of another's")
    )
    analyse.set_defaults(run=_run)


def _at_least_one(text: str) -> int:
    if not text.isdecimal() or int(text) < 1:
        raise argparse.ArgumentTypeError(
            say("{text!r}: a number of jobs is needed, at least 1", text=text)
        )
    return int(text)


def _run(arguments: argparse.Namespace) -> int:
    files: list[Path] = arguments.files
    if len(files) == 1 and not files[0].is_dir():
        name, analysis, remarks = _analysed(files[0], arguments)
        for remark in remarks:
            print(say("nervus: {remark}", remark=remark), file=sys.stderr)
        print(_as_json(analysis) if arguments.json else _as_report(name, analysis))
        return USED
    return _run_all(list(_each(files)), arguments)


def _each(files: Iterable[Path]) -> Iterator[Path]:
    """Every file that was named, and those in named folders, in the order of their names."""
    for path in files:
        if path.is_dir():
            inside = sorted(p for p in path.iterdir() if p.is_file() and not p.name.startswith("."))
            if not inside:
                raise OutsideError(say("{path}: there is no file in this folder.", path=path))
            yield from inside
        else:
            yield path


def _run_all(files: list[Path], arguments: argparse.Namespace) -> int:
    """Judge several files; a bad one stops no other, and is told at the end by the exit code."""
    if len(files) > 1 and _STANDARD_INPUT in map(str, files):
        raise OutsideError(say("standard input can't be one of several recordings."))
    failed = False
    for path, (told, wrong, remarks) in zip(files, _all(files, arguments), strict=True):
        failed |= bool(wrong)
        for remark in remarks:
            print(say("nervus: {path}: {remark}", path=path, remark=remark), file=sys.stderr)
        if arguments.json:
            print(told if told else json.dumps({"file": str(path), "error": wrong}), flush=True)
        elif wrong:
            print(say("nervus: {wrong}", wrong=wrong), file=sys.stderr, flush=True)
        else:
            print(f"{path}\n{told}\n", flush=True)
    return UNUSABLE if failed else USED


def _all(files: list[Path], arguments: argparse.Namespace) -> Iterator[tuple[str, str, tuple[str, ...]]]:
    many = [arguments] * len(files)
    if arguments.jobs == 1 or len(files) == 1:
        yield from map(_told, files, many)
        return
    try:
        with ProcessPoolExecutor(min(arguments.jobs, len(files))) as workers:
            yield from workers.map(_told, files, many)
    except BrokenProcessPool as wrong:
        raise OutsideError(
            say(
                "one of the jobs was ended from outside, perhaps for want of memory; what is "
                "not printed was not judged, and fewer --jobs may do."
            )
        ) from wrong


def _told(path: Path, arguments: argparse.Namespace) -> tuple[str, str, tuple[str, ...]]:
    """What a file shows, as it is printed, or else what is wrong with it; and how it was read."""
    try:
        name, analysis, remarks = _analysed(path, arguments)
        told = _as_json(analysis, str(path)) if arguments.json else _as_report(name, analysis)
    except OF_THE_WORLD as wrong:
        return "", words_of(wrong), ()
    except Exception as wrong:  # noqa: BLE001 - the last guard of many: a bug of ours stops no other
        traceback.print_exc()
        kind = f"{type(wrong).__name__}: {wrong}"
        fault = say(
            "{path}: Nervus failed at this recording by a fault of its own ({kind}); please report "
            "it with the file.",
            path=path,
            kind=kind,
        )
        return "", fault, ()
    return told, "", remarks


def _analysed(path: Path, arguments: argparse.Namespace) -> tuple[str, "Analysis", tuple[str, ...]]:
    """The recording's name, what it shows, and what is to be said of how it was read."""
    from nervus.judge.analyse import analyse  # noqa: PLC0415 - loaded when first needed: start-up
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
    with regular(path) as there:
        read = recording_in(there, wish)
    recording = read.recording
    assert recording is not None  # noqa: S101 - else it is refused above
    return recording.name, analyse(recording, profile), read.remarks


def _as_json(analysis: "Analysis", file: str = "") -> str:
    from nervus.files import answer  # noqa: PLC0415

    plain = (sys.stdout.encoding or "").lower().replace("-", "") != "utf8"
    row = {"file": file, **answer(analysis)} if file else answer(analysis)
    return json.dumps(row, ensure_ascii=plain, allow_nan=False)


def _as_report(name: str, analysis: "Analysis") -> str:
    from nervus.files import plain_report  # noqa: PLC0415

    return plain_report(name, analysis)

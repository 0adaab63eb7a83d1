"""The headless commands that talk to vehicles: record, simulate, stand-in."""

import argparse
import contextlib
import os
import re
import stat
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, TypeAlias

from nervus import command_help
from nervus.command_help import add_command
from nervus.domain.errors import OutsideError
from nervus.language import say
from nervus.vehicle_commands import bus_of

if TYPE_CHECKING:
    from nervus.link.capture import Trouble
    from nervus.link.source import Source
    from nervus.standin.vehicle import SimulatedVehicle

    # The library has no public name for it.
    Commands: TypeAlias = "argparse._SubParsersAction[argparse.ArgumentParser]"  # noqa: SLF001

_SECONDS = re.compile(r"(?P<number>[0-9]+(?:[.,][0-9]+)?)\s*(?P<unit>ms|s|min|h)?")
_PER_UNIT = {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3600.0, None: 1.0}


def add_commands(commands: "Commands") -> None:
    """Add these commands to the parser."""
    for command in (_add_record(commands), _add_journal(commands), _add_simulate(commands)):
        command.add_argument(
            "--replace", action="store_true", help=say("write over a file that is there")
        )
    _add_stand_in(commands)


def _add_record(commands: "Commands") -> argparse.ArgumentParser:
    record = add_command(
        commands, "record", say("record a vehicle's values into a file"),
        "nervus record --source simulated:open-signal2~shake --for 20s -o live.csv",
        f"{command_help.SOURCES}\n{command_help.METERS}", command_help.FAULTS,
    )  # fmt: skip
    record.add_argument(
        "--source",
        required=True,
        action="append",
        metavar="SOURCE",
        help=say("where it comes from; may be given several times"),
    )
    record.add_argument(
        "--for", dest="seconds", required=True, metavar="TIME", help=say("such as 60s, 5min")
    )
    record.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.csv")
    record.add_argument(
        "--unit", metavar="UNIT", help=say("which control unit: 0 to 7, 7E0, or 18DAxxF1")
    )
    record.set_defaults(run=_record)
    return record


def _add_journal(commands: "Commands") -> argparse.ArgumentParser:
    journal = add_command(
        commands, "journal", say("a table of a recording that was cut off"),
        "nervus journal drive.csv.nervus-journal -o drive.csv",
    )  # fmt: skip
    journal.add_argument("file", type=Path, metavar="FILE.nervus-journal")
    journal.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.csv")
    journal.set_defaults(run=_journal)
    return journal


def _add_simulate(commands: "Commands") -> argparse.ArgumentParser:
    simulate = add_command(
        commands, "simulate", say("record a simulated vehicle, as fast as it can"),
        "nervus simulate --fault open-signal2~shake --for 60s -o shaken.csv", command_help.FAULTS,
    )  # fmt: skip
    _add_vehicle(simulate)
    simulate.add_argument(
        "--for", dest="seconds", default="60s", metavar="TIME", help=say("such as 60s, 5min")
    )
    simulate.add_argument("--engine", action="store_true", help=say("with the engine running"))
    simulate.add_argument(
        "--rate", type=float, default=200.0, metavar="HZ", help=say("samples a second, 1 to 1000")
    )
    simulate.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.csv")
    simulate.set_defaults(run=_simulate)
    return simulate


def _add_stand_in(commands: "Commands") -> None:
    stand_in = add_command(
        commands, "stand-in", say("run a simulated vehicle that others can connect to"),
        "nervus stand-in --fault open-signal2~shake --probe signal2", command_help.FAULTS,
        command_help.PROBES,
    )  # fmt: skip
    _add_vehicle(stand_in)
    stand_in.add_argument("--probe", default="signal1", metavar="NODE", help=say("where the meter is"))
    stand_in.set_defaults(run=_stand_in)


def _add_vehicle(command: argparse.ArgumentParser) -> None:
    """What a simulated vehicle is, and what is wrong with it."""
    command.add_argument(
        "--fault", action="append", default=[], metavar="FAULT", help=say("may be given several times")
    )
    command.add_argument(
        "--kind", choices=("electronic", "cable"), default="electronic", help=say("of throttle")
    )
    command.add_argument("--seed", type=int, default=1, help=say("the same seed makes the same"))


def seconds_of(text: str) -> float:
    """Seconds as people write them: `60s`, `5 min`, `1,5 h`, `90`.

    Raises:
        OutsideError: it is no time.
    """
    found = _SECONDS.fullmatch(text.strip())
    seconds = float(found["number"].replace(",", ".")) * _PER_UNIT[found["unit"]] if found else 0.0
    if not 0.0 < seconds <= 86_400.0:
        raise OutsideError(
            say("“{text}” is no time; accepted is such as 60s, 5min or 1.5h, up to a day.", text=text)
        )
    return seconds


def _source_of(text: str, unit: int | None, held: contextlib.ExitStack) -> "Source":
    """A source by its name; what lives as long as it is used is held."""
    if text.startswith("meter:"):
        from nervus.link.instruments import MeterSource  # noqa: PLC0415

        where, _, channel = text.removeprefix("meter:").rpartition("=")
        return MeterSource(where, channel)
    from nervus.link.vehicle_source import VehicleSource  # noqa: PLC0415

    return VehicleSource(held.enter_context(bus_of(text)), unit)


def _record(arguments: argparse.Namespace) -> int:
    from nervus.files.journal import SUFFIX  # noqa: PLC0415
    from nervus.files.outputs import free_place  # noqa: PLC0415
    from nervus.link.addresses import read_unit  # noqa: PLC0415

    seconds = seconds_of(arguments.seconds)
    output = free_place(arguments.output, replace=arguments.replace)
    unit = read_unit(arguments.unit) if arguments.unit else None
    path = output.with_name(output.name + SUFFIX)
    if path.exists():
        raise OutsideError(
            say(
                "{path} holds a recording that was cut off; make a table of it with “nervus "
                "journal” or move it away first.",
                path=path,
            )
        )
    with contextlib.ExitStack() as held:
        sources = [_source_of(text, unit, held) for text in arguments.source]
        for source in sources:
            if hasattr(source, "doing"):
                source.doing = lambda what: print(f"{what} …", file=sys.stderr)
        _capture(sources, path, seconds)
    return _as_table(path, output, drop=True)


def _capture(sources: "list[Source]", path: Path, seconds: float) -> None:
    """Record for so long into a journal, or until somebody presses Ctrl C."""
    from nervus.files.journal import Journal  # noqa: PLC0415
    from nervus.link.capture import Capture  # noqa: PLC0415

    capture = Capture(sources, None, tell=_tell_trouble)
    capture.start()
    try:
        journal = Journal(path)
    except OSError as wrong:
        capture.stop()
        raise OutsideError(
            say("{path} can't be written: {strerror}.", path=path, strerror=wrong.strerror)
        ) from wrong
    capture.keep_with(journal)
    told: dict[str, float] = {}
    for source in sources:
        told |= getattr(source, "rates_hz", {})
    with contextlib.suppress(KeyboardInterrupt):
        print(
            say(
                "Recording for {seconds:g} s: {rates_text}",
                seconds=seconds,
                rates_text=rates_text(told),
            ),
            flush=True,
        )
        time.sleep(seconds)
    capture.stop()
    with contextlib.suppress(OSError):  # the disk's refusal was told when it came
        journal.close()


def _tell_trouble(trouble: "Trouble") -> None:
    print(
        say(
            "nervus: {time_s:.1f} s, {source} {text}",
            time_s=trouble.time_s,
            source=trouble.source,
            text=trouble.text,
        ),
        file=sys.stderr,
    )


def rates_text(rates: dict[str, float]) -> str:
    """How often each value comes, and what can't show between two."""
    if not rates:
        return say("as fast as it is told")
    fastest = sorted(rates.items(), key=lambda rate: -rate[1])
    listed = ", ".join(f"{channel} {rate:.3g}/s" for channel, rate in fastest)
    return say(
        "{listed}; what is over within {fastest:.2g} s may not show",
        listed=listed,
        fastest=1.0 / fastest[0][1],
    )


def _as_table(journal: Path, output: Path, *, drop: bool) -> int:
    """Write what a journal holds as a table; the journal goes only when that is there whole."""
    from nervus.files.journal import read_journal  # noqa: PLC0415
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415

    recording = read_journal(journal)
    try:
        write_recording(recording, output)
    except OSError as wrong:
        raise OutsideError(
            say(
                "{output} can't be written: {strerror}; the recording is kept in {journal}, "
                "make a table of it later with “nervus journal”.",
                output=output,
                strerror=wrong.strerror,
                journal=journal,
            )
        ) from wrong
    if drop:
        journal.unlink()
    samples = sum(c.samples for c in recording.channels)
    print(
        say(
            "{output}: {samples} samples, {duration_s:.1f} s",
            output=output,
            samples=samples,
            duration_s=recording.duration_s,
        )
    )
    for mark in recording.marks:
        if "damaged" in mark.text:
            print(
                say("nervus: at {time_s:.1f} s: {text}", time_s=mark.time_s, text=mark.text),
                file=sys.stderr,
            )
    return 0


def _journal(arguments: argparse.Namespace) -> int:
    from nervus.files.journal import in_use  # noqa: PLC0415
    from nervus.files.outputs import free_place  # noqa: PLC0415

    if not arguments.file.is_file():
        raise OutsideError(say("{file}: there is no such file.", file=arguments.file))
    free_place(arguments.output, replace=arguments.replace)
    if in_use(arguments.file):
        print(say("nervus: it is still being written; this is what it holds now."), file=sys.stderr)
    return _as_table(arguments.file, arguments.output, drop=False)


def _vehicle_of(arguments: argparse.Namespace) -> "SimulatedVehicle":
    from nervus.domain.profile import ThrottleKind  # noqa: PLC0415
    from nervus.standin.planting import read_fault  # noqa: PLC0415
    from nervus.standin.vehicle import SimulatedVehicle  # noqa: PLC0415

    kind = ThrottleKind(arguments.kind)
    tracks = 2 if kind is ThrottleKind.ELECTRONIC else 1
    faults = tuple(read_fault(text, tracks) for text in arguments.fault)
    return SimulatedVehicle(kind, faults, arguments.seed)


def _simulate(arguments: argparse.Namespace) -> int:
    from nervus.files.outputs import free_place  # noqa: PLC0415
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415
    from nervus.standin.runs import record_run  # noqa: PLC0415

    if not 1.0 <= arguments.rate <= 1000.0:
        raise OutsideError(
            say("--rate {rate:g}: accepted is 1 to 1000 samples a second.", rate=arguments.rate)
        )
    output = free_place(arguments.output, replace=arguments.replace)
    vehicle, seconds = _vehicle_of(arguments), seconds_of(arguments.seconds)
    if arguments.engine:
        vehicle.start_engine()
        vehicle.advance(3.0)
    recording = record_run(
        vehicle, seconds, rate_hz=arguments.rate, seed=arguments.seed, name=output.name
    )
    write_recording(recording, output)
    codes = ", ".join(str(c) for c in vehicle.unit.memory.stored) or say("no codes")
    print(
        say(
            "{output}: {duration_s:.1f} s; stored in the control unit: {codes}",
            output=output,
            duration_s=recording.duration_s,
            codes=codes,
        )
    )
    return 0


def _stand_in(arguments: argparse.Namespace) -> int:
    from nervus.link.loopback_bus import HOST  # noqa: PLC0415
    from nervus.standin.instrument import InstrumentServer  # noqa: PLC0415
    from nervus.standin.vehicle_server import VehicleServer  # noqa: PLC0415

    vehicle, probe = _vehicle_of(arguments), arguments.probe
    if probe not in vehicle.pins():
        raise OutsideError(
            say(
                "--probe {probe}: accepted is one of {join}.",
                probe=probe,
                join=", ".join(vehicle.pins()),
            )
        )
    with VehicleServer(vehicle) as server, InstrumentServer(vehicle, server.lock, probe) as instruments:
        print(f"standin:{server.port} {HOST}:{instruments.port}", flush=True)
        _wait_for_the_end()
    return 0


def _wait_for_the_end() -> None:
    """Until whoever started it lets go of our input, or somebody presses Ctrl D or Ctrl C.

    Where there is no input to hold, as in a service, only a signal ends it.
    """
    try:
        kind = os.fstat(sys.stdin.fileno()).st_mode
    except (AttributeError, OSError, ValueError):
        kind = 0
    if sys.stdin is not None and (stat.S_ISFIFO(kind) or stat.S_ISSOCK(kind) or sys.stdin.isatty()):
        sys.stdin.read()
        return
    while True:
        time.sleep(3600.0)

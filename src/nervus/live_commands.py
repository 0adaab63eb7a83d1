"""The headless commands that talk to vehicles: record, codes, simulate, stand-in."""

import argparse
import contextlib
import re
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from nervus.domain.errors import OutsideError

if TYPE_CHECKING:
    from nervus.link.source import Source
    from nervus.standin.vehicle import SimulatedVehicle

_SECONDS = re.compile(r"(?P<number>[0-9]+(?:[.,][0-9]+)?)\s*(?P<unit>ms|s|min|h)?")
_PER_UNIT = {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3600.0, None: 1.0}
_SOURCES = "simulated, simulated:FAULT, standin:PORT or socketcan:NAME"


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add these commands to the parser."""
    record = commands.add_parser("record", help="record a vehicle's values into a file")
    record.add_argument(
        "--source",
        required=True,
        action="append",
        metavar="SOURCE",
        help=f"{_SOURCES}, or meter:HOST:PORT=CHANNEL; may be given several times",
    )
    record.add_argument("--for", dest="seconds", required=True, metavar="TIME", help="such as 60s, 5min")
    record.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.csv")
    record.set_defaults(run=_record)

    codes = commands.add_parser("codes", help="read the trouble codes of all control units")
    codes.add_argument("--source", required=True, metavar="SOURCE", help=_SOURCES)
    codes.set_defaults(run=_codes)

    simulate = commands.add_parser("simulate", help="record a simulated vehicle, as fast as it can")
    simulate.add_argument("--fault", action="append", default=[], metavar="FAULT")
    simulate.add_argument("--for", dest="seconds", default="60s", metavar="TIME")
    simulate.add_argument("--kind", choices=("electronic", "cable"), default="electronic")
    simulate.add_argument("--engine", action="store_true", help="with the engine running")
    simulate.add_argument("--rate", type=float, default=200.0, metavar="HZ")
    simulate.add_argument("--seed", type=int, default=1)
    simulate.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.csv")
    simulate.set_defaults(run=_simulate)

    stand_in = commands.add_parser("stand-in", help="run a simulated vehicle that others can connect to")
    stand_in.add_argument("--fault", action="append", default=[], metavar="FAULT")
    stand_in.add_argument("--kind", choices=("electronic", "cable"), default="electronic")
    stand_in.add_argument("--seed", type=int, default=1)
    stand_in.add_argument("--probe", default="signal1", metavar="NODE", help="where the meter is")
    stand_in.set_defaults(run=_stand_in)


def seconds_of(text: str) -> float:
    """Seconds as people write them: `60s`, `5 min`, `1,5 h`, `90`.

    Raises:
        OutsideError: it is no time.
    """
    found = _SECONDS.fullmatch(text.strip())
    seconds = float(found["number"].replace(",", ".")) * _PER_UNIT[found["unit"]] if found else 0.0
    if not 0.0 < seconds <= 86_400.0:
        raise OutsideError(f"“{text}” is no time; accepted is such as 60s, 5min or 1.5h, up to a day.")
    return seconds


@contextlib.contextmanager
def _bus_of(source: str) -> Iterator[str]:
    """The bus that a source stands for; a simulated vehicle lives for as long as it is used."""
    kind, _, fault = source.partition(":")
    if kind != "simulated":
        yield source
        return
    from nervus.standin.planting import read_fault  # noqa: PLC0415 - for stand-ins only
    from nervus.standin.vehicle import SimulatedVehicle  # noqa: PLC0415
    from nervus.standin.vehicle_server import VehicleServer, self_driving  # noqa: PLC0415

    vehicle = SimulatedVehicle(faults=(read_fault(fault),) if fault else ())
    with VehicleServer(vehicle) as server, self_driving(server):
        yield f"standin:{server.port}"


def _source_of(text: str, held: contextlib.ExitStack) -> "Source":
    """A source by its name; what lives as long as it is used is held."""
    if text.startswith("meter:"):
        from nervus.link.instruments import MeterSource  # noqa: PLC0415

        where, _, channel = text.removeprefix("meter:").rpartition("=")
        return MeterSource(where, channel)
    from nervus.link.vehicle_source import VehicleSource  # noqa: PLC0415

    return VehicleSource(held.enter_context(_bus_of(text)))


def _record(arguments: argparse.Namespace) -> int:
    from nervus.files.journal import SUFFIX, Journal, read_journal  # noqa: PLC0415
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415
    from nervus.link.capture import Capture, Trouble  # noqa: PLC0415

    seconds, output = seconds_of(arguments.seconds), Path(arguments.output)
    if not output.parent.is_dir():
        raise OutsideError(f"{output.parent} is no folder; the recording would be lost.")
    path = output.with_name(output.name + SUFFIX)
    if path.exists():
        raise OutsideError(f"{path} holds a recording that was cut off; move it away or open it first.")

    def tell(trouble: Trouble) -> None:
        print(f"nervus: {trouble.time_s:.1f} s, {trouble.source} {trouble.text}", file=sys.stderr)

    with contextlib.ExitStack() as held:
        sources = [_source_of(text, held) for text in arguments.source]
        capture = Capture(sources, None, tell=tell)
        capture.start()
        journal = Journal(path)
        capture.keep_with(journal)
        told: dict[str, float] = {}
        for source in sources:
            told |= getattr(source, "rates_hz", {})
        fastest = sorted(told.items(), key=lambda rate: -rate[1])
        rates = ", ".join(f"{channel} {rate:.0f}/s" for channel, rate in fastest)
        print(f"Recording for {seconds:g} s: {rates}")
        with contextlib.suppress(KeyboardInterrupt):
            time.sleep(seconds)
        capture.stop()
        journal.close()
    recording = read_journal(path)
    write_recording(recording, output)
    path.unlink()
    print(
        f"{output}: {sum(c.samples for c in recording.channels)} samples, {recording.duration_s:.1f} s"
    )
    return 0


def _codes(arguments: argparse.Namespace) -> int:
    from nervus.judge.story import story_of  # noqa: PLC0415
    from nervus.link.buses import open_bus  # noqa: PLC0415
    from nervus.link.diagnostics import Diagnostics  # noqa: PLC0415
    from nervus.link.transport import Transport  # noqa: PLC0415

    with _bus_of(arguments.source) as where:
        bus = open_bus(where)
        try:
            diagnostics = Diagnostics(Transport(bus))
            units = diagnostics.units()
            found = diagnostics.codes()
            frames = diagnostics.freeze_frames()
        finally:
            bus.shutdown()
    if not units and not found:
        raise OutsideError("No control unit answers; is the key on?")
    for read in found:
        status = f", status {read.status.byte:02X}" if read.status is not None else ""
        print(f"unit {read.unit}  {read.code!s:<9} {' '.join(read.kinds)}{status}")
    print(story_of(read.code for read in found).text if found else "No codes.")
    for frame in frames:
        values = ", ".join(f"{c} {v:.4g}" for c, v in frame.values.items())
        print(f"frozen by {frame.code} in unit {frame.unit}: {values}")
    return 0


def _vehicle_of(arguments: argparse.Namespace) -> "SimulatedVehicle":
    from nervus.domain.profile import ThrottleKind  # noqa: PLC0415
    from nervus.standin.planting import read_fault  # noqa: PLC0415
    from nervus.standin.vehicle import SimulatedVehicle  # noqa: PLC0415

    kind = ThrottleKind(arguments.kind)
    tracks = 2 if kind is ThrottleKind.ELECTRONIC else 1
    faults = tuple(read_fault(text, tracks) for text in arguments.fault)
    return SimulatedVehicle(kind, faults, arguments.seed)


def _simulate(arguments: argparse.Namespace) -> int:
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415
    from nervus.standin.runs import record_run  # noqa: PLC0415

    if not 1.0 <= arguments.rate <= 1000.0:
        raise OutsideError(f"--rate {arguments.rate:g}: accepted is 1 to 1000 samples a second.")
    vehicle, seconds = _vehicle_of(arguments), seconds_of(arguments.seconds)
    if arguments.engine:
        vehicle.start_engine()
        vehicle.advance(3.0)
    output = arguments.output
    recording = record_run(
        vehicle, seconds, rate_hz=arguments.rate, seed=arguments.seed, name=output.name
    )
    write_recording(recording, output)
    codes = ", ".join(str(c) for c in vehicle.unit.memory.stored) or "no codes"
    print(f"{output}: {recording.duration_s:.1f} s; stored in the control unit: {codes}")
    return 0


def _stand_in(arguments: argparse.Namespace) -> int:
    from nervus.link.loopback_bus import HOST  # noqa: PLC0415
    from nervus.standin.instrument import InstrumentServer  # noqa: PLC0415
    from nervus.standin.vehicle_server import VehicleServer  # noqa: PLC0415

    vehicle, probe = _vehicle_of(arguments), arguments.probe
    if probe not in vehicle.pins():
        raise OutsideError(f"--probe {probe}: accepted is one of {', '.join(vehicle.pins())}.")
    with VehicleServer(vehicle) as server, InstrumentServer(vehicle, server.lock, probe) as instruments:
        print(f"standin:{server.port} {HOST}:{instruments.port}", flush=True)
        # Ends with whoever started it: they hold the other end of our input.
        sys.stdin.read()
    return 0

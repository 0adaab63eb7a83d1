"""The headless commands that ask a vehicle's control units about codes, or tell them something.

Exit 0: told whole, whatever was found. Exit 1: something that could hold a code was not told; it is
named. Exit 2: nothing could be asked, or nothing was sent; one sentence says why.
"""

import argparse
import contextlib
import sys
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from nervus import command_help
from nervus.command_help import add_command
from nervus.domain.errors import OutsideError
from nervus.language import say

if TYPE_CHECKING:
    from nervus.link.diagnostics import CodesRead, Diagnostics

SOURCES = say("simulated, simulated:FAULT, standin:PORT, socketcan:NAME, serial:DEVICE or tcp:HOST:PORT")
_INCOMPLETE = 1
_CLEAR = say(
    "Clear the codes of all control units? What they know of the fault is gone "
    "then, freeze frames and readiness too. Key on, engine off. The maker's "
    "procedure comes first."
)
_LEARN = say(
    "Let the control unit learn the closed stop? The motor drives the plate: "
    "fingers, tools and cloths away from the throttle. Key on, engine off. The "
    "maker's procedure comes first."
)


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add these commands to the parser."""
    codes = add_command(
        commands, "codes", say("read the trouble codes of all control units"),
        "nervus codes --source socketcan:can0", command_help.SOURCES,
    )  # fmt: skip
    codes.set_defaults(run=_codes)
    clear = add_command(
        commands, "clear-codes", say("clear all trouble codes; engine off, after a plain yes"),
        "nervus clear-codes --source serial:/dev/rfcomm0", command_help.SOURCES,
    )  # fmt: skip
    clear.set_defaults(run=_clear)
    learn = add_command(
        commands, "learn-closed", say("let a unit learn the closed stop; engine off"),
        "nervus learn-closed --source socketcan:can0", command_help.SOURCES,
    )  # fmt: skip
    learn.add_argument(
        "--unit", default="0", metavar="UNIT", help=say("0 to 7, 7E0 to 7E7, or 18DAxxF1")
    )
    learn.set_defaults(run=_learn)
    for command in (codes, clear, learn):
        command.add_argument("--source", required=True, metavar="SOURCE", help=SOURCES)
    for command in (clear, learn):
        command.add_argument(
            "--yes",
            action="store_true",
            help=say("the plain yes beforehand; a running engine is refused all the same"),
        )


@contextlib.contextmanager
def bus_of(source: str) -> Iterator[str]:
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


@contextlib.contextmanager
def _connected(source: str) -> "Iterator[Diagnostics]":
    from nervus.link.buses import open_transport  # noqa: PLC0415 - loads the bus library
    from nervus.link.diagnostics import Diagnostics  # noqa: PLC0415

    with bus_of(source) as where:
        transport = open_transport(where)
        try:
            yield Diagnostics(transport)
        finally:
            transport.close()


def _codes(arguments: argparse.Namespace) -> int:
    with _connected(arguments.source) as diagnostics:
        read = diagnostics.codes()
        if not read.units:
            raise OutsideError(diagnostics.transport.silence())
        frames = diagnostics.freeze_frames()
        identity = {unit: diagnostics.identity(unit) for unit in read.units}
    _print_codes(read)
    for frame in frames:
        values = ", ".join(f"{c} {v:.4g}" for c, v in frame.values.items())
        print(
            say(
                "frozen by {code} in unit {unit}: {values}",
                code=frame.code,
                unit=frame.unit,
                values=values,
            )
        )
    for unit, known in identity.items():
        if known:
            print(say("unit {unit} is {join}", unit=unit, join=", ".join(known.values())))
    return _INCOMPLETE if read.missing else 0


def _print_codes(read: "CodesRead") -> None:
    from nervus.judge.story import story_of  # noqa: PLC0415
    from nervus.link.addresses import name_of  # noqa: PLC0415

    for code in read.codes:
        status = say(", status {byte:02X}", byte=code.status.byte) if code.status is not None else ""
        unit = name_of(code.unit).removeprefix("control ")
        print(f"{unit}  {code.code!s:<9} {' '.join(code.kinds)}{status}")
    if read.codes:
        print(story_of(code.code for code in read.codes).text)
    if read.missing or not read.codes:
        print(read.text)


def _clear(arguments: argparse.Namespace) -> int:
    from nervus.link.writing import Writing  # noqa: PLC0415

    with _connected(arguments.source) as diagnostics:
        _print_codes(diagnostics.codes())
        written = Writing(diagnostics.transport).clear_codes(_yes(arguments, _CLEAR))
    print(written.text)
    # A unit that has no such service has nothing to clear by it.
    settled = all(o.is_told or o.is_not_offered for o in written.outcomes.values())
    return 0 if written.done and settled else _INCOMPLETE


def _learn(arguments: argparse.Namespace) -> int:
    from nervus.link.addresses import read_unit  # noqa: PLC0415
    from nervus.link.writing import Writing  # noqa: PLC0415

    unit = read_unit(arguments.unit)
    with _connected(arguments.source) as diagnostics:
        done = Writing(diagnostics.transport).learn_closed(unit, _yes(arguments, _LEARN))
    print(
        say("It has learned the closed stop. Key off now, to store it.")
        if done
        else say("Nothing was sent.")
    )
    return 0 if done else _INCOMPLETE


def _yes(arguments: argparse.Namespace, question: str) -> Callable[[], bool]:
    """Asks for a plain yes; no terminal, no answer and anything else are a no."""

    def confirmed() -> bool:
        if arguments.yes:
            return True
        print(say("{question}\nType yes to go on: ", question=question), end="", flush=True)
        return sys.stdin.readline().strip().casefold() == "yes"

    return confirmed

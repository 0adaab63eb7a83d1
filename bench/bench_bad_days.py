"""Ten thousand bad days of a vehicle: is anything unsafe, untold, lost, or late?

The vehicle is the tests' second one (`tests/plain_vehicle.py`), written from the standards without the
transport library that Nervus uses, on a clock that jumps. Every scenario draws units, what they hold
and how they misbehave from its seed. Counted are: writes that reached a unit while an engine ran or
could not be asked; "no codes" where a unit that was heard had one; codes that were neither told nor
named as missing; questions that took longer than their cap; anything raised that is no sentence.

    bench/bench_bad_days.py [--scenarios 10000] [--first 0]
"""

import argparse
import random
import sys
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from nervus.domain.errors import OutsideError
from nervus.link.addresses import name_of
from nervus.link.can_transport import CanTransport
from nervus.link.diagnostics import Diagnostics
from nervus.link.errors import NotNow
from nervus.link.writing import Writing
from plain_vehicle import Jumping, PlainVehicle, Unit, random_unit

# Reading all codes may take this long at the worst: every service of every unit waits once to its cap.
_READ_CAP_S, _WRITE_CAP_S = 240.0, 180.0


@dataclass
class Tally:
    """What was counted, and the seeds of what went wrong."""

    counts: Counter[str] = field(default_factory=Counter)
    wrong: list[tuple[int, str]] = field(default_factory=list)
    longest_s: float = 0.0

    def blame(self, seed: int, what: str) -> None:
        """Something that must not be."""
        self.counts[what] += 1
        self.wrong.append((seed, what))


def main() -> int:
    """Run all scenarios and print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scenarios", type=int, default=10_000)
    parser.add_argument("--first", type=int, default=0)
    wanted = parser.parse_args()
    tally = Tally()
    for seed in range(wanted.first, wanted.first + wanted.scenarios):
        scenario(seed, tally)
    print(f"{wanted.scenarios} scenarios, longest question {tally.longest_s:.0f} s of its time")
    for name in sorted(tally.counts):
        print(f"  {name}: {tally.counts[name]}")
    for seed, what in tally.wrong[:20]:
        print(f"  seed {seed}: {what}")
    print("nothing unsafe, untold, lost or late" if not tally.wrong else f"{len(tally.wrong)} WRONG")
    return bool(tally.wrong)


def scenario(seed: int, tally: Tally) -> None:
    """One day."""
    draw = random.Random(seed)  # noqa: S311 - no secret
    narrow = draw.sample(range(8), draw.choice([0, 1, 1, 2, 3]))
    wide = draw.sample([0x10, 0x11, 0x18, 0x28], draw.choice([0, 0, 0, 1, 2]))
    units = [random_unit(draw, n, wide=False) for n in narrow]
    units += [random_unit(draw, n, wide=True) for n in wide]
    clock = Jumping()
    bus = PlainVehicle(units, clock)
    bus.foreign_per_s = draw.choice([0.0, 0.0, 50.0, 400.0])
    with clock.instead_of_time():
        transport = CanTransport(bus)
        if draw.random() < 0.5:
            _read(seed, tally, clock, units, transport)
        else:
            _write(seed, draw, tally, clock, units, transport)


def _read(seed: int, tally: Tally, clock: Jumping, units: list[Unit], transport: CanTransport) -> None:
    tally.counts["codes read"] += 1
    began, clock.end = clock.now, clock.now + _READ_CAP_S
    try:
        found = Diagnostics(transport).codes()
    except OutsideError as wrong:
        tally.counts["told in a sentence"] += 1
        if "\n" in str(wrong):
            tally.blame(seed, "a sentence of several lines")
        return
    except Exception as wrong:  # noqa: BLE001 - what is looked for
        tally.blame(seed, f"raised {type(wrong).__name__}: {wrong}")
        return
    tally.longest_s = max(tally.longest_s, clock.now - began)
    told = {(code.unit, code.code.number) for code in found.codes}
    held = {_as_numbered(u): u.every_code() for u in units}
    lost = {(n, c) for n, codes in held.items() for c in codes if (n, c) not in told}
    heard_lost = {n for n, _ in lost if n in found.units}
    if any(name_in(n, found.missing) is False for n in heard_lost):
        tally.blame(seed, "a code dropped untold")
    if found.surely_none and any(held[n] for n in found.units if n in held):
        tally.blame(seed, "a false “no codes”")
    if found.surely_none:
        tally.counts["no codes, surely"] += 1
    elif not found.codes:
        tally.counts["no codes told, and what is missing"] += 1


def name_in(unit: int, missing: tuple[str, ...]) -> bool:
    """Whether something of a unit is named as missing."""
    return any(text.startswith(name_of(unit)) for text in missing)


def _as_numbered(unit: Unit) -> int:
    return 0x100 + unit.number if unit.wide else unit.number


def _write(
    seed: int,
    draw: random.Random,
    tally: Tally,
    clock: Jumping,
    units: list[Unit],
    transport: CanTransport,
) -> None:
    rpm = _start(draw, units)
    learn = draw.random() < 0.3
    tally.counts["learn" if learn else "clear"] += 1
    began, clock.end = clock.now, clock.now + _WRITE_CAP_S
    writing = Writing(transport)
    try:
        if learn:
            writing.learn_closed(_as_numbered(units[0]) if units else 0, lambda: True)
        else:
            said = writing.clear_codes(lambda: True)
            done = {_as_numbered(u) for u in units if any(s == 0x04 for s, _ in u.written)}
            if done and not said.outcomes:
                tally.blame(seed, "told as nothing sent, and something was")
            tally.counts["cleared"] += bool(said.done)
    except NotNow:
        tally.counts["not now"] += 1
    except OutsideError:
        tally.counts["told in a sentence"] += 1
    except Exception as wrong:  # noqa: BLE001 - what is looked for
        tally.blame(seed, f"raised {type(wrong).__name__}: {wrong}")
    tally.longest_s = max(tally.longest_s, clock.now - began)
    _look_at_writes(seed, tally, units, rpm)


def _start(draw: random.Random, units: list[Unit]) -> float:
    """Draw how fast the engine turns, who knows it and who does not say so; returns its speed."""
    rpm = draw.choice([0.0, 0.0, 780.0, 1726.0, 0.25])
    for number, unit in enumerate(units):
        knows = number == 0 or draw.random() < 0.3
        unit.rpm = rpm if knows else None
        habit = draw.random()
        if knows and habit < 0.2:
            unit.silent |= {0x0C}
        elif knows and habit < 0.4:
            unit.refuses[0x0C] = draw.choice([0x21, 0x22, 0x31])
        elif knows and habit < 0.5:
            unit.waits[0x0C] = (1, draw.choice([0.7, 4.0, 6.0]))
    return rpm


def _look_at_writes(seed: int, tally: Tally, units: list[Unit], rpm: float) -> None:
    wrote = any(unit.written for unit in units)
    knowing = [u for u in units if u.rpm is not None]
    if wrote and rpm > 0.0:
        tally.blame(seed, "written while the engine ran")
    if wrote and not any(_can_tell(u) for u in knowing):
        tally.blame(seed, "written though nobody could tell engine speed")
    if not wrote and rpm == 0.0 and knowing and all(_is_plain(u) for u in units):
        tally.blame(seed, "not written though all could be known")


def _can_tell(unit: Unit) -> bool:
    return not ({0x0C, 0x01} & unit.silent) and not ({0x0C, 0x01} & set(unit.refuses))


def _is_plain(unit: Unit) -> bool:
    usual = not unit.silent and not unit.refuses and not unit.waits and not unit.loses_last
    return usual and unit.busy_s == 0.0 and unit.off == (0.0, 0.0) and unit.after_s < 0.5


if __name__ == "__main__":
    sys.exit(main())

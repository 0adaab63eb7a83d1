"""Plugs drawn by chance, measured with a meter's errors: is what is solved true, and as sure as it says?

Run: `.venv/bin/python bench/bench_pins.py [tables] [seed]`. Plugs of 3 to 8 pins, each pin a source
behind a resistance, solved here by hand (the meter between two sources), not by the product. Each
reading is off by an even error within the meter's accuracy, and written with two decimals; one table in
three has one reading that is wrong by more than three times the accuracy.
"""

import sys
import time
from collections import Counter
from itertools import combinations

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.plug import PinRole
from nervus.domain.profile import ThrottleKind
from nervus.judge.plug_told import OFFERED
from nervus.pins.meter import Meter
from nervus.pins.roles import guess_roles
from nervus.pins.situation import Situation
from nervus.pins.solving import SolvedPin, SolvedPlug, solve_plug
from nervus.pins.taken import BATTERY, Taken

METER = Meter()
# Where a wrong reading can be told from a weak pin: so many readings of a plug.
_REDUNDANT = 10
# Ohms from which a pin floats, and from which it is weak.
_FLOATS, _WEAK = 9e8, 1e5


def plug(random: np.random.Generator) -> tuple[FloatArray, FloatArray]:
    """Sources in volts and resistances in ohms of 3 to 8 pins."""
    n = int(random.integers(3, 9))
    kinds = random.choice(
        ["ground", "five", "battery", "between", "pulled", "floating"],
        n,
        p=[0.22, 0.2, 0.1, 0.2, 0.2, 0.08],
    )
    kinds[random.permutation(n)[:2]] = ["ground", "five"]
    battery = random.uniform(11.8, 14.6)
    volts, ohms = np.zeros(n), np.zeros(n)
    for i, kind in enumerate(kinds):
        ohms[i] = np.exp(random.uniform(np.log(0.05), np.log(3_000.0)))
        if kind == "ground":
            volts[i], ohms[i] = random.uniform(0.0, 0.05), 0.1
        elif kind == "five":
            volts[i], ohms[i] = random.normal(5.0, 0.04), 0.5
        elif kind == "battery":
            volts[i] = battery
        elif kind == "between":
            volts[i] = random.uniform(0.3, 4.8)
        elif kind == "pulled":
            volts[i] = random.choice([0.0, 5.0, battery])
            ohms[i] = np.exp(random.uniform(np.log(2e5), np.log(8e6)))
        else:
            ohms[i] = np.exp(random.uniform(np.log(1e9), np.log(2e10)))
    return volts, ohms


def table(
    random: np.random.Generator, volts: FloatArray, ohms: FloatArray, *, grounded: bool, signed: bool
) -> tuple[list[Taken], int | None, float]:
    """All pairs, and each pin against battery negative where wanted; the wrong one's number or None."""
    ends = [(i, j) for i, j in combinations(range(len(volts)), 2)]
    if grounded:
        ends += [(-1, j) for j in range(len(volts))]
    rows, true, times = [], [], 0.0
    for black, red in ends:
        below, under = (volts[black], ohms[black]) if black >= 0 else (0.0, 0.0)
        shown = (volts[red] - below) * METER.ohms / (METER.ohms + ohms[red] + under)
        true.append(shown)
    wrong = int(random.integers(len(ends))) if random.random() < 1 / 3 else None
    for k, (black, red) in enumerate(ends):
        off = random.uniform(-1.0, 1.0) * METER.accuracy(true[k])
        if k == wrong:
            # “Nothing” is as good as 0.05 V.
            low = max(3.0 * METER.accuracy(true[k]) + 0.01, 0.16 if abs(true[k]) < 0.2 else 0.0)
            off += random.choice([-1.0, 1.0]) * low * (10.0 / low) ** random.random()
            if not signed and abs(abs(true[k] + off) - abs(true[k])) < low:
                off = np.sign(true[k] or 1.0) * (abs(off) + low)
            times = off / METER.accuracy(true[k])
        shown = round(float(true[k] + off), 2)
        nothing = abs(shown) < 0.03
        if k == wrong and abs(abs(shown) - abs(true[k])) < low - 0.03 and not (signed and not nothing):
            wrong = None  # what was written is no more wrong than the meter allows
        rows.append(
            Taken(
                str(red),
                str(black) if black >= 0 else BATTERY,
                0.0 if nothing else shown if signed else abs(shown),
                signed,
                nothing,
            )
        )
    return rows, wrong, times


_CLOSED = Situation("key on", "plug on", "throttle closed")
_OPEN = Situation("key on", "plug on", "throttle wide open")
_OFF = Situation("key on", "plug off", "throttle closed")


def _all_pairs(random: np.random.Generator, e: FloatArray, behind: FloatArray) -> list[Taken]:
    """Each pin to battery negative and to each other, within the meter's accuracy."""
    rows = []
    for black, red in [(-1, k) for k in range(len(e))] + list(combinations(range(len(e)), 2)):
        below, under = (e[black], behind[black]) if black >= 0 else (0.0, 0.0)
        shown = (e[red] - below) * METER.ohms / (METER.ohms + behind[red] + under)
        shown = round(float(shown + random.uniform(-1, 1) * METER.accuracy(shown)), 2)
        label = str(black) if black >= 0 else BATTERY
        rows.append(Taken(str(red), label, shown, nothing=abs(shown) < 0.005))
    return rows


def roles(count: int, seed: int) -> None:
    """Plugs of both kinds of throttle, all pairs, at both stops and with the plug off."""
    random, right, told, told_right, of = np.random.default_rng(seed), 0, 0, 0, 0
    for number in range(count):
        cable = number % 2 == 0
        kind = ThrottleKind.CABLE if cable else ThrottleKind.ELECTRONIC
        names = [PinRole.SUPPLY, PinRole.GROUND, PinRole.SIGNAL_1]
        if not cable:
            names += [PinRole.SIGNAL_1, PinRole.MOTOR_PLUS, PinRole.MOTOR_PLUS]
        names += [PinRole.UNUSED] * int(random.integers(0, 2))
        order = random.permutation(len(names))
        supply, first = random.normal(5.0, 0.04), random.uniform(0.4, 0.9)
        seconds = (
            (supply - first, supply - random.uniform(3.9, 4.6))
            if random.random() < 0.6
            else (first / 2, random.uniform(1.9, 2.3))
        )
        pulls = random.choice([0.0, supply], 2), np.exp(random.uniform(np.log(5e4), np.log(1e6), 2))
        opened, driver = random.uniform(3.9, 4.6), float(random.uniform(8e5, 3e6))
        solved = {}
        for situation in (_CLOSED, _OPEN, _OFF):
            made, signal = [], 0
            for at in order:
                role, r = names[at], 0.0
                volts = supply if role is PinRole.SUPPLY else 0.0
                if role is PinRole.SIGNAL_1:
                    if situation is _OFF:
                        volts, r = float(pulls[0][signal]), float(pulls[1][signal])
                    else:
                        wide = situation is _OPEN
                        volts = seconds[wide] if signal else opened if wide else first
                    signal += 1
                elif role is PinRole.MOTOR_PLUS:
                    r = driver
                elif role is PinRole.UNUSED:
                    r = 5e9
                made.append((volts, r))
            rows = _all_pairs(random, *(np.asarray(column) for column in zip(*made, strict=True)))
            solved[situation] = solve_plug(rows, METER)
        guessed = guess_roles(solved, kind)
        for place, at in enumerate(order):
            guess = guessed[str(place)]
            yes = guess.role is names[at]
            of, right = of + 1, right + yes
            told, told_right = (
                told + (guess.chance >= OFFERED),
                told_right + (yes and guess.chance >= OFFERED),
            )
    print(f"roles: right {right / of:.4f} of {of} pins")
    print(f"roles: offered {told / of:.3f}, of those right {told_right / told:.4f}")


def main() -> None:
    """Play the tables and print what came out."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    random = np.random.default_rng(int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    judge = Judge()
    took = []
    for _ in range(count):
        volts, ohms = plug(random)
        grounded, signed = random.random() < 0.5, random.random() < 0.6
        rows, wrong, times = table(random, volts, ohms, grounded=grounded, signed=signed)
        began = time.perf_counter()
        solved = solve_plug(rows, METER)
        took.append(time.perf_counter() - began)
        name = ("signed" if signed else "unsigned") + (" grounded" if grounded else " pairs")
        judge.of_readings(solved, wrong, times, name)
        judge.of_pins(solved, volts, ohms, name)
    got = judge.got
    for key in sorted({k.rsplit("|", 1)[0] for k in got}):
        of = got[f"{key}|of"]
        print(f"{key:60s} {got[f'{key}|yes'] / max(of, 1):.4f} of {of}")
    roles(max(200, count // 5), 7)
    print(f"ms: median {1e3 * np.median(took):.1f}, 95 in 100 under {1e3 * np.quantile(took, 0.95):.1f}")


class Judge:
    """Counts what is true of a solved table."""

    def __init__(self) -> None:
        self.got: Counter[str] = Counter()

    def count(self, key: str, *, yes: bool) -> None:
        """One more of a kind, and whether it was so."""
        self.got[f"{key}|of"] += 1
        self.got[f"{key}|yes"] += bool(yes)

    def of_readings(self, solved: SolvedPlug, wrong: int | None, times: float, name: str) -> None:
        """Who was accused."""
        named = {d.reading for d in solved.doubts}
        if wrong is None:
            self.count("sound: none accused", yes=not named)
            self.count(f"sound: none accused, {name}", yes=not named)
        elif len(solved.expected) >= _REDUNDANT:
            size = next(s for s in (5, 10, 30, 1e9) if abs(times) < s)
            told = wrong in named
            self.count("wrong: named", yes=told)
            self.count(f"wrong: named, {name}", yes=told)
            self.count(f"wrong: named, error under {size:g} x the accuracy", yes=told)
            self.count("wrong: another accused", yes=bool(named - {wrong}))
            self.count(
                "wrong: named, or among those of which one is", yes=told or wrong in solved.one_of
            )

    def of_pins(self, solved: SolvedPlug, volts: FloatArray, ohms: FloatArray, name: str) -> None:
        """Potentials and resistances against the truth."""
        if solved.mirrored:
            self.count("mirrored told", yes=True)
            return
        zero = next(
            (k for k, p in solved.pins.items() if p.volts == 0.0 and not solved.against_battery), None
        )
        base = volts[int(zero)] if zero is not None else 0.0
        for label, pin in solved.pins.items():
            i = int(label)
            if ohms[i] > _FLOATS:
                self.count("floating: told", yes=pin.floats)
            elif pin.volts is None:
                self.count("held: told as floating", yes=True)
            else:
                if label != zero:
                    inside = abs(pin.volts - (volts[i] - base)) <= pin.unsure_v + 1e-9
                    self.count("potential within", yes=inside)
                    self.count(f"potential within, {name}", yes=inside)
                self.of_strength(pin, float(ohms[i]))

    def of_strength(self, pin: SolvedPin, ohms: float) -> None:
        """Whether it was told as weak."""
        if ohms < _WEAK:
            self.count("firm: told as weak", yes=pin.behind_ohms > 0)
            return
        self.count("weak: told", yes=pin.behind_ohms > 0)
        if pin.behind_ohms > 0:
            self.count("weak: ohms within", yes=abs(pin.behind_ohms - ohms) <= pin.behind_unsure)


if __name__ == "__main__":
    main()

"""Faults planted in lines, found by the proposed readings: the right line, in how many readings?

Run: `.venv/bin/python bench/bench_pin_faults.py [vehicles] [seed]`. The vehicle is the stand-in's
circuit (`circuit/sensor.py`), with a track, inputs and stops of its own; the meter has its errors.
Readings are taken as proposed until the faults of one line are sure, or half of all pairs of both plugs
were measured.
"""

import sys
from collections import Counter, defaultdict
from dataclasses import replace
from itertools import combinations

import numpy as np

from nervus.circuit.network import Resistor
from nervus.circuit.sensor import SensorCircuit, TrackCircuit
from nervus.domain.plug import PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.judge.next_pair import Proposed, weigh_readings
from nervus.judge.reading_words import Measured
from nervus.pins.meter import USUAL

SURE = 0.95
_ROLES = {"supply": "supply", "sensor ground": "ground", "signal 1": "signal1", "signal 2": "signal2"}
_PLACES = ("unit", "harness", "sensor")


class Vehicle:
    """One with a fault in a line: `line`, `place` and ohms; read at pins as they are."""

    def __init__(self, random: np.random.Generator, throttle: ThrottleKind) -> None:
        self.random = random
        tracks = 1 if throttle is ThrottleKind.CABLE else 2
        ohms, pull = random.uniform(1500, 5500), np.exp(random.uniform(np.log(6e4), np.log(8e5)))
        share = float(random.random() < 0.5)
        closed, opened = random.uniform(0.09, 0.18), random.uniform(0.76, 0.93)
        made = [
            TrackCircuit(
                closed, opened, ohms, random.uniform(80, 1200), pull_ohms=pull, pull_share=share
            )
        ]
        if tracks == 2:
            ends = (1 - closed, 1 - opened) if random.random() < 0.6 else (closed / 2, opened / 2)
            made.append(
                TrackCircuit(*ends, ohms, random.uniform(80, 1200), pull_ohms=pull, pull_share=share)
            )
        self.circuit = SensorCircuit(tuple(made), random.normal(5.0, 0.03))
        lines = ["supply", "ground", "signal1"] + ["signal2"] * (tracks - 1)
        self.line = str(random.choice(lines))
        self.place = str(random.choice(_PLACES))
        self.sensor_side, self.in_contact = random.random() < 0.5, random.random() < 0.5
        feed = self.line in ("supply", "ground")
        gone = random.random() < 0.65
        # Less than this moves no reading by more than vehicles differ.
        least = 40.0 if feed else 0.15 * pull
        self.ohms = 1e9 if gone else float(np.exp(random.uniform(np.log(least), np.log(1e6))))

    def ohms_of(self, m: Measured) -> float:
        """With everything off: at the sensor's pins, or along a line, contacts in it half the time."""
        tracks = self.circuit.tracks
        if m.place == "pin_to_pin":
            if m.line == "supply":
                return float(1.0 / sum(1.0 / t.ohms for t in tracks))
            track = tracks[int(m.line[-1]) - 1]
            share = float(track.share(np.asarray(0.03)))
            # The other track lies beside the way over the supply.
            way = share * track.ohms
            if len(tracks) == 2:
                way = way * ((1 - share) * track.ohms + tracks[0].ohms) / (track.ohms + tracks[0].ohms)
            return float(np.asarray(track.wiper_ohms)) + way
        broken = self.line == m.line and (self.place == "harness" or self.in_contact)
        return 0.2 + (self.ohms if broken else 0.0)

    def volts(self, m: Measured) -> float:
        """What stands between two points; the meter's own resistance is in the circuit."""
        at = {"closed": 0.03, "wide_open": 0.97}
        if m.unit == "Ω":
            return round(self.ohms_of(m) * self.random.uniform(0.99, 1.01), 1)
        travel = next((at[s] for s in at if s in m.states), 0.03)
        circuit = self._broken(unplugged="plug_off" in m.states)
        on = "plug_off" not in m.states
        a, b = (
            self._node(m.line, m.place, on),
            self._node(m.against, m.place, on) if m.against else "ground",
        )
        circuit = replace(circuit, shorts=(*circuit.shorts, Resistor(a, b, USUAL.ohms)))
        solved = circuit.volts(travel)
        solved["ground"] = 0.0
        true = solved[a] - solved[b]
        return round(true + self.random.uniform(-1, 1) * USUAL.accuracy(true), 2)

    def _broken(self, *, unplugged: bool) -> SensorCircuit:
        c, r = self.circuit, self.ohms
        at_sensor = self.place == "sensor"
        if self.line == "supply":
            c = replace(c, supply_plug_ohms=r) if at_sensor else replace(c, supply_ohms=r)
        elif self.line == "ground":
            c = replace(c, ground_plug_ohms=r) if at_sensor else replace(c, ground_ohms=r)
        else:
            c = c.with_track(int(self.line[-1]) - 1, **{"plug_ohms" if at_sensor else "signal_ohms": r})
        return c.unplugged() if unplugged else c

    def _node(self, line: str, place: str, on: bool) -> str:  # noqa: FBT001
        """A probe touches the wire's side of a contact or the other: the plug's make decides."""
        if place == "unit_plug":
            wire_side = self.place == "unit" and self.line == line and self.in_contact
            names = {"supply": ("vref", "plug_supply"), "ground": ("ground", "plug_ground")}
            return names.get(line, (line, f"plug_{line}"))[wire_side]
        if self.sensor_side and on:
            return {"supply": "supply", "ground": "return"}.get(line, f"wiper{line[-1]}")
        return f"plug_{line}"


def measured(p: Proposed) -> Measured:
    """A proposal as it is asked of the vehicle."""
    states = {"plug_off"} if "plug off" in p.conditions else set()
    states |= {"wide_open"} if "wide open" in p.conditions else {"closed"} if not states else set()
    if p.black is None and p.unit == "V":
        states.add("to_battery")
    place = "unit_plug" if p.plug is PlugEnd.UNIT else "sensor_plug"
    if p.unit == "Ω":
        place = "plug_to_plug" if "plug to plug" in p.conditions else "pin_to_pin"
        states = {"key_off", "plug_off"}
    black = _ROLES[p.black] if p.black is not None else ""
    return Measured(_ROLES[p.red], False, place, frozenset(states), p.unit, 0.0, black)  # noqa: FBT003


def main() -> None:
    """Play the vehicles and print what came out."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2_000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    right: Counter[str] = Counter()
    of: Counter[str] = Counter()
    taken = []
    for number in range(count):
        throttle = (ThrottleKind.CABLE, ThrottleKind.ELECTRONIC)[number % 2]
        vehicle = Vehicle(np.random.default_rng((seed, number)), throttle)
        ends = 2 * (3 if throttle is ThrottleKind.CABLE else 4)
        most = len(list(combinations(range(ends), 2))) // 2
        read: list[Measured] = []
        while True:
            found = weigh_readings(read, throttle)
            line: defaultdict[str, float] = defaultdict(float)
            for fault in found.fitting:
                if fault.id == "nothing":
                    continue  # something is planted, and it shows
                line[fault.line.replace(" ", "") or fault.id] += fault.chance
            named = max(line, key=lambda name: line[name])
            chance = line[named] / sum(line.values())
            if found.proposed is None or len(read) >= most or (chance > SURE and read):
                break
            asked = measured(found.proposed)
            read.append(replace(asked, value=vehicle.volts(asked)))
        taken.append(len(read) / most)
        kind = f"{throttle.value} {vehicle.line}"
        of[kind] += 1
        right[kind] += named == vehicle.line
        if named != vehicle.line and "-v" in sys.argv:
            print(vehicle.line, vehicle.place, f"{vehicle.ohms:.3g}", "told", named, round(chance, 2))
            for m in read:
                print("    ", m.place, m.line, m.against, sorted(m.states), m.value, m.unit)
    for kind in sorted(of):
        print(f"{kind:22s} {right[kind] / of[kind]:.3f} of {of[kind]}")
    print(f"all: the right line in {sum(right.values()) / count:.3f} of {count}")
    print(
        f"readings: {np.mean(taken):.2f} of the half of all pairs, "
        f"9 in 10 within {np.quantile(taken, 0.9):.2f}"
    )


if __name__ == "__main__":
    main()

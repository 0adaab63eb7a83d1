"""A sensor with both of its plugs, its lines, and the unit behind them: what a meter reads where.

The circuit of `sensor.py` with more places to fail: each line has a contact in either plug and a
stretch between, the unit stands on a ground of its own, and the plug may be off. A `Harness` holds
many such circuits at once, as arrays of ohms, so that what is not known of a vehicle (its track, its
resistors, how poor a contact is) is drawn, and all draws are solved in one go.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nervus.circuit.network import GROUND, Resistor, solve
from nervus.circuit.sensor import BATTERY_V, OPEN_OHMS
from nervus.domain.channel import FloatArray

LINES = ("supply", "ground", "signal1", "signal2")
PLACES = ("unit_plug", "harness", "sensor_plug")
# Ohms of a plug that is off, of a usual meter (10 megohms), and of a resistor that is not there.
_APART_OHMS = 1e11
_METER_OHMS = 1e7
_NEVER_OHMS = 1e12
# How the nodes of each place are called.
_SIDES = {"unit": "v", "unit_plug": "u", "sensor_plug": "p", "sensor": "x"}


@dataclass(frozen=True, slots=True, eq=False)
class Harness:
    """Many circuits at once; every array has the shape (n,).

    Attributes:
        tracks: one or two.
        share: of each track, where the wiper stands between sensor ground and supply.
        track_ohms: of the whole track.
        wiper_ohms: of each wiper.
        pull_ohms: of the unit's input.
        pull_up: 0 where it pulls to ground, 1 to the unit's own 5 V, 2 to the supply's line.
        series: ohms of (line, place): contacts and lines.
        shorts: ohms between two lines at the sensor plug, by their names.
        unit_ground_v: by how much the unit's ground stands over battery negative.
        regulator_v: what the unit's supply gives, and `regulator_ohms` behind which.
        plugged: whether the sensor's plug is on.
    """

    tracks: int
    share: tuple[FloatArray, ...]
    track_ohms: FloatArray
    wiper_ohms: tuple[FloatArray, ...]
    pull_ohms: FloatArray
    pull_up: FloatArray
    series: dict[tuple[str, str], FloatArray]
    shorts: dict[tuple[str, str], FloatArray]
    unit_ground_v: FloatArray
    regulator_v: FloatArray
    regulator_ohms: FloatArray
    plugged: bool = True

    def read(self) -> dict[tuple[str, str, str], FloatArray]:
        """What a meter shows at each place between each (line, other line, place), in volts.

        The other line is "" for battery negative. Places are the two plugs, at the wire's side, and
        `sensor` and `unit`, beyond their contacts. The meter is on the two points alone, and loads them.
        """
        lines = LINES[: 2 + self.tracks]
        wanted = {
            (line, other, place): (f"{side}_{line}", f"{side}_{other}" if other else GROUND)
            for place, side in _SIDES.items()
            for line in lines
            for other in ("", *lines)
            if other != line
        }
        solved = solve(self._parts(), self._sources(), tuple(wanted.values()))
        return {
            key: (solved.volts[a] - solved.volts[b]) * _METER_OHMS / (_METER_OHMS + solved.ohms[a, b])
            for key, (a, b) in wanted.items()
        }

    def _sources(self) -> dict[str, FloatArray]:
        held = {"unit_ground": self.unit_ground_v, "regulator": self.unit_ground_v + self.regulator_v}
        if any("battery" in pair for pair in self.shorts):
            held["p_battery"] = np.full_like(self.regulator_v, BATTERY_V)
        return held

    def _parts(self) -> list[Resistor]:
        parts = [Resistor("regulator", "v_supply", self.regulator_ohms)]
        parts.append(Resistor("unit_ground", "v_ground", np.full_like(self.track_ohms, 0.01)))
        for line in LINES[: 2 + self.tracks]:
            nodes = (f"v_{line}", f"u_{line}", f"p_{line}", f"x_{line}")
            for place, a, b in zip(PLACES, nodes, nodes[1:], strict=False):
                ohms = self.series[line, place]
                if place == "sensor_plug" and not self.plugged:
                    ohms = np.full_like(ohms, _APART_OHMS)
                parts.append(Resistor(a, b, ohms))
        for n in range(1, self.tracks + 1):
            parts += self._track(n)
        parts += [Resistor(f"p_{a}", f"p_{b}", ohms) for (a, b), ohms in self.shorts.items()]
        return parts

    def _track(self, number: int) -> list[Resistor]:
        share = np.clip(self.share[number - 1], 0.001, 0.999)
        signal, tap = f"signal{number}", f"tap{number}"
        return [
            Resistor("x_supply", tap, (1.0 - share) * self.track_ohms),
            Resistor(tap, "x_ground", share * self.track_ohms),
            Resistor(tap, f"x_{signal}", self.wiper_ohms[number - 1]),
            *(
                Resistor(f"v_{signal}", to, np.where(self.pull_up == n, self.pull_ohms, _NEVER_OHMS))
                for n, to in enumerate(("v_ground", "regulator", "v_supply"))
            ),
        ]


def joined(made: Sequence[Harness]) -> Harness:
    """Many sets of circuits, of as many tracks each, as one; a short that one has not is none there."""

    def all_of(get: Callable[[Harness], FloatArray]) -> FloatArray:
        return np.concatenate([get(h) for h in made])

    first = made[0]
    absent = np.full(first.track_ohms.shape, _NEVER_OHMS)
    pairs = sorted({pair for h in made for pair in h.shorts})
    tracks = range(first.tracks)
    return Harness(
        first.tracks,
        tuple(all_of(lambda h, n=n: h.share[n]) for n in tracks),  # type: ignore[misc] # n is bound
        all_of(lambda h: h.track_ohms),
        tuple(all_of(lambda h, n=n: h.wiper_ohms[n]) for n in tracks),  # type: ignore[misc] # n is bound
        all_of(lambda h: h.pull_ohms),
        all_of(lambda h: h.pull_up),
        {k: np.concatenate([h.series[k] for h in made]) for k in first.series},
        {p: np.concatenate([h.shorts.get(p, absent) for h in made]) for p in pairs},
        all_of(lambda h: h.unit_ground_v),
        all_of(lambda h: h.regulator_v),
        all_of(lambda h: h.regulator_ohms),
        first.plugged,
    )


def line_ohms(harness: Harness, line: str) -> FloatArray:
    """Ohms of a line from plug to plug, shape (n,)."""
    return np.minimum(harness.series[line, "harness"], OPEN_OHMS)


def contact_ohms(harness: Harness, line: str) -> FloatArray:
    """Ohms of a line's contacts in both plugs, shape (n,)."""
    both = harness.series[line, "unit_plug"] + harness.series[line, "sensor_plug"]
    return np.minimum(both, OPEN_OHMS)

"""Counts for the judgement: faults planted in vehicles drawn anew, codes and recordings as they come.

What it does not imitate is said in `vehicle.py`; so a count weighs no more than memory (`counted.py`).
"""

from collections import Counter
from collections.abc import Iterator

import msgspec
import numpy as np

from nervus.circuit.sensor import SensorCircuit, TrackCircuit
from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.profile import ThrottleKind
from nervus.judge.analyse import analyse
from nervus.judge.observations import observe
from nervus.judge.of_recordings import row_of_levels
from nervus.judge.verdict import rows_of
from nervus.knowledge import judging
from nervus.knowledge.counted import Counted, Played
from nervus.standin.planting import Planted, read_fault
from nervus.standin.runs import drive, record_run
from nervus.standin.vehicle import SimulatedVehicle

_SECONDS = 22.0
_BY_ITSELF = 0.05
_ELECTRONIC = ("motor", "spring", "motor_line", "unit_driver", "worn_gear")
_LOG = (
    "tps1_pct", "tps2_pct", "throttle_pct", "throttle_cmd_pct", "pedal_pct", "app1_pct", "app2_pct",
    "rpm", "ect_c", "batt_v",
)  # fmt: skip
_LEVELS = "drop_levels"
# How each fault of the tree is written as one of the stand-in's; `{ohms}`, `{place}` and `{when}` are
# drawn. What can't be played is left to memory.
_WHEN = ("", "~shake", "~chance", "~water")
PLAYS: dict[str, str] = {
    **{f"worn_track_{n}": f"open-wiper{n}@{{place}}" for n in (1, 2)},
    **{f"broken_wiper_{n}": f"open-wiper{n}{{rare}}" for n in (1, 2)},
    **{f"bent_track_{n}": f"resistance-above{n}={{bend}}" for n in (1, 2)},
    **{f"open_signal_{n}_sensor_plug": f"open-plug_signal{n}{{when}}" for n in (1, 2)},
    **{f"open_signal_{n}_harness": f"open-signal{n}{{when}}" for n in (1, 2)},
    **{f"short_signal_{n}": f"short-{{rail{n}}}{{when}}" for n in (1, 2)},
    "water_in_plug": "short-signal1-signal2={leak}~water",
    "open_supply_sensor_plug": "open-supply_plug{when}",
    "open_supply_harness": "open-supply{when}",
    "open_ground_sensor_plug": "open-ground_plug{when}",
    "open_ground_harness": "open-ground{when}",
    "poor_supply": "resistance-supply={poor}",
    "poor_ground": "resistance-ground={poor}",
    "short_supply": "short-supply-ground={low}{when}",
    "sticking_plate": "sticks{heat}",
    "spring": "stays-open",
    "motor": "{motor}-motor",
    "false_air": "false-air",
    **{f"worn_pedal_{n}": f"pedal:open-wiper{n}@{{place}}" for n in (1, 2)},
    **{f"open_pedal_signal_{n}": f"pedal:open-signal{n}{{when}}" for n in (1, 2)},
    "pedal_feed": "pedal:open-{feed}{when}",
    "nothing": "",
    "motor_line": "dead-motor",
    "unit_driver": "dead-motor",
    "worn_gear": "sticks{heat}",
    **{f"open_signal_{n}_unit_plug": f"open-signal{n}{{when}}" for n in (1, 2)},
    "open_supply_unit_plug": "open-supply{when}",
    "open_ground_unit_plug": "open-ground{when}",
}


def counted_for(kind: ThrottleKind) -> tuple[str, ...]:
    """The faults that a throttle of this kind can play."""
    if kind is ThrottleKind.ELECTRONIC:
        return tuple(PLAYS)
    of_two = (f for f in PLAYS if "_2" in f or "pedal" in f or f in _ELECTRONIC)
    return tuple(f for f in PLAYS if f not in {*of_two, "water_in_plug"})


def count(runs: int, seed: int) -> Iterator[tuple[str, str, Played]]:
    """Each kind of throttle and fault with what came of so many runs."""
    for kind in ThrottleKind:
        for number, fault in enumerate(PLAYS):
            if fault not in counted_for(kind):
                continue
            written = PLAYS[fault]
            seeds = np.random.SeedSequence([seed, number, kind is ThrottleKind.CABLE]).spawn(runs)
            yield kind.value, fault, _played(kind, written, [np.random.default_rng(s) for s in seeds])


def whole_count(runs: int, seed: int) -> Counted:
    """All counts as they ship."""
    played: dict[str, dict[str, Played]] = {}
    for kind, fault, row in count(runs, seed):
        played.setdefault(kind, {})[fault] = row
    for kind, faults in played.items():
        # What the stand-in sets with nothing wrong is of how it is driven, and tells nothing.
        sound = faults.pop("nothing")
        driven = {c for c, times in sound.codes.items() if times > _BY_ITSELF * sound.runs}
        played[kind] = {f: _without(row, driven) for f, row in faults.items()}
    source = (
        f"the simulated vehicle, each fault planted {runs} times in drawn vehicles (script/likelihoods)"
    )
    return Counted(source, seed, played)


def _without(row: Played, codes: set[str]) -> Played:
    kept = {c: n for c, n in row.codes.items() if c not in codes}
    coded = min(row.coded, max(kept.values(), default=0)) if codes & set(row.codes) else row.coded
    return msgspec.structs.replace(row, codes=kept, coded=coded)


def _played(kind: ThrottleKind, written: str, randoms: list[np.random.Generator]) -> Played:
    codes: Counter[str] = Counter()
    seen: Counter[str] = Counter()
    coded = 0
    for number, random in enumerate(randoms):
        vehicle = _drawn_vehicle(kind, written, random)
        if random.random() < 0.5:
            vehicle.start_engine()
            vehicle.advance(6.0)
        recording = _recorded(vehicle, random, scope=number % 2 == 0)
        told = {str(c.base) for c in (*vehicle.unit.memory.stored, *vehicle.unit.memory.pending)}
        coded += bool(told)
        codes.update(told)
        seen.update(_rows(recording))
    return Played(
        len(randoms), coded, dict(sorted(codes.items())), len(randoms), dict(sorted(seen.items()))
    )


def _drawn_vehicle(kind: ThrottleKind, written: str, random: np.random.Generator) -> SimulatedVehicle:
    tracks = 1 if kind is ThrottleKind.CABLE else 2
    closed, opened = random.uniform(0.08, 0.18), random.uniform(0.75, 0.92)
    pull, up = float(np.exp(random.uniform(np.log(5e4), np.log(1e6)))), float(random.random() < 0.5)
    ohms = random.uniform(1_500.0, 6_000.0)
    made = [TrackCircuit(closed, opened, ohms=ohms, pull_ohms=pull, pull_share=up)]
    if tracks == 2:
        mirrored = random.random() < 0.6
        second = (1.0 - closed, 1.0 - opened) if mirrored else (closed / 2.0 + 0.02, opened / 2.0)
        made.append(TrackCircuit(*second, ohms=ohms, pull_ohms=pull, pull_share=up))
    faults: tuple[Planted, ...] = ()
    if written:
        faults = (read_fault(written.format(**_drawn_words(random)), tracks),)
    return SimulatedVehicle(kind, faults, int(random.integers(1 << 30)), SensorCircuit(tuple(made)))


def _drawn_words(random: np.random.Generator) -> dict[str, str]:
    place = random.uniform(5.0, 55.0)

    def between(low: float, high: float) -> str:
        return f"{np.exp(random.uniform(np.log(low), np.log(high))):.1f}"

    rail = ("supply", "ground")[int(random.random() < 0.6)]
    names = {n: f"ground-signal{n}" if rail == "ground" else f"supply-signal{n}" for n in (1, 2)}
    return {
        "place": f"{place:.1f}-{place + random.uniform(0.8, 5.0):.1f}",
        "when": _WHEN[int(random.choice(4, p=(0.35, 0.35, 0.2, 0.1)))],
        "rare": ("", "~chance", "~heat")[int(random.choice(3, p=(0.5, 0.4, 0.1)))],
        "motor": ("weak", "dead")[int(random.random() < 0.5)],
        "heat": ("", "~heat")[int(random.random() < 0.4)],
        "rail1": names[1],
        "rail2": names[2],
        "bend": between(150.0, 1_500.0),
        "leak": between(300.0, 20_000.0),
        "poor": between(20.0, 2_000.0),
        "low": between(0.5, 60.0),
        "feed": ("supply", "ground")[int(random.random() < 0.5)],
    }


def _recorded(vehicle: SimulatedVehicle, random: np.random.Generator, *, scope: bool) -> Recording:
    """A run recorded at the pins, or as a log of what the unit reports ten times a second or so."""
    seed = int(random.integers(1 << 30))
    if scope:
        return record_run(vehicle, _SECONDS, rate_hz=200.0, seed=seed)
    rate, hands, began = random.uniform(8.0, 20.0), drive(vehicle, _SECONDS, seed), vehicle.time_s
    rows: dict[str, list[float]] = {}
    times = []
    for number in range(int(_SECONDS * rate)):
        hands(vehicle.time_s - began)
        vehicle.advance(began + (number + 1) / rate - vehicle.time_s)
        told = vehicle.values()
        times.append(vehicle.time_s - began)
        for name in _LOG:
            if name in told:
                rows.setdefault(name, []).append(
                    round(told[name] * 2.55) / 2.55 if name.endswith("_pct") else told[name]
                )
    at = np.round(times, 4)
    return Recording(
        tuple(
            Channel(CHANNEL_KINDS[n], at, np.round(v, 2))
            for n, v in rows.items()
            if len(v) == len(times)
        )
    )


def _rows(recording: Recording) -> set[str]:
    """The rows of `judging.toml` that its findings make; `clean` where there are none."""
    analysis = analyse(recording)
    rows = rows_of(observe(analysis.examination, analysis.circuit), judging())
    names = {
        row.id if row.id != _LEVELS else row_of_levels(row.says)
        for _, row in rows
        if "of the pedal" not in row.cause
    }
    return {"clean" if name.startswith("clean") else name for name in names}


def encoded(counts: Counted) -> bytes:
    """The counts as the file that ships."""
    return msgspec.json.format(msgspec.json.encode(counts), indent=1) + b"\n"

"""The simulated vehicle: pedal, throttle, sensor circuit, engine and control unit, stepped together.

What it does not imitate: gears and road, supply ripple, temperature of the sensor itself, the time
that a unit's converter takes. All numbers are invented; the equations are named where they stand.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from nervus.circuit.sensor import BATTERY_V, SensorCircuit, TrackCircuit
from nervus.circuit.signatures import CircuitFault
from nervus.domain.profile import ThrottleKind
from nervus.engine.air_flow import STANDARD_PA, orifice_flow, plate_area
from nervus.standin import engine as engine_model
from nervus.standin.capture import CABLE, OPPOSITE
from nervus.standin.control_unit import CONTROL_S, MONITOR_S, ControlUnit, Inputs, Learned, Outputs
from nervus.standin.engine import Engine
from nervus.standin.planting import Activity, Conditions, Planted
from nervus.standin.plate import Plate, PlateData
from nervus.standin.wiring import Wiring

PEDAL = SensorCircuit((TrackCircuit(0.15, 0.85), TrackCircuit(0.075, 0.425)))
_MS_ENGINE, _MS_MONITOR = round(engine_model.STEP_S / CONTROL_S), round(MONITOR_S / CONTROL_S)
_FALSE_AIR_M2, _STICK, _OPEN_DEG, _WEAK = 4.0e-5, 45_000.0, 9.0, 0.25
_RUNNING_V = 14.1


@dataclass(slots=True)
class Driver:
    """What people do to the vehicle, to be set at any time.

    Attributes:
        key: whether the key is on.
        pedal_pct: of the pedal, or of the cable.
        shaken: whether the harness is shaken.
        wet: whether the plug is sprayed.
        unplugged: whether the sensor's plug is off.
    """

    key: bool = True
    pedal_pct: float = 0.0
    shaken: bool = False
    wet: bool = False
    unplugged: bool = False


class SimulatedVehicle:
    """One vehicle; `advance` it by any time, read it by `values` and `pins`.

    Attributes:
        watchers: called after every step of a millisecond with the nodes of the sensor's circuit.
    """

    def __init__(
        self,
        kind: ThrottleKind = ThrottleKind.ELECTRONIC,
        faults: tuple[Planted, ...] = (),
        seed: int = 1,
        circuit: SensorCircuit | None = None,
    ) -> None:
        self.kind = kind
        self.electronic = kind is ThrottleKind.ELECTRONIC
        self.driver = Driver()
        self.time_s = 0.0
        self.engine = Engine()
        self.wiring = Wiring(circuit or (OPPOSITE if self.electronic else CABLE))
        self.pedal_wiring = Wiring(PEDAL)
        self._unplugged: Wiring | None = None
        seeds = np.random.SeedSequence(seed).spawn(len(faults) + 1)
        self._random = np.random.default_rng(seeds[0])
        self._faults = tuple(
            (f, Activity(f, np.random.default_rng(s))) for f, s in zip(faults, seeds[1:], strict=True)
        )
        self.plate = Plate(self._plate_data(faults), None if self.electronic else 0.0)
        self.unit = self._make_unit()
        self._out = Outputs()
        self._ms = 0
        self._was_on = True
        self._tracks: dict[str, float] = {}
        self._pedals: dict[str, float] = {}
        self._active: tuple[Planted, ...] = ()
        self.watchers: list[Callable[[dict[str, float]], None]] = []
        self.advance(0.02)

    def _plate_data(self, faults: tuple[Planted, ...]) -> PlateData:
        sound, planted = PlateData(), {f.what for f in faults if isinstance(f.what, str)}
        left = 0.0 if "dead-motor" in planted else _WEAK if "weak-motor" in planted else 1.0
        return replace(sound, motor=sound.motor * left)

    def _make_unit(self) -> ControlUnit:
        tracks = range(1, len(self.wiring.circuit.tracks) + 1)
        supply = self.wiring.circuit.supply_v
        ends = [self.wiring.volts(p) for p in (0.0, 100.0)]
        learned = Learned(*([end[f"signal{n}"] / supply for n in tracks] for end in ends))
        pedal = [self.pedal_wiring.volts(p) for p in (0.0, 100.0)]
        pairs = tuple((pedal[0][f"signal{n}"] / 5.0, pedal[1][f"signal{n}"] / 5.0) for n in (1, 2))
        return ControlUnit(self.electronic, learned, pairs if self.electronic else ())

    # -- reading ---------------------------------------------------------------------------------

    @property
    def sensor_faults(self) -> tuple[tuple[CircuitFault, float | None], ...]:
        """Faults of the sensor's circuit that show now, with their ohms; for what is wired to it."""
        active = (f for f in self._active if not f.pedal)
        return tuple((f.what, f.ohms) for f in active if isinstance(f.what, CircuitFault))

    def pins(self) -> dict[str, float]:
        """Volts of every node: the sensor's, the pedal's (with `pedal_` before) and `battery`."""
        pedal = {f"pedal_{n}": v for n, v in self._pedals.items()}
        return {**self._tracks, **pedal, "battery": self.battery_v}

    @property
    def battery_v(self) -> float:
        """Battery voltage."""
        return _RUNNING_V if self.engine.rpm > 500.0 else BATTERY_V

    def values(self) -> dict[str, float]:
        """What the control unit reports, by channel."""
        unit, engine, seen = self.unit, self.engine, self.unit.seen
        if not self.driver.key or seen is None:
            return {}
        told = {
            "rpm": engine.rpm,
            "map_kpa": engine.manifold_pa / 1000.0,
            "maf_gs": 1000.0 * engine.flow_kg_s,
            "load_pct": engine.load_pct,
            "ect_c": engine.coolant_c,
            "iat_c": engine.ambient_c,
            "batt_v": self.battery_v,
            "tps1_pct": 100.0 * seen.shares[0],
            "throttle_pct": unit.position,
        }
        if self.electronic:
            told["tps2_pct"] = 100.0 * seen.shares[1]
            told["app1_pct"], told["app2_pct"] = (100.0 * s for s in seen.pedal_shares)
            told["throttle_cmd_pct"] = unit.command if unit.command is not None else 0.0
            told["pedal_pct"] = unit.pedal
        return told

    # -- stepping ----------------------------------------------------------------------------------

    def advance(self, seconds: float) -> None:
        """Let time go on."""
        for _ in range(round(seconds / CONTROL_S)):
            self._step()

    def start_engine(self) -> None:
        """Turn the key to start."""
        if self.driver.key:
            self.engine.start()

    def _step(self) -> None:
        self._ms += 1
        self.time_s = self._ms * CONTROL_S
        now = Conditions(self.plate.percent, self.engine.coolant_c, self.driver.shaken, self.driver.wet)
        self._active = tuple(f for f, a in self._faults if a.step(CONTROL_S, now))
        self._mechanics()
        self._circuits()
        if self.driver.key:
            self._out = self.unit.control(self._inputs())
            if self._ms % _MS_MONITOR == 0:
                self.unit.frame = {n: round(v, 3) for n, v in self.values().items()}
                self.unit.watch()
        elif self._was_on:
            self.unit.key_off()
            self.engine.stop()
        self._was_on = self.driver.key
        self._move_plate()
        if self._ms % _MS_ENGINE == 0:
            self._breathe()
        for watch in self.watchers:
            watch(self._tracks)

    def _mechanics(self) -> None:
        named = {f.what for f in self._active if isinstance(f.what, str)}
        self.plate.extra_friction = _STICK if "sticks" in named else 0.0
        self.plate.held_above_deg = _OPEN_DEG if "stays-open" in named else None

    def _circuits(self) -> None:
        found: dict[bool, tuple[tuple[CircuitFault, float | None], ...]] = {False: (), True: ()}
        for fault in self._active:
            if isinstance(fault.what, CircuitFault):
                found[fault.pedal] = (*found[fault.pedal], (fault.what, fault.ohms))
        if not self.driver.key:
            self._tracks = dict.fromkeys(self._tracks, 0.0)
            self._pedals = dict.fromkeys(self._pedals, 0.0)
            return
        wiring = self.wiring if not self.driver.unplugged else self._apart()
        self._tracks = wiring.volts(self.plate.percent, found[False])
        self._pedals = (
            self.pedal_wiring.volts(self.driver.pedal_pct, found[True]) if self.electronic else {}
        )

    def _apart(self) -> Wiring:
        if self._unplugged is None:
            self._unplugged = Wiring(self.wiring.circuit.unplugged())
        return self._unplugged

    def _inputs(self) -> Inputs:
        tracks = tuple(self._tracks[f"signal{n + 1}"] for n in range(len(self.wiring.circuit.tracks)))
        pedals = (self._pedals["signal1"], self._pedals["signal2"]) if self.electronic else ()
        return Inputs(
            tracks,
            pedals,
            self._tracks["vref"],
            self._pedals.get("vref", 5.0),
            self.engine.rpm,
            self.engine.coolant_c,
            self.engine.running,
            self._flow_ratio(),
        )

    def _flow_ratio(self) -> float | None:
        """Measured air over what the reported position would let by, while that says something."""
        engine = self.engine
        if self._ms % _MS_MONITOR or engine.rpm < 1_000.0 or engine.manifold_pa > 0.85 * STANDARD_PA:
            return None
        angle = np.asarray(max(self.unit.position, 0.0) * self.plate.data.open_deg / 100.0)
        area = plate_area(angle, engine_model.BORE_M) * engine_model.DISCHARGE
        expected = float(
            orifice_flow(area, np.asarray(STANDARD_PA), np.asarray(engine.manifold_pa), 293.15)
        )
        return (engine.flow_kg_s + 1e-3) / (expected + self._out.valve_m2 * 241.0 + 1e-3)

    def _move_plate(self) -> None:
        if self.electronic:
            self.plate.step(self._out.duty if self.driver.key else 0.0)
            return
        wanted = self.driver.pedal_pct * self.plate.data.open_deg / 100.0
        low = self.plate.held_above_deg or 0.0
        sticking = self.plate.extra_friction > 0.0 and wanted < self.plate.angle_deg < 30.0
        self.plate.angle_deg = max(wanted, low, self.plate.angle_deg if sticking else 0.0)

    def _breathe(self) -> None:
        leak = _FALSE_AIR_M2 if any(f.what == "false-air" for f in self._active) else 0.0
        self.engine.running = self.engine.running and self.driver.key
        if self.engine.running and not self._out.fuel:
            self.engine.running = False
            self.engine.step(self.plate.angle_deg, self._out.valve_m2 + leak)
            self.engine.running = True
        else:
            self.engine.step(self.plate.angle_deg, self._out.valve_m2 + leak)

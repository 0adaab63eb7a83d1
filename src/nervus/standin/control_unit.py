"""The control unit: reads the tracks, runs its monitors, moves the plate, falls back when it must."""

from dataclasses import dataclass, field

from nervus.standin.code_memory import CodeMemory
from nervus.standin.monitors import FORCED, HIGH, LOW, Mode, Monitor, Seen, monitors_of

CONTROL_S, MONITOR_S = 0.001, 0.01
# Targets and gains (invented): an idle speed, cold and warm, and a plate controller with integral part.
_IDLE_RPM, _COLD_RPM, _LIMITED_PCT, _LIMITED_RPM = 780.0, 450.0, 25.0, 1_700.0
_GAIN, _PER_S, _RATE = 0.03, 0.35, 0.0016
_LEARN_S, _IDLE_MOST_PCT = 0.4, 14.0
# Common practice, no published source: three minutes of idle, then key off, and the idle is learned.
IDLE_LEARN_S, _IDLE_UNLEARNED_PCT = 180.0, 4.0
_RELEASED_PCT = 1.5


@dataclass(slots=True)
class Learned:
    """The shares at both stops by which the unit makes percent of shares."""

    closed: list[float]
    opened: list[float]


@dataclass(slots=True)
class Outputs:
    """What the unit does: duty of the plate's motor, area of the idle valve, fuel on or cut."""

    duty: float = 0.0
    valve_m2: float = 0.0
    fuel: bool = True


@dataclass(slots=True)
class Inputs:
    """What the unit is given at an instant: its pins, and the engine's own sensors."""

    tracks_v: tuple[float, ...]
    pedals_v: tuple[float, ...]
    supply_v: float
    pedal_supply_v: float
    rpm: float
    coolant_c: float
    engine_on: bool
    flow_ratio: float | None = None


@dataclass(slots=True)
class ControlUnit:
    """One control unit with its memory."""

    electronic: bool
    learned: Learned
    pedal_ends: tuple[tuple[float, float], ...]
    monitors: tuple[Monitor, ...] = ()
    memory: CodeMemory = field(init=False)
    mode: Mode = Mode.NORMAL
    command: float | None = None
    position: float = 0.0
    pedal: float = 0.0
    seen: Seen | None = None
    frame: dict[str, float] = field(default_factory=dict)
    _bad: set[int] = field(default_factory=set)
    _failing_s: dict[int, float] = field(default_factory=dict)
    _integral: float = 0.0
    _last: float = 0.0
    _speed: float = 0.0
    learned_idle_pct: float | None = None
    idled_s: float = 0.0
    _idle_pct: float = _IDLE_UNLEARNED_PCT
    _learning_s: float = 0.0
    _valve: float = 0.35

    def __post_init__(self) -> None:
        self.monitors = monitors_of(electronic=self.electronic)
        codes = (*(m.code for m in self.monitors), *(FORCED.values() if self.electronic else ()))
        self.memory = CodeMemory(codes)

    # -- key, tools ----------------------------------------------------------------------------

    def key_off(self) -> None:
        """The cycle ends; falling back ends with it, and an idle that lasted long enough is stored."""
        if self.idled_s >= IDLE_LEARN_S:
            self.learned_idle_pct = self._idle_pct
        self.idled_s = 0.0
        self.memory.end_of_cycle()
        self.mode, self.command, self._integral = Mode.NORMAL, None, 0.0
        self._bad.clear()
        self._failing_s.clear()

    def battery_off(self) -> None:
        """What was learned of the idle is forgotten; codes that are not permanent too."""
        self.learned_idle_pct, self._idle_pct = None, _IDLE_UNLEARNED_PCT
        self.memory.clear()

    def learn(self) -> None:
        """Begin to learn the closed stop: the plate is driven onto it and held for a while."""
        self._learning_s = _LEARN_S if self.electronic else CONTROL_S

    @property
    def is_learning(self) -> bool:
        """Whether the plate is being driven onto its stop."""
        return self._learning_s > 0.0

    # -- every millisecond -----------------------------------------------------------------------

    def control(self, inputs: Inputs) -> Outputs:
        """One step of the control: where the plate is, where it should be, the motor's duty."""
        supply = max(inputs.supply_v, 0.1)
        shares = tuple(v / supply for v in inputs.tracks_v)
        pedal_supply = max(inputs.pedal_supply_v, 0.1)
        pedal_shares = tuple(v / pedal_supply for v in inputs.pedals_v)
        percents = tuple(
            100.0 * (s - a) / (b - a)
            for s, a, b in zip(shares, self.learned.closed, self.learned.opened, strict=True)
        )
        pedals = tuple(
            100.0 * (s - a) / (b - a) for s, (a, b) in zip(pedal_shares, self.pedal_ends, strict=True)
        )
        good = [p for n, p in enumerate(percents) if n not in self._bad] or list(percents)
        sound = [p for p, s in zip(pedals, pedal_shares, strict=True) if LOW <= s <= HIGH]
        self.position = good[0]
        self.pedal = min(max(min(sound, default=0.0), 0.0), 100.0)
        idling = inputs.engine_on and inputs.rpm > 400.0 and self.pedal < _RELEASED_PCT
        target = _IDLE_RPM + max(0.0, (70.0 - inputs.coolant_c) / 70.0) * _COLD_RPM
        off = inputs.rpm - target if idling and self.mode is Mode.NORMAL else None
        out = self._move(inputs, target) if self.electronic else self._valve_only(off)
        if self._learning_s > 0.0:
            self._learn_step(shares, out)
        self.seen = Seen(
            shares, percents, pedal_shares, pedals, inputs.supply_v,
            self.command, self.position, inputs.flow_ratio, off,
        )  # fmt: skip
        return out

    def _move(self, inputs: Inputs, target_rpm: float) -> Outputs:
        self._trim_idle(inputs, target_rpm)
        wanted = self._idle_pct if inputs.engine_on else 6.0
        wanted += (96.0 - wanted) * self.pedal / 100.0
        fuel = True
        if self.mode is not Mode.NORMAL:
            wanted = min(wanted, _LIMITED_PCT)
            fuel = inputs.rpm < _LIMITED_RPM
        if self.mode is Mode.IDLE_ONLY:
            self.command = None
            return Outputs(fuel=fuel)
        before = self.command if self.command is not None else self.position
        self.command = wanted + (before - wanted) * 0.99
        speed = (self.position - self._last) / CONTROL_S
        self._speed += 0.2 * (speed - self._speed)
        self._last = self.position
        error = self.command - self.position
        self._integral = min(max(self._integral + _PER_S * error * CONTROL_S, -0.5), 0.5)
        duty = _GAIN * error + self._integral - _RATE * self._speed
        return Outputs(min(max(duty, -1.0), 1.0), fuel=fuel)

    def _trim_idle(self, inputs: Inputs, target_rpm: float) -> None:
        if inputs.engine_on and self.pedal < _RELEASED_PCT and inputs.rpm > 400.0:
            if self.idled_s == 0.0 and self.learned_idle_pct is not None:
                self._idle_pct = self.learned_idle_pct
            self.idled_s += CONTROL_S
            change = 0.004 * (target_rpm - inputs.rpm) * CONTROL_S
            self._idle_pct = min(max(self._idle_pct + change, 0.8), _IDLE_MOST_PCT)

    def _valve_only(self, off: float | None) -> Outputs:
        """A cable throttle: the unit has an idle valve and no say over the plate."""
        self.command = None
        if off is not None:
            self._valve = min(max(self._valve - 0.0005 * off * CONTROL_S, 0.0), 1.0)
        return Outputs(valve_m2=3.0e-5 * self._valve)

    def _learn_step(self, shares: tuple[float, ...], out: Outputs) -> None:
        out.duty = -0.6
        self._learning_s -= CONTROL_S
        if self._learning_s <= 0.0:
            change = [s - c for s, c in zip(shares, self.learned.closed, strict=True)]
            if all(abs(c) < 0.06 for c in change):
                self.learned.closed = list(shares)

    # -- every ten milliseconds --------------------------------------------------------------------

    def watch(self) -> None:
        """Run all monitors once."""
        seen = self.seen
        if seen is None or self.is_learning:
            return
        for number, monitor in enumerate(self.monitors):
            fails = monitor.fails(seen)
            if fails is None:
                continue
            held = self._failing_s.get(number, 0.0)
            self._failing_s[number] = held + MONITOR_S if fails else max(0.0, held - MONITOR_S / 2)
            if fails and self._failing_s[number] >= monitor.time_s:
                self._set(monitor)
            elif not fails and self._failing_s[number] == 0.0:
                self.memory.passed(monitor.code)
        for mode, code in FORCED.items():
            if self.electronic and self.mode < mode:
                self.memory.passed(code)

    def _set(self, monitor: Monitor) -> None:
        self.memory.failed(monitor.code, at_once=monitor.at_once, frame=self.frame)
        self._bad.update(monitor.tracks)
        mode = monitor.mode
        if len(self._bad) > 1 and self.electronic:
            mode = Mode.IDLE_ONLY
        if mode > self.mode:
            self.mode = mode
            if self.electronic:
                self.memory.failed(FORCED[mode], at_once=True, frame=self.frame)

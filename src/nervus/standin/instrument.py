"""Stand-in instruments over a loopback socket: a bench meter, and a fast sampler, at the vehicle's pins.

The meter loads what it measures with its own resistance, rounds to its range, and is as slow as such
meters are. The sampler draws straight lines between the vehicle's steps of a millisecond; a step of
its own is shorter than anything the vehicle can show.
"""

import socketserver
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from nervus.circuit.network import GROUND, Resistor
from nervus.domain.channel import FloatArray
from nervus.link.instruments import OVERRUN
from nervus.link.loopback_bus import HOST
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.wiring import Wiring

NAME = "Island Depot,Stand-in meter,0,1.0"
_METER_OHMS, _METER_S, _NOISE_V, _COUNTS = 10.0e6, 0.25, 0.0005, 50_000
_RANGES_V = (0.5, 5.0, 50.0, 500.0)
_STEP_S, _KEPT_S, _SAMPLER_NOISE_V, _BITS = 0.001, 5.0, 0.002, 12
_ERRORS = {
    0: '0,"No error"',
    -104: '-104,"Data type error"',
    -113: '-113,"Undefined header"',
    -224: '-224,"Illegal parameter value"',
    OVERRUN: f'{OVERRUN},"Input buffer overrun"',
}
# How the sampler's channels are clipped on.
# Which pin of either plug is what line: three wires, and six.
PINS_3 = {"1": "signal1", "2": "ground", "3": "supply"}
PINS_6 = {
    "1": "ground", "2": "motor_plus", "3": "signal2", "4": "supply", "5": "motor_minus", "6": "signal1",
}  # fmt: skip
_MOTOR_PINS = ("motor_plus", "motor_minus")
# From memory: a driver that is off hangs on some megohms, a winding has some ohms.
_DRIVER_OHMS, _WINDING_OHMS = 1.6e6, 2.5
SAMPLED = ("signal1", "signal2", "vref")


class InstrumentServer:
    """Serves one meter and one sampler on a vehicle.

    Attributes:
        port: where both are reached; the meter answers `READ?`, the sampler `FETC?`.
        probes: the nodes that the meter's red and black probes are on, `None` in the air.
    """

    def __init__(self, vehicle: SimulatedVehicle, lock: threading.Lock, pin: str = "signal1") -> None:
        self.vehicle, self.lock = vehicle, lock
        self.probes: tuple[str, str] | None = (pin, GROUND)
        self._loaded: dict[tuple[str, str, bool], Wiring] = {}
        self._server = _Server((HOST, 0), self)
        self.port = int(self._server.server_address[1])
        self._thread = threading.Thread(
            target=self._server.serve_forever, args=(0.1,), name="instruments", daemon=True
        )

    def __enter__(self) -> "InstrumentServer":
        self._thread.start()
        return self

    def __exit__(self, *_wrong: object) -> None:
        self._server.shutdown()
        self._server.server_close()
        self._thread.join(2.0)

    def metered_v(self) -> float:
        """What is between the probes, with the meter's own resistance there; NaN in the air."""
        if self.probes is None:
            return float("nan")
        red, black = self.probes
        with self.lock:
            driver = self.vehicle.driver
            key = (red, black, driver.unplugged)
            if key not in self._loaded:
                self._loaded[key] = self._wiring(unplugged=driver.unplugged).metered(
                    red, black, _METER_OHMS
                )
            if not driver.key or red == black:
                return 0.0
            volts = self._loaded[key].volts(self.vehicle.plate.percent, self.vehicle.sensor_faults)
            return volts[red] - volts.get(black, 0.0)

    def _wiring(self, *, unplugged: bool) -> Wiring:
        """The circuit with the motor's pins; its driver is weak while nothing is commanded."""
        circuit = self.vehicle.wiring.circuit
        motor = [Resistor(pin, GROUND, _DRIVER_OHMS) for pin in _MOTOR_PINS]
        if unplugged:
            circuit = circuit.unplugged()
        else:
            motor.append(Resistor(*_MOTOR_PINS, _WINDING_OHMS))
        if self.vehicle.electronic:
            circuit = replace(circuit, shorts=(*circuit.shorts, *motor))
        return Wiring(circuit)

    def put_probes(self, red: str, black: str) -> bool:
        """Put the probes on two pins, such as `sensor.3` and `battery-`; whether there are such.

        Where there are none they are in the air, and the meter shows no number.
        """
        nodes = [self._node(name) for name in (red, black)]
        found = nodes[0] is not None and nodes[1] is not None
        self.probes = (nodes[0], nodes[1]) if nodes[0] is not None and nodes[1] is not None else None
        return found

    def _node(self, name: str) -> str | None:
        """The circuit's node of a pin."""
        if name == "battery-":
            return GROUND
        plug, _, label = name.partition(".")
        line = (PINS_6 if self.vehicle.electronic else PINS_3).get(label, label)
        tracks = len(self.vehicle.wiring.circuit.tracks)
        if line in _MOTOR_PINS and plug in ("sensor", "unit"):
            return line if self.vehicle.electronic else None
        if line not in ("supply", "ground", "signal1", *(["signal2"] if tracks > 1 else [])):
            return None
        if plug == "sensor":
            return f"plug_{line}"
        return {"supply": "vref", "ground": GROUND}.get(line, line) if plug == "unit" else None


class _Server(socketserver.ThreadingTCPServer):
    daemon_threads = True
    allow_reuse_address = True

    def __init__(self, address: tuple[str, int], owner: InstrumentServer) -> None:
        self.owner = owner
        super().__init__(address, _Talk)


class _Talk(socketserver.StreamRequestHandler):
    """One connection: a line in, a line or a block out."""

    server: _Server

    def setup(self) -> None:
        super().setup()
        self._error = 0
        self._width, self._interval_s = 2, 1e-4
        self._random = np.random.default_rng(5)
        self._sampler: _Sampler | None = None

    def handle(self) -> None:
        while line := self.rfile.readline(4096):
            for command in line.decode("ascii", "replace").strip().split(";"):
                answer = self._obey(command.strip().upper())
                if answer is not None:
                    self.wfile.write(answer + b"\n")

    def finish(self) -> None:
        if self._sampler is not None:
            self._sampler.stop()
        super().finish()

    def _obey(self, command: str) -> bytes | None:
        name, _, argument = command.partition(" ")
        if name == "FETC?":
            return self._block()
        questions: dict[str, Callable[[], str]] = {
            "*IDN?": lambda: NAME,
            "*OPC?": lambda: "1",
            "READ?": self._reading,
            "SYST:ERR?": self._next_error,
        }
        if name in questions:
            return questions[name]().encode()
        if name == "SENS:SWE:TINT":
            try:
                self._interval_s = min(max(float(argument), 1e-5), 1.0)
            except ValueError:
                self._error = -104
        elif name == "ROUT:SCAN":
            self._width = argument.count(",") + 1
        elif name == "INIT:CONT":
            owner = self.server.owner
            self._sampler = _Sampler(owner, self._width, self._interval_s)
        elif name == "ROUT:PROB":
            red, _, black = argument.lower().partition(",")
            if not self.server.owner.put_probes(red.strip(), black.strip()):
                self._error = -224
        elif name not in ("*CLS", "*RST", "CONF:VOLT:DC", "FORM"):
            self._error = -113
        return None

    def _next_error(self) -> str:
        told, self._error = self._error, 0
        return _ERRORS.get(told, _ERRORS[-113])

    def _reading(self) -> str:
        time.sleep(_METER_S)
        shown = self.server.owner.metered_v()
        if np.isnan(shown):
            return "9.91E37"
        volts = shown + self._random.normal(0.0, _NOISE_V)
        span = next((r for r in _RANGES_V if abs(volts) <= 1.1 * r), None)
        if span is None:
            return "9.90000000E+37"
        step = span / _COUNTS
        return f"{round(volts / step) * step:+.8E}"

    def _block(self) -> bytes:
        if self._sampler is None:
            return b"#10"
        rows, ran_over = self._sampler.take()
        if ran_over:
            self._error = OVERRUN
        data = rows.astype(">f4").tobytes()
        length = str(len(data)).encode()
        return b"#" + str(len(length)).encode() + length + data


class _Sampler:
    """Collects the vehicle's steps, and makes samples of them when they are fetched."""

    def __init__(self, owner: InstrumentServer, width: int, interval_s: float) -> None:
        self._owner = owner
        self._names = SAMPLED[:width]
        self._per_step = max(1, round(_STEP_S / interval_s))
        self._steps: deque[tuple[float, ...]] = deque(maxlen=round(_KEPT_S / _STEP_S))
        self._last: tuple[float, ...] | None = None
        self._lost = False
        self._random = np.random.default_rng(6)
        with owner.lock:
            owner.vehicle.watchers.append(self._step)

    def _step(self, volts: dict[str, float]) -> None:
        self._lost = self._lost or len(self._steps) == self._steps.maxlen
        self._steps.append(tuple(volts.get(name, 0.0) for name in self._names))

    def take(self) -> tuple[FloatArray, bool]:
        """All samples since the last time, interleaved, and whether some were lost before."""
        with self._owner.lock:
            steps = list(self._steps)
            self._steps.clear()
            lost, self._lost = self._lost, False
        if not steps:
            return np.empty(0), lost
        knots = np.asarray([self._last or steps[0], *steps])
        self._last = steps[-1]
        at = np.arange(1, len(steps) * self._per_step + 1) / self._per_step
        rows = np.stack([np.interp(at, np.arange(len(knots)), column) for column in knots.T], axis=1)
        step = 10.0 / 2**_BITS / 2.0
        noisy = rows + self._random.normal(0.0, _SAMPLER_NOISE_V, rows.shape)
        return np.asarray(np.round(noisy / step) * step).ravel(), lost

    def stop(self) -> None:
        """Collect no more."""
        with self._owner.lock:
            self._owner.vehicle.watchers.remove(self._step)

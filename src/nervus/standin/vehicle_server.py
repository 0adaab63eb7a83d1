"""The simulated vehicle in real time, answering on a bus."""

import contextlib
import math
import socket
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field

import can
import isotp

from nervus.link.addresses import FIRST_ANSWER, FIRST_REQUEST, TO_ALL
from nervus.link.loopback_bus import HOST, LoopbackBus
from nervus.standin import hands
from nervus.standin.unit_answers import BrakeUnit, EngineUnit
from nervus.standin.vehicle import SimulatedVehicle

# A unit takes this long to answer; the vehicle goes on in steps of at most so many seconds.
_ANSWER_S, _STEP_S, _BEHIND_S = 0.012, 0.02, 0.5
# Driving itself: one sweep takes so long, and the harness is shaken in the second half of this.
_SWEEP_S, _SHAKE_EVERY_S = 5.0, 10.0
_PARAMETERS = {"tx_padding": 0x00, "tx_data_min_length": 8, "stmin": 0, "blocksize": 0}


@dataclass
class _Module:
    unit: int
    answers: EngineUnit | BrakeUnit
    stack: isotp.TransportLayerLogic
    waiting: list[isotp.CanMessage] = field(default_factory=list)


class VehicleServer:
    """Runs a vehicle in a thread and answers on any number of loopback buses.

    Attributes:
        port: where `LoopbackBus` can connect.
        vehicle: for reading and for hands in the same process; hold `lock` meanwhile.
    """

    def __init__(self, vehicle: SimulatedVehicle, answer_s: float = _ANSWER_S) -> None:
        self.vehicle = vehicle
        self.lock = threading.Lock()
        self._answer_s = answer_s
        self._ended = threading.Event()
        self._listener = socket.create_server((HOST, 0))
        self._listener.settimeout(0.2)
        self.port = int(self._listener.getsockname()[1])
        self._threads = [
            threading.Thread(target=self._keep_time, name="vehicle", daemon=True),
            threading.Thread(target=self._accept, name="vehicle-bus", daemon=True),
        ]

    def start(self) -> "VehicleServer":
        """Let time go and listen."""
        for thread in self._threads:
            thread.start()
        return self

    def stop(self) -> None:
        """End, hang up."""
        self._ended.set()
        for thread in list(self._threads):
            thread.join(2.0)
        self._listener.close()

    def __enter__(self) -> "VehicleServer":
        return self.start()

    def __exit__(self, *_wrong: object) -> None:
        self.stop()

    def _keep_time(self) -> None:
        began = time.monotonic() - self.vehicle.time_s
        while not self._ended.is_set():
            behind = time.monotonic() - began - self.vehicle.time_s
            if behind > _BEHIND_S:  # the machine slept: the vehicle did too
                began += behind
                continue
            with self.lock:
                self.vehicle.advance(min(max(behind, 0.0), _STEP_S))
            self._ended.wait(0.005)

    def _accept(self) -> None:
        while not self._ended.is_set():
            try:
                connection, _ = self._listener.accept()
            except TimeoutError:
                continue
            connection.setblocking(True)  # noqa: FBT003 - the socket's own argument
            thread = threading.Thread(
                target=self._serve, args=(LoopbackBus(connection),), name="vehicle-bus", daemon=True
            )
            self._threads.append(thread)
            thread.start()

    def _serve(self, bus: LoopbackBus) -> None:
        modules = [
            self._module(bus, 0, EngineUnit(self.vehicle)),
            self._module(bus, 2, BrakeUnit(self.vehicle)),
        ]
        try:
            while not self._ended.is_set():
                busy = any(m.stack.transmitting() for m in modules)
                message = bus.recv(0.001 if busy else 0.05)
                if message is not None:
                    self._take(message, modules)
                for module in modules:
                    module.stack.process()
                    self._reply(module)
        except can.CanError:
            return  # hung up by the other end, which is how every connection ends
        finally:
            bus.shutdown()

    def _module(self, bus: LoopbackBus, unit: int, answers: EngineUnit | BrakeUnit) -> _Module:
        waiting: list[isotp.CanMessage] = []

        def send(frame: isotp.CanMessage) -> None:
            bus.send(
                can.Message(arbitration_id=frame.arbitration_id, data=frame.data, is_extended_id=False)
            )

        stack = isotp.TransportLayerLogic(
            rxfn=lambda _wait: waiting.pop(0) if waiting else None,
            txfn=send,
            address=isotp.Address(txid=FIRST_ANSWER + unit, rxid=FIRST_REQUEST + unit),
            params=_PARAMETERS,
        )
        stack.logger.disabled = True
        return _Module(unit, answers, stack, waiting)

    def _take(self, message: can.Message, modules: list[_Module]) -> None:
        set_to = hands.hands_of(message)
        if set_to is not None:
            self._handle(*set_to)
        elif message.arbitration_id == TO_ALL and len(message.data) > 1:
            length = message.data[0]
            if 1 <= length <= 7:
                request = bytes(message.data[1 : 1 + length])
                for module in modules:
                    self._answer(module, request, to_all=True)
        else:
            for module in modules:
                if message.arbitration_id == FIRST_REQUEST + module.unit:
                    module.waiting.append(
                        isotp.CanMessage(message.arbitration_id, message.dlc, bytes(message.data))
                    )

    def _reply(self, module: _Module) -> None:
        request = module.stack.recv()
        if request is not None:
            self._answer(module, bytes(request), to_all=False)

    def _answer(self, module: _Module, request: bytes, *, to_all: bool) -> None:
        with self.lock:
            told = module.answers.answer(request, to_all=to_all)
        if told is not None:
            time.sleep(self._answer_s)
            module.stack.send(told)
            module.stack.process()

    def _handle(self, pedal_pct: float, flags: int) -> None:
        with self.lock:
            driver = self.vehicle.driver
            driver.pedal_pct = pedal_pct
            driver.key = bool(flags & hands.KEY)
            driver.shaken, driver.wet = bool(flags & hands.SHAKEN), bool(flags & hands.WET)
            driver.unplugged = bool(flags & hands.UNPLUGGED)
            if flags & hands.ENGINE and not self.vehicle.engine.running:
                self.vehicle.start_engine()
            elif not flags & hands.ENGINE:
                self.vehicle.engine.stop()


@contextlib.contextmanager
def self_driving(server: VehicleServer) -> Iterator[None]:
    """Somebody sweeps the pedal and shakes the harness now and then, for as long as this lasts."""
    ended = threading.Event()
    began = server.vehicle.time_s

    def sweep() -> None:
        while not ended.wait(0.02):
            with server.lock:
                now = server.vehicle.time_s - began
                server.vehicle.driver.pedal_pct = 50.0 - 50.0 * math.cos(2.0 * math.pi * now / _SWEEP_S)
                server.vehicle.driver.shaken = now % _SHAKE_EVERY_S > _SHAKE_EVERY_S / 2

    hand = threading.Thread(target=sweep, name="hands", daemon=True)
    hand.start()
    try:
        yield
    finally:
        ended.set()
        hand.join(1.0)

"""The sensor's circuit as the vehicle steps through it: solved once for each set of faults."""

from dataclasses import replace

import numpy as np

from nervus.circuit.network import Resistor
from nervus.circuit.sensor import SensorCircuit
from nervus.circuit.signatures import CircuitFault, broken
from nervus.domain.channel import FloatArray

_PLACES = np.linspace(0.0, 1.0, 201)


class Wiring:
    """Node voltages at a position, with any set of faults in the circuit."""

    def __init__(self, circuit: SensorCircuit) -> None:
        self.circuit = circuit
        self._tables: dict[tuple[tuple[str, float | None], ...], dict[str, FloatArray]] = {}

    def volts(
        self, percent: float, faults: tuple[tuple[CircuitFault, float | None], ...] = ()
    ) -> dict[str, float]:
        """Volts of every node against the unit's ground at a percent of the travel."""
        key = tuple((f.id, ohms) for f, ohms in faults)
        table = self._tables.get(key)
        if table is None:
            circuit = self.circuit
            for fault, ohms in faults:
                circuit = broken(circuit, fault, ohms)
            table = circuit.over(_PLACES)
            self._tables[key] = table
        at = min(max(percent, 0.0), 100.0) * (_PLACES.size - 1) / 100.0
        low = min(int(at), _PLACES.size - 2)
        share = at - low
        return {n: float(v[low] + share * (v[low + 1] - v[low])) for n, v in table.items()}

    def metered(self, red: str, black: str, meter_ohms: float) -> "Wiring":
        """The same with a meter between two nodes, which loads them."""
        meter = Resistor(red, black, meter_ohms)
        return Wiring(replace(self.circuit, shorts=(*self.circuit.shorts, meter)))

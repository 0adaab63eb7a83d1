"""A mean-value engine: air, speed, warm-up.

After E. Hendricks, S. C. Sorenson, "Mean value modelling of spark ignition engines", SAE 900616 (1990),
and Heywood (1988), from memory: the manifold fills through the throttle's orifice and empties into
the cylinders; torque follows the air; the speed follows the torque. Numbers are invented: a two-litre
four-cylinder engine.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np

from nervus.engine.air_flow import R_AIR, STANDARD_PA, orifice_flow, plate_area, pump_flow

BORE_M: Final = 0.048
DISCHARGE: Final = 0.8
_SWEPT_M3, _MANIFOLD_M3 = 2.0e-3, 3.0e-3
_EFFICIENCY = 0.75
_INERTIA, _NM_PER_KG = 0.18, 115_000.0
# Friction of a warm engine at rest and per 1/min, and how much more a cold one has.
_DRAG_NM, _DRAG_PER_RPM, _COLD_DRAG = 14.0, 0.0036, 0.5
_WARM_C, _WARM_UP_S, _COOL_S = 90.0, 160.0, 2400.0
STEP_S: Final = 0.005
STARTER_RPM: Final = 250.0


@dataclass(slots=True)
class Engine:
    """The engine's state.

    Attributes:
        rpm: revolutions a minute.
        manifold_pa: pressure behind the throttle.
        coolant_c: coolant temperature.
        ambient_c: of the air.
        flow_kg_s: through the throttle.
        running: whether fuel and spark are on.
    """

    rpm: float = 0.0
    manifold_pa: float = STANDARD_PA
    coolant_c: float = 20.0
    ambient_c: float = 20.0
    flow_kg_s: float = 0.0
    running: bool = False

    def start(self) -> None:
        """Crank it."""
        self.running = True
        self.rpm = max(self.rpm, STARTER_RPM)

    def stop(self) -> None:
        """Take fuel and spark away."""
        self.running = False

    def step(self, plate_deg: float, valve_m2: float = 0.0) -> None:
        """Advance by one step with the plate at an angle and an idle valve opened by an area."""
        kelvin = self.ambient_c + 273.15
        area = float(plate_area(np.asarray(plate_deg), BORE_M)) * DISCHARGE + valve_m2
        into = float(
            orifice_flow(np.asarray(area), np.asarray(STANDARD_PA), np.asarray(self.manifold_pa), kelvin)
        )
        out = float(
            pump_flow(np.asarray(self.rpm), np.asarray(self.manifold_pa), kelvin, _SWEPT_M3, _EFFICIENCY)
        )
        self.flow_kg_s = into
        filled = self.manifold_pa + STEP_S * R_AIR * kelvin / _MANIFOLD_M3 * (into - out)
        self.manifold_pa = min(max(filled, 8_000.0), STANDARD_PA)
        self._turn(out)
        self._warm()

    def _turn(self, air_kg_s: float) -> None:
        cold = max(0.0, (_WARM_C - self.coolant_c) / _WARM_C)
        drag = (_DRAG_NM + _DRAG_PER_RPM * self.rpm) * (1.0 + _COLD_DRAG * cold)
        per_turn = air_kg_s / max(self.rpm, 100.0)
        pull = _NM_PER_KG * 60.0 * per_turn if self.running and self.rpm > 120.0 else 0.0
        pumping = (STANDARD_PA - self.manifold_pa) * _SWEPT_M3 / (4.0 * np.pi)
        change = (pull - (drag + pumping if self.rpm > 0 else 0.0)) / _INERTIA
        self.rpm = min(max(self.rpm + STEP_S * change * 30.0 / np.pi, 0.0), 7_000.0)

    def _warm(self) -> None:
        if self.running:
            self.coolant_c += STEP_S * (_WARM_C + 2.0 - self.coolant_c) / _WARM_UP_S
        else:
            self.coolant_c += STEP_S * (self.ambient_c - self.coolant_c) / _COOL_S

    @property
    def load_pct(self) -> float:
        """Calculated load (SAE J1979): air flow over what it could be at this speed, percent."""
        most = float(
            pump_flow(
                np.asarray(max(self.rpm, 1.0)), np.asarray(STANDARD_PA), 298.15, _SWEPT_M3, _EFFICIENCY
            )
        )
        return 100.0 * min(1.0, self.flow_kg_s / most) if self.rpm > 50.0 else 0.0

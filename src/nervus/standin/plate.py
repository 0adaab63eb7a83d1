"""The throttle plate: motor, double spring, friction, stops.

Second order, as in J. Deur et al., "An electronic throttle control strategy including compensation of
friction and limp-home effects", IEEE Trans. Ind. Appl. 40 (2004) 821-834 (from memory; numbers are
invented and plausible): the motor's torque against a spring that holds the plate slightly open
without current, Coulomb and viscous friction, and the motor's back-EMF as more viscous friction.
Torques are divided by the inertia, so they are in degrees per second squared.
"""

from dataclasses import dataclass

STEP_S = 0.001
"""The model's own time step; its fastest time constant is 8 ms."""


@dataclass(frozen=True, slots=True)
class PlateData:
    """One throttle body.

    Attributes:
        open_deg: the open stop; 0 is the closed one.
        rest_deg: where the spring holds it without current (common practice: about 8 degrees).
        motor: acceleration at the full duty, degrees per second squared.
        spring: acceleration per degree away from rest.
        preload: acceleration that the spring has at once on both sides of its rest.
        damping: per second, friction of the oil and back-EMF.
        friction: Coulomb friction as an acceleration.
    """

    open_deg: float = 84.0
    rest_deg: float = 8.0
    motor: float = 140_000.0
    spring: float = 500.0
    preload: float = 20_000.0
    damping: float = 120.0
    friction: float = 5_000.0


class Plate:
    """The plate as it moves; angles in degrees from the closed stop."""

    def __init__(self, data: PlateData, angle_deg: float | None = None) -> None:
        self.data = data
        self.angle_deg = data.rest_deg if angle_deg is None else angle_deg
        self.speed = 0.0
        self.extra_friction = 0.0
        self.held_above_deg: float | None = None

    @property
    def percent(self) -> float:
        """Percent of the travel between the stops."""
        return 100.0 * self.angle_deg / self.data.open_deg

    def step(self, duty: float) -> None:
        """Advance by one step under a motor duty of -1 (closing) to 1 (opening)."""
        data = self.data
        away = self.angle_deg - data.rest_deg
        spring = -data.spring * away - _sign(away, 0.05) * data.preload
        force = data.motor * min(max(duty, -1.0), 1.0) + spring
        limit = data.friction + self.extra_friction
        if abs(self.speed) < limit * STEP_S and abs(force) <= limit:
            self.speed = 0.0
            return
        against = limit if (self.speed or force) > 0 else -limit
        # Semi-implicit Euler: the damping is taken at the step's end, so that it can't overshoot.
        speed = (self.speed + STEP_S * (force - against)) / (1.0 + data.damping * STEP_S)
        if self.speed * speed < 0.0:
            speed = 0.0
        self.speed = speed
        self._move_to(self.angle_deg + STEP_S * speed)

    def _move_to(self, angle: float) -> None:
        low = 0.0 if self.held_above_deg is None else min(self.held_above_deg, self.angle_deg)
        if not low <= angle <= self.data.open_deg:
            self.speed = 0.0
        self.angle_deg = min(max(angle, low), self.data.open_deg)


def _sign(value: float, soft: float) -> float:
    """The sign, going through zero within `soft`, so that the plate can come to rest there."""
    return min(max(value / soft, -1.0), 1.0)

"""The components that a judgement weighs."""

from enum import StrEnum


class SuspectId(StrEnum):
    """Components that may have failed."""

    SENSOR = "sensor"
    WIRING = "wiring"
    THROTTLE_BODY = "throttle_body"
    PEDAL_SENSOR = "pedal_sensor"
    SUPPLY_GROUND = "supply_ground"
    CONTROL_UNIT = "control_unit"
    ELSEWHERE = "elsewhere"
    NONE = "none"

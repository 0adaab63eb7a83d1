"""Air through the throttle and into the engine: the plate as an orifice, the engine as a pump.

Sources: J. B. Heywood, "Internal Combustion Engine Fundamentals" (1988), appendix C (compressible
flow through an orifice, equations C.8 and C.9) and section 7.6 (plate area, equation 7.18 without the
shaft; speed-density, equation 2.27). From memory; checked in the tests against other formulas.
"""

import math

import numpy as np

from nervus.domain.channel import FloatArray

GAMMA_AIR, R_AIR = 1.4, 287.05
"""Ratio of specific heats, and J/(kg K), of dry air."""

CRITICAL_RATIO = (2.0 / (GAMMA_AIR + 1.0)) ** (GAMMA_AIR / (GAMMA_AIR - 1.0))
"""Below this pressure ratio (0.528) the flow is choked: it no longer asks what is behind."""

# The standard atmosphere at sea level (ISO 2533).
STANDARD_PA, STANDARD_K = 101_325.0, 288.15
_CHOKED = (2.0 / (GAMMA_AIR + 1.0)) ** ((GAMMA_AIR + 1.0) / (2.0 * (GAMMA_AIR - 1.0)))


def flow_function(ratio: FloatArray) -> FloatArray:
    """Mass flow of an opening as a share of A p0 sqrt(gamma / (R T0)), for pressure ratios of 0 to 1."""
    held = np.clip(ratio, CRITICAL_RATIO, 1.0)
    inner = 1.0 - held ** ((GAMMA_AIR - 1.0) / GAMMA_AIR)
    free = held ** (1.0 / GAMMA_AIR) * np.sqrt(2.0 / (GAMMA_AIR - 1.0) * inner)
    return np.asarray(np.where(np.asarray(ratio) <= CRITICAL_RATIO, _CHOKED, free))


def orifice_flow(
    area_m2: FloatArray,
    before_pa: FloatArray,
    behind_pa: FloatArray,
    before_k: FloatArray | float = STANDARD_K,
) -> FloatArray:
    """Kilograms of air a second through an effective area (that is, times its discharge coefficient)."""
    scale = before_pa * np.sqrt(GAMMA_AIR / (R_AIR * np.asarray(before_k)))
    return np.asarray(area_m2 * scale * flow_function(np.asarray(behind_pa) / before_pa))


def opening_of(
    flow_kg_s: FloatArray,
    before_pa: FloatArray,
    behind_pa: FloatArray,
    before_k: FloatArray | float = STANDARD_K,
) -> FloatArray:
    """The effective area in square metres that lets this flow by: `orifice_flow` the other way round."""
    unit = orifice_flow(np.ones_like(flow_kg_s), before_pa, behind_pa, before_k)
    return np.asarray(flow_kg_s / np.maximum(unit, 1e-12))


def pump_flow(
    speed_per_min: FloatArray,
    manifold_pa: FloatArray,
    manifold_k: FloatArray | float,
    swept_m3: float,
    efficiency: FloatArray | float = 1.0,
) -> FloatArray:
    """Kilograms of air a second into a four-stroke engine: one filling in two turns."""
    fillings = np.asarray(speed_per_min) / 120.0
    density = np.asarray(manifold_pa) / (R_AIR * np.asarray(manifold_k))
    return np.asarray(efficiency * swept_m3 * fillings * density)


def plate_area(
    angle_deg: FloatArray, bore_m: float, closed_deg: float = 4.0, leak: float = 0.004
) -> FloatArray:
    """Free area of a thin plate in a round bore, in square metres.

    Args:
        angle_deg: of the plate against its closed stop.
        bore_m: diameter of the bore.
        closed_deg: how far the plate leans when it is closed.
        leak: share of the bore that stays free round the closed plate.
    """
    bore = math.pi * bore_m**2 / 4.0
    angle = np.radians(np.clip(closed_deg + np.asarray(angle_deg), closed_deg, 90.0))
    free = 1.0 - np.cos(angle) / math.cos(math.radians(closed_deg))
    return np.asarray(bore * np.clip(free + leak, 0.0, 1.0))

"""In which order bolts are drawn, for any number of them, and how tight in each round."""

from math import cos, pi, sin

from nervus.language import say

# Fewer bolts have no order, and more stand on no throttle body.
FEWEST, MOST = 2, 24
# The rounds, as shares of the last torque. Source: common practice, no published source.
_ROUNDS = (0.3, 0.6, 1.0)
NM_IN_LBF_FT, NM_IN_LBF_IN = 1.355_818, 0.112_984_8
"""Pound-force foot and pound-force inch in N·m: NIST SP 811 (2008), appendix B.8."""


def crosswise(count: int) -> tuple[int, ...]:
    """The order in which bolts on a circle are drawn, numbered from 0 clockwise.

    Of an even number each is followed by the one opposite, and the next pair stands as far from those
    before as can be; of an odd number each is as far from the last as can be.

    Raises:
        ValueError: a number of bolts that is none.
    """
    if not FEWEST <= count <= MOST:
        raise ValueError(
            say(
                "{count} bolts: from {fewest} to {most} can be drawn",
                count=count,
                fewest=FEWEST,
                most=MOST,
            )
        )
    if count % 2:
        step = count // 2
        return tuple(n * step % count for n in range(count))
    half = count // 2
    firsts = [0]
    left = set(range(1, half))
    while left:
        chosen = max(left, key=lambda one: (min(_apart(one, o, half) for o in firsts), -one))
        firsts.append(chosen)
        left.remove(chosen)
    return tuple(bolt for first in firsts for bolt in (first, first + half))


def rounds(nm: float) -> tuple[float, ...]:
    """The torque of each round in N·m, the last one whole."""
    return tuple(round(nm * share, 1) for share in _ROUNDS)


def places(count: int) -> tuple[tuple[float, float], ...]:
    """Where each bolt stands on a circle of radius 1 about 0, 0: from the top clockwise, y down."""
    return tuple((sin(2 * pi * n / count), -cos(2 * pi * n / count)) for n in range(count))


def in_units(nm: float) -> str:
    """A torque in the three units that wrenches carry."""
    return say(
        "{nm:.1f} N·m = {nm_in_lbf_ft:.1f} lbf·ft = {nm_in_lbf_in:.0f} lbf·in",
        nm=nm,
        nm_in_lbf_ft=nm / NM_IN_LBF_FT,
        nm_in_lbf_in=nm / NM_IN_LBF_IN,
    )


def _apart(one: int, other: int, count: int) -> int:
    between = abs(one - other) % count
    return min(between, count - between)

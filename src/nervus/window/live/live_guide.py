"""The guided sweep: how many passes, what they covered, how fast they were, what is next."""

import numpy as np

from nervus.domain.analysis import Examination

# Enough passes to tell a place from chance, and a pace that leaves samples on every stretch (common
# practice: slowly and evenly, a few seconds from stop to stop).
WANTED_PASSES = 6
SLOWEST_PCT_S, FASTEST_PCT_S = 10.0, 60.0
_PEDAL = "Sweep by the pedal with the key on, never by a finger: a motor-driven plate can cut."
_HAND = "Sweep by hand at the lever, engine off, hands clear of fans and belts."


def guide_text(seen: Examination, *, electronic: bool) -> str:
    """What a technician should do next, in one or two sentences."""
    how = _PEDAL if electronic else _HAND
    count = len(seen.passes)
    if count == 0:
        return f"{how} From stop to stop in about three seconds, {WANTED_PASSES} passes."
    paces = [abs(p.to_pct - p.from_pct) / max(p.end_s - p.start_s, 1e-3) for p in seen.passes[-4:]]
    pace = float(np.median(paces))
    speed = "Good pace."
    if pace > FASTEST_PCT_S:
        speed = f"Slower: {pace:.0f} % a second, {FASTEST_PCT_S:.0f} at most."
    elif pace < SLOWEST_PCT_S:
        speed = f"A little faster: {pace:.0f} % a second."
    gaps = _gaps(seen)
    if count >= WANTED_PASSES and not gaps:
        return f"Enough: {count} passes over the whole travel in the last seconds."
    left = f"Not swept yet: {gaps}." if gaps else f"{max(1, WANTED_PASSES - count)} more to go."
    return f"{count} passes. {left} {speed} {how}"


def _gaps(seen: Examination) -> str:
    """Stretches of the travel that no pass covered, the outermost few percent apart."""
    at, found = 8.0, []
    for low, high in seen.coverage.swept_pct:
        if low > at + 2.0:
            found.append(f"{at:.0f} to {low:.0f} %")
        at = max(at, high)
    if at < 92.0:
        found.append(f"{at:.0f} to 100 %")
    return ", ".join(found)

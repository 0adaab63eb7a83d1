"""The guided sweep: how many passes, what they covered, how fast they were, what is next."""

import numpy as np

from nervus.domain.analysis import Examination
from nervus.language import say

# Enough passes to tell a place from chance, and a pace that leaves samples on every stretch (common
# practice: slowly and evenly, a few seconds from stop to stop).
WANTED_PASSES = 6
SLOWEST_PCT_S, FASTEST_PCT_S = 10.0, 60.0
_PEDAL = say("Sweep by the pedal with the key on, never by a finger: a motor-driven plate can cut.")
_HAND = say("Sweep by hand at the lever, engine off, hands clear of fans and belts.")


def guide_text(seen: Examination, *, electronic: bool) -> str:
    """What a technician should do next, in one or two sentences."""
    how = _PEDAL if electronic else _HAND
    count = len(seen.passes)
    if count == 0:
        return say(
            "{how} From stop to stop in about three seconds, {wanted_passes} passes.",
            how=how,
            wanted_passes=WANTED_PASSES,
        )
    paces = [abs(p.to_pct - p.from_pct) / max(p.end_s - p.start_s, 1e-3) for p in seen.passes[-4:]]
    pace = float(np.median(paces))
    speed = say("Good pace.")
    if pace > FASTEST_PCT_S:
        speed = say(
            "Slower: {pace:.0f} % a second, {fastest_pct_s:.0f} at most.",
            pace=pace,
            fastest_pct_s=FASTEST_PCT_S,
        )
    elif pace < SLOWEST_PCT_S:
        speed = say("A little faster: {pace:.0f} % a second.", pace=pace)
    gaps = _gaps(seen)
    if count >= WANTED_PASSES and not gaps:
        return say("Enough: {count} passes over the whole travel in the last seconds.", count=count)
    left = (
        say("Not swept yet: {gaps}.", gaps=gaps)
        if gaps
        else say("{max} more to go.", max=max(1, WANTED_PASSES - count))
    )
    return say("{count} passes. {left} {speed} {how}", count=count, left=left, speed=speed, how=how)


def _gaps(seen: Examination) -> str:
    """Stretches of the travel that no pass covered, the outermost few percent apart."""
    at, found = 8.0, []
    for low, high in seen.coverage.swept_pct:
        if low > at + 2.0:
            found.append(say("{at:.0f} to {low:.0f} %", at=at, low=low))
        at = max(at, high)
    if at < 92.0:
        found.append(say("{at:.0f} to 100 %", at=at))
    return ", ".join(found)

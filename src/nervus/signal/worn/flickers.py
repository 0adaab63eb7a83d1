"""Roughness that is seen only as single interruptions: each unlike the others, all over one stretch.

Where passes are snaps, or a hand rests on a worn stretch, no pass shows how rough it is; but a contact
that flickers leaves its course there again and again, by as much as it happens to.
"""

import numpy as np

from nervus.domain.analysis import Pass
from nervus.domain.channel import FloatArray
from nervus.domain.finding import Floor, Noise
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.explained.events import Event
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.worn.dead_spots import are_unlike, by_passes, clustered
from nervus.signal.worn.rough import rough_told

# It takes so many passes; the odd interruption at either end of the stretch is left out, percent of all.
_LEAST_PASSES, _ENDS = 3, (5.0, 95.0)
# What a shaft goes further through meanwhile, percent of travel, is no one stretch.
_WIDEST_PCT = 25.0


def flickers_at(
    track: Instrument,
    events: tuple[Event, ...],
    passes: tuple[Pass, ...],
    travel: tuple[FloatArray, FloatArray],
) -> Noise | None:
    """A stretch that interruptions of one track are all that is seen of, if there is one.

    Args:
        track: the track.
        events: what no other worn place explains.
        passes: of the travel.
        travel: instants and percent of travel, shape (n,) each.
    """
    own = (e for e in events if e.channels == (track.id,))
    members = clustered(tuple(e for e in own if e.deepest[1].floor is Floor.INTERMEDIATE), travel)
    if not members:
        return None
    at = read_at(np.asarray([e.span_s for e in members]), *travel)
    low, high = (round(float(q), 2) for q in np.percentile(at, _ENDS))
    if high - low > _WIDEST_PCT:
        return None
    crossed = [p for p in passes if min(p.from_pct, p.to_pct) < high and max(p.from_pct, p.to_pct) > low]
    parts = [part for e in members for _, part in e.parts]
    counts = (within.stop - within.start for _, within in by_passes(members, tuple(crossed)))
    seen = [count for count in counts if count > 0]
    if len(seen) < _LEAST_PASSES or not are_unlike(track, parts, float(np.median(seen))):
        return None
    off = float(np.median([part.depth for part in parts]))
    usual = max(track.noise, track.resolution / np.sqrt(12.0))
    return rough_told(track, (low, high), (off, usual), (len(seen), len(crossed)))

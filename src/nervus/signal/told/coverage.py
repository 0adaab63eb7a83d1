"""Coverage: what the recording could not have shown, said before anybody trusts its silence."""

from collections.abc import Sequence
from dataclasses import replace
from math import ceil, log

import numpy as np

from nervus.domain.analysis import ChannelSummary, Coverage, Pass, Travel
from nervus.domain.channel import CHANNEL_KINDS, Sensor, Span, Unit
from nervus.domain.finding import DeadSpot
from nervus.language import figures, say, say_many
from nervus.signal.arithmetic.chance import SURE, clean_after_repair
from nervus.signal.arithmetic.intervals import wilson
from nervus.signal.arithmetic.spans import merge

# Stretches closer than this were swept without a gap.
_JOIN_PCT = 1.0
# Events closer than this, or than this share of the recording, are one bout.
_BOUT_S, _BOUT_SHARE = 2.0, 0.04
# This much of the travel need not be swept to call it whole.
_NEARLY_PCT = 4.0


def describe_coverage(
    channels: tuple[ChannelSummary, ...],
    travel: Travel | None,
    passes: tuple[Pass, ...],
    drops_s: Sequence[float] = (),
    spots: Sequence[DeadSpot] = (),
) -> Coverage:
    """Travel that was reached and swept, the shortest event of the tracks, the chance of seeing.

    Args:
        channels: how each channel was sampled.
        travel: where the throttle was.
        passes: of the travel.
        drops_s: when it shows an interruption, in the order of time.
        spots: the dead spots that it shows.
    """
    own = [(c, CHANNEL_KINDS[c.id]) for c in channels]
    own = [(c, kind) for c, kind in own if kind.sensor is Sensor.THROTTLE]
    wired = {kind.number for _, kind in own if kind.unit is Unit.VOLT}
    tracks = [
        c.shortest_event_s for c, kind in own if kind.unit is Unit.VOLT or kind.number not in wired
    ]
    shortest = max(tracks) if tracks else max(c.shortest_event_s for c in channels)
    seen: Span | None = None
    if travel is not None and travel.percent.size:
        low, high = np.percentile(travel.percent, [0.2, 99.8])
        seen = (round(max(0.0, float(low)), 1), round(min(100.0, float(high)), 1))
    swept = merge(((min(p.from_pct, p.to_pct), max(p.from_pct, p.to_pct)) for p in passes), _JOIN_PCT)
    text = _text(seen, swept, shortest, len(passes))
    if travel is not None and travel.time_s.size > 1:
        watched_s = float(travel.time_s[-1] - travel.time_s[0])
        text += " " + (_of_place(spots) if spots else _chance(watched_s, bouts(drops_s, watched_s)))
    return Coverage(seen, swept, shortest, text)


def of_contactless(coverage: Coverage, *, by_profile: bool) -> Coverage:
    """The same with what a contactless sensor can't show, and how it fails.

    Args:
        coverage: of the recording.
        by_profile: whether the profile says what it is, not how it fell out.
    """
    known = (
        say("The sensor is contactless:")
        if by_profile
        else say("It fell out as a contactless sensor does:")
    )
    rest = say(
        "nothing in it wears at a place, ohms between its pins say nothing, and fed too poorly it lets "
        "go of all its outputs at once."
    )
    return replace(coverage, text=f"{coverage.text} {known} {rest}")


def of_ended(coverage: Coverage, track: str, sister: str, percent: float) -> Coverage:
    """The same with where a track shows no more, which is no fault of it.

    Args:
        coverage: of the recording.
        track: what a technician calls it.
        sister: what the other one is called.
        percent: of the travel, from where on.
    """
    text = say(
        "From {percent:.0f} % on {track} stands at its end, as some do: there {sister} alone tells.",
        percent=percent,
        track=track,
        sister=sister,
    )
    return replace(coverage, text=f"{coverage.text} {text}")


def _chance(watched_s: float, events: int) -> str:
    """What the time that was watched says: about what did not show, or about a repair."""
    if events == 0:
        once_in = watched_s / -log(1.0 - SURE)
        return say(
            "An interruption that comes once in {duration} would have shown (95 in 100).",
            duration=_duration(once_in),
        )
    clean = clean_after_repair(events, watched_s)
    return say(
        "After a repair, {duration} as here without one would prove it (95 in 100).",
        duration=_duration(clean),
    )


def bouts(at_s: Sequence[float], watched_s: float) -> int:
    """How many bouts some events make: what comes soon after another one is no fresh proof of the fault.

    A contact that shakes opens many times at one shake; how often it shakes tells how long to wait.
    """
    gap_s = max(_BOUT_S, _BOUT_SHARE * watched_s)
    return sum(1 for n, t in enumerate(at_s) if n == 0 or t - at_s[n - 1] > gap_s)


def _of_place(spots: Sequence[DeadSpot]) -> str:
    """How many clean passes prove a repair: for a worn place crossings count, not seconds.

    With the share of passes that showed it at its lower bound (Wilson), the chance that the next n all
    look
    clean although nothing was repaired is (1 - share)^n.
    """
    shares = (max(wilson(s.seen_in, max(s.crossed, s.seen_in))[0], 0.05) for s in spots)
    clean = ceil(log(1.0 - SURE) / log(1.0 - min(0.95, *shares)))
    return say(
        "After a repair, {clean} passes over the place without it would prove it (95 in 100).",
        clean=clean,
    )


def _duration(seconds: float) -> str:
    return (
        figures("{seconds:.0f} s", seconds=seconds)
        if seconds < 100
        else figures("{seconds:.0f} min", seconds=seconds / 60)
    )


def _text(seen: Span | None, swept: tuple[Span, ...], shortest: float, passes: int) -> str:
    brief = say(
        "An event shorter than {milliseconds} can slip between two samples.",
        milliseconds=_milliseconds(shortest),
    )
    if seen is None or not swept:
        return say(
            "The throttle was never swept, so no place in its travel was tested. {brief}", brief=brief
        )
    gaps = [say("{a:.0f} to {b:.0f} %", a=a, b=b) for a, b in _gaps(swept) if b - a > _NEARLY_PCT]
    told = (
        say("The whole travel was swept")
        if not gaps
        else say("Never swept: {join}", join=", ".join(gaps))
    )
    return say_many(
        "{told}, in {count} pass. {brief}",
        "{told}, in {count} passes. {brief}",
        passes,
        told=told,
        brief=brief,
    )


def _gaps(swept: tuple[Span, ...]) -> list[Span]:
    edges = [0.0, *(min(100.0, max(0.0, e)) for span in swept for e in span), 100.0]
    return list(zip(edges[::2], edges[1::2], strict=True))


def _milliseconds(seconds: float) -> str:
    return (
        figures("{seconds:.3g} ms", seconds=seconds * 1000)
        if seconds < 1
        else figures("{seconds:.3g} s", seconds=seconds)
    )

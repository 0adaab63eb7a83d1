"""Locality: do events come back at one place in the travel, or at any place?

Two explanations are weighed against each other. *Clock*: events know nothing of the travel, so each
falls wherever the shaft happens to be; their places are distributed as the time spent over the travel.
*Place*: a share of them comes from one stretch, of unknown middle and width, the rest from the clock.
The Bayes factor is the average likelihood of the second over all middles, widths and shares, over that
of the first (R. E. Kass, A. E. Raftery, "Bayes factors", JASA 90 (1995) 773-795). Under the clock its
expectation is 1, so a factor of b or more has a probability of 1/b at most (Markov's inequality): that
is the p-value that is told.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from nervus.domain.analysis import Locality, Verdict
from nervus.domain.channel import FloatArray, Sensor, Span
from nervus.domain.finding import DeadSpot, Finding, Noise, Shape
from nervus.language import say, say_many
from nervus.signal.arithmetic.spans import overlaps
from nervus.signal.worn.spot import place_text

# A worn place: from a scratch to a broad scar, percent of travel, each width as likely as the next; and
# how much of the events it makes.
_WIDTHS_PCT, _SHARES = (0.7, 1.5, 3.0, 6.0, 12.0, 20.0), (0.75, 0.9, 0.98)
_STEP_PCT = 0.5
# Cells of travel for the time spent there; so much of it is taken as spread over the whole travel, for
# what was not seen in one recording may be in the next.
_CELL_PCT, _ANYWHERE = 1.0, 0.03
# Decided where one explanation is so many times as likely as the other (Kass and Raftery: "strong" from
# 20 on, "positive" from 3 on; who says "anywhere" wrongly opens a harness for nothing).
_PLACE_FROM, _CLOCK_FROM = 20.0, 5.0
# Below this, not even a tight cluster says anything; with fewer than that "anywhere" is not claimed;
# about so many tell.
_LEAST_CLUSTER, _LEAST_ANYWHERE, LEAST_EVENTS = 3, 5, 6
# A place that fewer passes, or events, showed is told as what was seen, not as a thing that comes back
# (common practice, no published source).
_LEAST_PASSES = 4
# Besides the place that is surest so many others are named in the sentence: the findings tell them all.
_MOST_OTHERS = 2
# It stands where between these shares of its time, in a hundred, it moved by less than this.
_MOST_PCT, _STANDS_PCT = (2.0, 98.0), 5.0
# Instants enough for the time spent over the travel, and in how many parts the way to the next is taken.
_ENOUGH, _PARTS = 50_000, 8


def judge_locality(
    event_pct: FloatArray, travel_pct: FloatArray, time_s: FloatArray, *, of_all: bool = False
) -> tuple[Locality, Span | None]:
    """The verdict, and the stretch of travel that the events come from if they come from one.

    Args:
        event_pct: travel at each event, shape (k,); a bout counts once.
        travel_pct: travel over the recording, shape (n,).
        time_s: its instants, shape (n,).
        of_all: all tracks left at each. A scratch over all of them is seldom, and a second fault that
            does the same elsewhere is seldomer still: from one place come all of these, or none.
    """
    count = int(event_pct.size)
    if count < _LEAST_CLUSTER:
        return Locality(count, Verdict.UNDECIDED, None, _too_few(count)), None
    shares = _SHARES[-1:] if of_all else _SHARES
    factor, place = _weigh(event_pct, _time_spent(travel_pct, time_s), shares)
    told = _verdict(count, factor, place)
    if (
        told.verdict is Verdict.TIME
        and float(np.ptp(np.percentile(travel_pct[:: _every(time_s)], _MOST_PCT))) < _STANDS_PCT
    ):
        # What a place makes comes and goes with the shaft.
        text = say("The events come and go while hardly anything moves: tied to time, not travel.")
        told = replace(told, text=text)
    return told, place


def of_worn_and_drops(drops: Mapping[Sensor, Locality], worn: Sequence[Finding]) -> Locality:
    """What ties together all that was seen: a worn place is one by what passes repeat."""
    most = max(drops.values(), key=lambda told: told.events, default=no_events())
    places = [f for f in worn if isinstance(f, DeadSpot | Noise)]
    if not places:
        if most.verdict is Verdict.POSITION and most.events < _LEAST_PASSES:
            return replace(most, verdict=Verdict.UNDECIDED, text=_too_few(most.events))
        return most
    count = sum(f.seen_in for f in places if isinstance(f, DeadSpot)) + most.events
    back = [f for f in places if _comes_back(f)]
    if not back:
        few = Locality(count, Verdict.UNDECIDED, most.p_value, _too_few(count))
        return most if most.verdict is Verdict.TIME else few
    sure = max(back, key=lambda f: f.confidence)
    text = say("It comes back {place_text}, pass after pass.", place_text=place_text(sure.travel_pct, 0))
    own = (f for f in places if f.sensor is sure.sensor)
    others = {f.travel_pct for f in own if not overlaps(f.travel_pct, sure.travel_pct)}
    for place in sorted(others)[:_MOST_OTHERS]:
        text += say(" Also {place_text}.", place_text=place_text(place, 0))
    if most.events:
        lie = say("1 drop lies") if most.events == 1 else say("{events} drops lie", events=most.events)
        text += say(" {lie} elsewhere: another cause, or another place.", lie=lie)
    return Locality(count, Verdict.POSITION, round(1.0 - sure.confidence, 3), text)


def _comes_back(worn: DeadSpot | Noise) -> bool:
    """Whether enough passes tell of a place: each one that interrupts, all else in all together."""
    if isinstance(worn, Noise):
        return True
    return (worn.seen_in if worn.shape is Shape.DROP else worn.crossed) >= _LEAST_PASSES


def no_events() -> Locality:
    """Where there was nothing to place."""
    return Locality(0, Verdict.UNDECIDED, None, _too_few(0))


def _every(time_s: FloatArray) -> int:
    return max(1, time_s.size // _ENOUGH)


def _time_spent(travel_pct: FloatArray, time_s: FloatArray) -> FloatArray:
    """The share of the time spent in each cell of travel from 0 to 100, per percent, shape (cells,).

    From each instant to the next one the shaft went straight: a quick one is read in few cells, and was
    in all of them.
    """
    cells = int(100.0 / _CELL_PCT)
    first = np.arange(0, max(time_s.size - 1, 1), _every(time_s))
    behind = np.minimum(first + 1, time_s.size - 1)
    here, there = travel_pct[first], travel_pct[behind]
    parts = (np.arange(_PARTS) + 0.5) / _PARTS
    cell = ((here[:, np.newaxis] + np.outer(there - here, parts)) / _CELL_PCT).astype(np.int64)
    took_s = np.repeat(np.maximum(time_s[behind] - time_s[first], 1e-12), _PARTS)
    spent = np.bincount(np.clip(cell, 0, cells - 1).ravel(), weights=took_s, minlength=cells)
    share = spent / float(spent.sum())
    return np.asarray((1.0 - _ANYWHERE) * share / _CELL_PCT + _ANYWHERE / 100.0, dtype=np.float64)


def _weigh(event_pct: FloatArray, spent: FloatArray, shares: Sequence[float]) -> tuple[float, Span]:
    """The Bayes factor for place against clock, and the stretch that explains the events best."""
    cell = np.clip((event_pct / _CELL_PCT).astype(np.int64), 0, spent.size - 1)
    clock = spent[cell]
    middles = np.arange(0.0, 100.0 + _STEP_PCT, _STEP_PCT)
    best, place, logs = -np.inf, (0.0, 100.0), []
    for width in _WIDTHS_PCT:
        within = np.abs(event_pct - middles[:, np.newaxis]) <= width / 2.0
        for share in shares:
            elsewhere = np.log1p(-share)
            more = np.log(share / (width * clock) + (1.0 - share)) - elsewhere
            log = within @ more + event_pct.size * elsewhere
            logs.append(log)
            top = int(np.argmax(log))
            if log[top] > best and within[top].any():
                inside = event_pct[within[top]]
                best, place = float(log[top]), (float(inside.min()), float(inside.max()))
    every = np.concatenate(logs)
    most = float(every.max())
    return float(np.exp(np.clip(most, -700.0, 700.0)) * np.mean(np.exp(every - most))), place


def _verdict(count: int, factor: float, place: Span) -> Locality:
    p_value = round(min(1.0, 1.0 / max(factor, 1e-12)), 6)
    if factor >= _PLACE_FROM:
        text = say(
            "The events come back between {place:.0f} and {place_:.0f} % of the travel: "
            "that is {times} as likely as that they come at any time.",
            place=place[0],
            place_=place[1],
            times=_times(factor),
        )
        return Locality(count, Verdict.POSITION, p_value, text)
    if factor <= 1.0 / _CLOCK_FROM and count >= _LEAST_ANYWHERE:
        text = say(
            "The events come at any place, {times} as likely as from one place: tied to "
            "time, not travel.",
            times=_times(1.0 / factor),
        )
        return Locality(count, Verdict.TIME, p_value, text)
    return Locality(count, Verdict.UNDECIDED, p_value, _too_few(count))


def _times(factor: float) -> str:
    return say("over a thousand times") if factor > 1000.0 else say("{factor:.0f} times", factor=factor)


def _too_few(count: int) -> str:
    if count == 0:
        return say("There was no event to place.")
    events = say_many("{count} event", "{count} events", count)
    return say(
        "Place or clock can't be told from {events}; about {count} more would.",
        events=events,
        count=max(2, LEAST_EVENTS - count),
    )

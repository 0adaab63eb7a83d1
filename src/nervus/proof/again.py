"""The same test again: each finding of before is asked for in the recording of after."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from nervus.domain.analysis import Analysis, Examination
from nervus.domain.channel import Recording, Span
from nervus.domain.entry import Source
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Noise,
    Nonlinear,
    OffRest,
    OutOfRange,
    SupplyFault,
)
from nervus.domain.job import Watch, new_id, now
from nervus.domain.repair import Exposure
from nervus.judge.how_long import chance_of_clean, clean_needed
from nervus.language import figures, say
from nervus.proof.watching import SAME_PLACE_PCT
from nervus.signal.arithmetic.chance import SURE
from nervus.signal.told.coverage import bouts

# Coolant nearer than this is as warm as then. Source: from memory, no published source.
_AS_WARM_C = 15.0
# So much of the travel has to be swept again before what shows over all of it is called gone.
_MOST_OF_IT = 0.8
# A closing pass that ends below this was let go, in percent of travel.
_NEAR_CLOSED = 15.0
# What is less probable than this is told as less than 1 in 10 000.
_SELDOM = 1e-4
_SHAKING = ("shake", "wiggle", "harness", "plug", "tap", "move")


class Asked(StrEnum):
    """What became of a finding."""

    GONE = "gone"
    STILL = "there still"
    NOT_YET = "not seen, too few to tell"
    NOT_TESTED = "not tested"
    NEW = "new"


@dataclass(frozen=True, slots=True)
class AskedAgain:
    """A finding of before, or a new one, and what became of it.

    Attributes:
        finding: its sentence.
        outcome: what became of it.
        why: in words, with the numbers.
        number: of the finding in its examination.
        channels: that show it.
    """

    finding: str
    outcome: Asked
    why: str
    number: int
    channels: tuple[str, ...]


def ask_again(before: Analysis, after: Analysis, again: Recording) -> tuple[AskedAgain, ...]:
    """Each cause of before, then what is new.

    What is bound to a place is gone where enough passes crossed it (Fisher's exact test); what comes in
    time, where enough time went by (exact Poisson test); the rest, where the same was tested at all.

    Args:
        before: what was found then.
        after: what is found now.
        again: the recording of after, for how warm it was.
    """
    then, since = before.examination, after.examination
    warm = again.get("ect_c")
    ect_c = float(np.median(warm.values)) if warm is not None else None
    told = [_asked(then, since, number, own, ect_c) for number, own in _causes(then)]
    known = [own for _, own in _causes(then)]
    for number, own in _causes(since):
        if not any(_same(a, b) for old in known for a in old for b in own):
            told.append(
                AskedAgain(own[0].text, Asked.NEW, say("not there before"), number, own[0].channels)
            )
    return tuple(told)


def _causes(seen: Examination) -> list[tuple[int, list[Finding]]]:
    """Findings of one cause together, under the number of the first."""
    groups: dict[str, tuple[int, list[Finding]]] = {}
    for number, finding in enumerate(seen.findings):
        key = finding.group or f"#{number}"
        groups.setdefault(key, (number, []))[1].append(finding)
    return list(groups.values())


def _asked(
    then: Examination, since: Examination, number: int, own: list[Finding], ect_c: float | None
) -> AskedAgain:
    first = own[0]
    still = next((f for f in since.findings if any(_same(o, f) for o in own)), None)
    if still is not None:
        outcome, why = Asked.STILL, still.text
    elif not set(first.channels) & {c.id for c in since.channels}:
        outcome, why = (
            Asked.NOT_TESTED,
            say("{join} was not recorded again", join=", ".join(first.channels)),
        )
    else:
        outcome, why = _tested(then, since, own, ect_c)
    return AskedAgain(first.text, outcome, why, number, first.channels)


def _tested(
    then: Examination, since: Examination, own: list[Finding], ect_c: float | None
) -> tuple[Asked, str]:
    first = own[0]
    match first:
        case DeadSpot():
            return _place(
                since, first.travel_pct, first.seen_in, max(first.crossed, first.seen_in), first
            )
        case Noise():
            crossed = crossings_of(then, first.travel_pct, first)
            return _place(since, first.travel_pct, max(crossed, 1), max(crossed, 1), first)
        case Drop():
            return _in_time(then, since, [f for f in own if isinstance(f, Drop)])
        case OffRest():
            return _at_rest(since, first, ect_c)
        case Disagreement() | Nonlinear():
            return _over_travel(since, first.travel_pct)
        case OutOfRange() | SupplyFault():
            return Asked.GONE, say(
                "{duration_s:.0f} s recorded, within limits throughout", duration_s=since.duration_s
            )
    raise TypeError(first.kind)


def _place(
    since: Examination, place: Span, seen_in: int, crossed: int, finding: Finding
) -> tuple[Asked, str]:
    now_crossed = crossings_of(since, place, finding)
    where = say("{place:.0f} to {place_:.0f} %", place=place[0], place_=place[1])
    if not now_crossed:
        return Asked.NOT_TESTED, say("no pass crossed {where}", where=where)
    watch = _as_watch(Exposure.PASSES, seen_in, float(crossed))
    needed = int(clean_needed(watch))
    counts = say(
        "crossed {now_crossed} times without it, before in {seen_in} of {crossed}",
        now_crossed=now_crossed,
        seen_in=seen_in,
        crossed=crossed,
    )
    if now_crossed >= needed:
        return Asked.GONE, f"{counts} ({_by_chance(chance_of_clean(watch, now_crossed))})"
    return Asked.NOT_YET, say(
        "{counts}; {needed} clean passes would tell (95 in 100)", counts=counts, needed=needed
    )


def _in_time(then: Examination, since: Examination, drops: Sequence[Drop]) -> tuple[Asked, str]:
    count = bouts(sorted(d.times_s[0][0] for d in drops), then.duration_s)
    shaken = [m for d in drops for m in d.marks if _is_shaking(m)]
    if shaken and not any(_is_shaking(m.text) for m in since.marks):
        return Asked.NOT_TESTED, say(
            "it came with “{shaken}”, and nothing was marked so this time", shaken=shaken[0]
        )
    watch = _as_watch(Exposure.WATCHED, max(count, 1), then.duration_s)
    needed, told = (
        clean_needed(watch),
        say(
            "{duration_s:.0f} s without it, before {count} times in ",
            duration_s=since.duration_s,
            count=count,
        ),
    )
    told += figures("{duration_s:.0f} s", duration_s=then.duration_s)
    if since.duration_s >= needed:
        return Asked.GONE, f"{told} ({_by_chance(chance_of_clean(watch, since.duration_s))})"
    return Asked.NOT_YET, say("{told}; {needed:.0f} s would tell (95 in 100)", told=told, needed=needed)


def _at_rest(since: Examination, first: OffRest, ect_c: float | None) -> tuple[Asked, str]:
    released = sum(1 for p in since.passes if p.direction == "closing" and p.to_pct < _NEAR_CLOSED)
    if not released:
        return Asked.NOT_TESTED, say("the throttle was not let go")
    if first.ect_c is not None and ect_c is None:
        return (
            Asked.NOT_TESTED,
            say("it was at {ect_c:.0f} °C, and the coolant was not recorded again", ect_c=first.ect_c),
        )
    if first.ect_c is not None and ect_c is not None and abs(ect_c - first.ect_c) > _AS_WARM_C:
        return Asked.NOT_TESTED, say(
            "it was at {ect_c:.0f} °C, and this time at {ect_c_:.0f} °C", ect_c=first.ect_c, ect_c_=ect_c
        )
    return Asked.GONE, say("let go {released} times, back to its rest each time", released=released)


def _over_travel(since: Examination, place: Span) -> tuple[Asked, str]:
    width = max(place[1] - place[0], 1.0)
    swept = sum(max(0.0, min(b, place[1]) - max(a, place[0])) for a, b in since.coverage.swept_pct)
    where = say("{place:.0f} to {place_:.0f} %", place=place[0], place_=place[1])
    if swept < _MOST_OF_IT * width:
        return Asked.NOT_TESTED, say("{where} was not swept again", where=where)
    return Asked.GONE, say("swept again over {where}, without it", where=where)


def _by_chance(p: float) -> str:
    """How often it would look so by chance alone."""
    if p < _SELDOM:
        return say("by chance alone less than 1 in 10 000")
    return say("by chance alone {p:.1g} in 100", p=100 * p)


def _is_shaking(words: str) -> bool:
    return any(word in words.casefold() for word in _SHAKING)


def _as_watch(exposure: Exposure, events: int, amount: float) -> Watch:
    return Watch(
        id=new_id(), at=now(), source=Source.ANALYSIS, exposure=exposure, events=events, amount=amount,
        sure=SURE,
    )  # fmt: skip


def crossings_of(seen: Examination, place: Span, finding: Finding) -> int:
    """How many passes of a finding's sensor crossed a place from one side to the other."""
    passes = seen.seen_from(finding.sensor).passes
    ends = [sorted((p.from_pct, p.to_pct)) for p in passes]
    return sum(1 for low, high in ends if low <= place[0] + 1.0 and high >= place[1] - 1.0)


def _same(one: Finding, other: Finding) -> bool:
    """Whether two findings are the same thing, seen in two recordings."""
    if type(one) is not type(other) or not set(one.channels) & set(other.channels):
        return False
    here, there = getattr(one, "travel_pct", None), getattr(other, "travel_pct", None)
    if isinstance(one, DeadSpot | Noise) and here is not None and there is not None:
        return bool(here[0] <= there[1] + SAME_PLACE_PCT and there[0] <= here[1] + SAME_PLACE_PCT)
    return True

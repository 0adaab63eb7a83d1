"""Two faults in one recording: what no single fault makes is judged apart.

A worn place is one track under its wiper, and comes pass after pass; interruptions of the other track's
line, or of what all share, at any place of the travel are something else. Bayes' rule over single
suspects would multiply what the two say, as if both told of one part.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from nervus.domain.analysis import Cause, Examination, Judgement, StretchSuspicion, Verdict
from nervus.domain.channel import Sensor
from nervus.domain.finding import DeadSpot, Drop, Finding, Noise, Shared
from nervus.domain.suspect import SuspectId
from nervus.judge.verdict import as_written
from nervus.language import say
from nervus.signal.arithmetic.spans import Union
from nervus.signal.worn.locality import of_worn_and_drops

# Fewer interruptions are no fault of their own: one or two may belong to anything (common practice, no
# published source).
_LEAST_DROPS = 3


@dataclass(frozen=True, slots=True)
class _Sign:
    """Findings that are of one fault: of a sensor what is worn, or the interruptions of a group."""

    sensor: Sensor
    worn: bool
    findings: tuple[Finding, ...]
    channels: frozenset[str]


def apart(seen: Examination) -> tuple[Examination, ...]:
    """The examination once for each fault that must be there, with its own findings and locality.

    One where a single fault may have made all findings.
    """
    faults: list[list[_Sign]] = []
    for sign in _signs(seen):
        own = [f for f in faults if any(_may_be_one(sign, other) for other in f)]
        faults = [f for f in faults if f not in own] + [[s for f in own for s in f] + [sign]]
    if len(faults) < 2:
        return (seen,)
    found: list[list[Finding]] = [[] for _ in faults]
    number_of = {id(f): n for n, signs in enumerate(faults) for s in signs for f in s.findings}
    for finding in seen.findings:
        shares = [_shared(finding, signs) for signs in faults]
        found[number_of.get(id(finding), shares.index(max(shares)))].append(finding)
    return tuple(_only(seen, own, signs) for own, signs in zip(found, faults, strict=True))


def _signs(seen: Examination) -> list[_Sign]:
    signs = []
    for sensor in Sensor:
        own = [f for f in seen.findings if f.sensor is sensor]
        worn = tuple(f for f in own if isinstance(f, DeadSpot | Noise))
        if worn:
            signs.append(_sign(sensor, worn, worn=True))
        if seen.drops[sensor].verdict is Verdict.POSITION:
            continue  # at one place they are one more sign of wear
        for group in dict.fromkeys(f.group for f in own if isinstance(f, Drop)):
            drops = tuple(f for f in own if f.group == group and isinstance(f, Drop))
            if len(drops) >= _LEAST_DROPS:
                signs.append(_sign(sensor, drops, worn=False))
    return signs


def _sign(sensor: Sensor, findings: tuple[Finding, ...], *, worn: bool) -> _Sign:
    return _Sign(sensor, worn, findings, frozenset(c for f in findings for c in f.channels))


def _may_be_one(one: _Sign, two: _Sign) -> bool:
    """Whether a single fault may have made both."""
    if one.sensor is not two.sensor:
        shared = any(
            isinstance(f, Drop) and f.shared is Shared.FEED for f in one.findings + two.findings
        )
        when = Union(t for f in one.findings for t in f.times_s)
        at_once = any(when.touches(t) for f in two.findings for t in f.times_s)
        return not one.worn and not two.worn and (shared or at_once)
    if one.worn == two.worn:
        return True
    worn, loose = (one, two) if one.worn else (two, one)
    # Electronics have no wiper that wears: what drops out and what stands still is the same part.
    part = all(isinstance(f, Drop) and f.shared is Shared.ELECTRONICS for f in loose.findings)
    return part or loose.channels <= worn.channels


def _shared(finding: Finding, signs: Sequence[_Sign]) -> int:
    """How many channels a finding has in common with the signs of a fault."""
    return max(len(s.channels & set(finding.channels)) for s in signs)


def _only(seen: Examination, own: Sequence[Finding], signs: Sequence[_Sign]) -> Examination:
    worn = [f for s in signs if s.worn for f in s.findings]
    drops = {s.sensor: seen.drops[s.sensor] for s in signs if not s.worn}
    return replace(seen, findings=tuple(own), locality=of_worn_and_drops(drops, worn))


def judged_together(causes: Sequence[Cause]) -> Judgement:
    """What all faults together say: of each suspect how much of it each fault puts on it, on average."""
    if len(causes) == 1:
        return causes[0].judgement
    each = sorted((c.judgement for c in causes), key=lambda j: -j.suspects[0].probability)
    chance = {
        s: sum(x.probability for j in each for x in j.suspects if x.id is s) / len(each)
        for s in SuspectId
    }
    stretches: dict[tuple[str, str, SuspectId, str], float] = {}
    for s in (s for j in each for s in j.stretches):
        place = (s.stretch, s.line, s.suspect, s.fault)
        stretches[place] = stretches.get(place, 0.0) + s.probability / len(each)
    along = (StretchSuspicion(a, b, c, round(p, 4), d) for (a, b, c, d), p in stretches.items())
    return Judgement(
        headline=say("More than one fault shows. {each}", each=" ".join(j.headline for j in each)),
        suspects=as_written(sorted(chance.items(), key=lambda x: -x[1])),
        ledger=tuple({step.observation: step for j in each for step in j.ledger}.values()),
        stretches=tuple(sorted(along, key=lambda s: -s.probability)),
        next_test=each[0].next_test,
    )

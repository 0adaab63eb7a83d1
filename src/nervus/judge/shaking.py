"""The guided wiggle test without clock or screen: where next, for how long, what it has shown."""

from dataclasses import dataclass, field

from nervus.domain.analysis import Judgement
from nervus.domain.finding import Drop, Finding, SupplyFault
from nervus.domain.job import Job, Shaken, of_kind
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.tree import known_shaking
from nervus.knowledge.tree_shapes import ShakePlace
from nervus.language import say
from nervus.signal.arithmetic.chance import chance_of_catching

SURE = 0.9
"""So probable it must be that a loose contact would have shown before a place is left."""
# Longer nobody shakes one place with the same care.
_LONGEST_S = 180.0
# Moments that two looks at the same stretch place so near to each other are one.
_SAME_MOMENT_S = 0.25


@dataclass(frozen=True, slots=True)
class Known:
    """How often it let go under the hand before, at the place where it answered.

    Attributes:
        drops: so often.
        seconds: in so long.
    """

    drops: int = 0
    seconds: float = 0.0


def chance_seen(seconds: float, caught: float = 1.0, known: Known | None = None) -> float:
    """The chance that a loose contact would have let go and been seen by now, 0 to 1.

    Openings are a Poisson process whose rate is drawn from a Gamma distribution, so their number is
    negative binomial and none in `t` has the chance (b / (b + t))^a; what was counted before makes it
    a + n and b + T. Slow sampling thins the process. Source: M. Greenwood, G. U. Yule, J. R. Stat. Soc.
    83 (1920) 255-279 (the negative binomial as a Poisson process of a Gamma rate).
    """
    table, before = known_shaking(), known or Known()
    shape, scale = table.shape + before.drops, table.scale_s + before.seconds
    return 1.0 - float((scale / (scale + caught * seconds)) ** shape)


def wanted_s(caught: float = 1.0, known: Known | None = None) -> float:
    """For how long a place is to be shaken until it would have shown with the chance `SURE`."""
    table, before = known_shaking(), known or Known()
    shape, scale = table.shape + before.drops, table.scale_s + before.seconds
    needed = scale * (float((1.0 - SURE) ** (-1.0 / shape)) - 1.0)
    return min(needed / max(caught, 1e-3), _LONGEST_S)


def caught_at(rate_hz: float) -> float:
    """The share of usual openings that so many samples a second catch."""
    return chance_of_catching(known_shaking().opening_s, 1.0 / max(rate_hz, 1e-3))


def place_title(place: str) -> str:
    """What a place is called."""
    return next((p.title for p in known_shaking().place if p.id == place), place)


def places_for(throttle: ThrottleKind | None, standing: Judgement | None) -> tuple[ShakePlace, ...]:
    """Where to shake, the most suspect stretch first, then in the order of the way."""
    places = [
        p for p in known_shaking().place if p.throttle in ("", throttle or ThrottleKind.ELECTRONIC)
    ]
    suspicion = dict.fromkeys((p.id for p in places), 0.0)
    for stretch in standing.stretches if standing is not None else ():
        if stretch.stretch in suspicion:
            suspicion[stretch.stretch] += stretch.probability
    return tuple(sorted(places, key=lambda p: -round(suspicion[p.id], 3)))


def known_before(job: Job | None) -> Known:
    """How often it let go at the place where the job has seen it answer most."""
    answered = [s for s in (of_kind(job.entries, Shaken) if job is not None else ()) if s.drops]
    most = max(answered, key=lambda s: s.drops / max(s.seconds, 1.0), default=None)
    return Known(most.drops, most.seconds) if most is not None else Known()


def moments_of(findings: tuple[Finding, ...]) -> list[tuple[float, tuple[str, ...]]]:
    """When signals let go, in seconds of the recording, and which."""
    drops = (f for f in findings if isinstance(f, (Drop, SupplyFault)))
    return sorted((start, f.channels) for f in drops for start, _ in f.times_s)


@dataclass(slots=True)
class Hand:
    """One place as far as it was shaken.

    Attributes:
        place: which.
        spans: from and to, of the clock of what is live; the last one may still go on.
        moments: when a signal let go meanwhile.
        let_go: channels that did.
    """

    place: ShakePlace
    spans: list[tuple[float, float]] = field(default_factory=list)
    moments: list[float] = field(default_factory=list)
    let_go: set[str] = field(default_factory=set)

    @property
    def seconds(self) -> float:
        """For how long it was shaken."""
        return sum(end - start for start, end in self.spans)


class ShakeTest:
    """Goes from place to place.

    Attributes:
        hands: all places, in the order in which they are shaken.
        at: the number of the place in hand.
        is_shaking: whether it is being shaken now.
        wanted_s: for how long each place is shaken.
    """

    def __init__(
        self, places: tuple[ShakePlace, ...], caught: float = 1.0, known: Known | None = None
    ) -> None:
        self.hands = [Hand(p) for p in places]
        self.caught, self._known = caught, known
        self.at, self.is_shaking = 0, False
        self.wanted_s = wanted_s(caught, known)
        self._now = self._looked = 0.0

    @property
    def hand(self) -> Hand:
        """The place in hand."""
        return self.hands[self.at]

    def begin(self, now_s: float) -> None:
        """The hand begins to shake, or goes on."""
        if not self.is_shaking:
            self.is_shaking = True
            self.hand.spans.append((now_s, now_s))

    def pause(self) -> None:
        """The hand lets go."""
        self.is_shaking = False

    def tick(self, now_s: float) -> None:
        """Time goes on, as far as samples have come: a source that is silent shows nothing."""
        self._now = max(self._now, now_s)
        if self.is_shaking:
            start, end = self.hand.spans[-1]
            self.hand.spans[-1] = (start, max(end, now_s))

    def looked(self, findings: tuple[Finding, ...], until_s: float) -> None:
        """What came in was looked at up to an instant, and this was found in it."""
        self._looked = max(self._looked, until_s)
        moments = moments_of(findings)
        for hand in self.hands:
            for moment, channels in moments:
                inside = any(start <= moment <= end for start, end in hand.spans)
                hand.let_go.update(channels if inside else ())
                if inside and all(abs(moment - m) > _SAME_MOMENT_S for m in hand.moments):
                    hand.moments.append(moment)

    @property
    def seen(self) -> float:
        """The chance that a loose contact at this place would have shown by now."""
        return chance_seen(self.hand.seconds, self.caught, self._known)

    @property
    def is_enough(self) -> bool:
        """Whether this place was shaken for long enough, and all of it was looked at."""
        spans = self.hand.spans
        return bool(spans) and self.hand.seconds >= self.wanted_s and self._looked >= spans[-1][1]

    def go_on(self) -> bool:
        """To the next place; `False` after the last one."""
        self.pause()
        if self.at + 1 >= len(self.hands):
            return False
        self.at += 1
        return True

    def told(self) -> str:
        """This place, in a sentence."""
        return told_of(self.hand, self.caught, self._known)

    def conclusion(self) -> str:
        """All that was shaken, in a sentence."""
        shaken = [h for h in self.hands if h.seconds >= 1.0]
        if not shaken:
            return say("Nothing was shaken.")
        answered = sorted((h for h in shaken if h.moments), key=lambda h: -len(h.moments))
        if answered:
            most = answered[0]
            text = say(
                "It answers at {title}: {len} times in {seconds:.0f} s.",
                title=most.place.title,
                len=len(most.moments),
                seconds=most.seconds,
            )
            steady = [h.place.title for h in shaken if not h.moments]
            return say("{text} Steady at {join}.", text=text, join=", ".join(steady)) if steady else text
        least = min(chance_seen(h.seconds, self.caught, self._known) for h in shaken)
        names = ", ".join(h.place.title for h in shaken)
        return say(
            "Nothing let go at {names}: a loose contact that answers to a hand would have "
            "shown {in_ten}.",
            names=names,
            in_ten=in_ten(least),
        )


def told_of(hand: Hand, caught: float, known: Known | None) -> str:
    """One place, in a sentence."""
    if hand.moments:
        return say(
            "It answers here: {len} times in {seconds:.0f} s.",
            len=len(hand.moments),
            seconds=hand.seconds,
        )
    if hand.seconds < 1.0:
        return say("Not shaken yet.")
    seen = chance_seen(hand.seconds, caught, known)
    return say(
        "Nothing here: loose, it would have shown {in_ten}.",
        in_ten=in_ten(seen),
    )


def in_ten(chance: float) -> str:
    """A chance as people count, never rounded up to all."""
    tenths = min(int(10.0 * chance + 1e-9), 9)
    return say("in {tenths} of 10", tenths=tenths) if tenths else say("in less than 1 of 10")

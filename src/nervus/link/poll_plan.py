"""Which values are asked for in which round, so that the throttle's own get the most samples."""

from dataclasses import dataclass

from nervus.knowledge import Parameter

MOST_PER_REQUEST = 6


@dataclass(frozen=True, slots=True)
class PollPlan:
    """Rounds of requests that repeat after `period` rounds.

    Attributes:
        rounds: the values that each round asks for.
        several: whether a round is one request of up to six values, else one request for each.
    """

    rounds: tuple[tuple[Parameter, ...], ...]
    several: bool

    @property
    def period(self) -> int:
        """After how many rounds it begins again."""
        return len(self.rounds)

    def round(self, number: int) -> tuple[Parameter, ...]:
        """What the n-th round asks for."""
        return self.rounds[number % self.period]

    def requests(self) -> tuple[int, ...]:
        """How many requests each round takes."""
        if not self.several:
            return tuple(len(r) for r in self.rounds)
        return tuple(-(-len(r) // MOST_PER_REQUEST) for r in self.rounds)

    def rates_hz(self, seconds: float) -> dict[str, float]:
        """Samples a second of each channel, if one period takes so many seconds."""
        counts: dict[str, int] = {}
        for asked in self.rounds:
            for parameter in asked:
                counts[parameter.channel] = counts.get(parameter.channel, 0) + 1
        return {channel: count / seconds for channel, count in counts.items()}


def plan_polls(offered: tuple[Parameter, ...], *, several: bool) -> PollPlan:
    """A plan for the values that a unit offers.

    Every value is asked for in each of its `keep`-th rounds; values of one pace are spread over the
    rounds, so that no round is much longer than the next.

    Raises:
        ValueError: nothing is offered.
    """
    if not offered:
        raise ValueError("a plan needs at least one value")
    period = max(p.keep for p in offered)
    rounds: list[list[Parameter]] = [[] for _ in range(period)]
    for parameter in sorted(offered, key=lambda p: p.keep):
        phases = range(parameter.keep)
        load = [sum(len(rounds[r]) for r in range(phase, period, parameter.keep)) for phase in phases]
        first = load.index(min(load))
        for number in range(first, period, parameter.keep):
            rounds[number].append(parameter)
    kept = tuple(tuple(r) for r in rounds if r)
    return PollPlan(kept, several)

"""The judgement: Bayes' rule over the suspects, one observation for each cause, every step kept.

P(suspect | observations) is proportional to P(suspect) times the product of
P(observation | suspect). An observation that was seen with confidence c counts as c times its
likelihood plus (1 - c) times the mean of all suspects', so a doubtful finding moves little.
Observations of the same cause are not independent; only the most telling of them is counted.
"""

import math
from collections.abc import Sequence

from msgspec import structs

from nervus.domain.analysis import CircuitEvidence, Examination, Judgement, NextTest, Step, Suspect
from nervus.domain.suspect import SuspectId
from nervus.judge.observations import Observation, observe
from nervus.judge.stretches import along_the_way, concerned
from nervus.judge.words import NEARLY_SURE, OF_PEDAL, headline, observation_told
from nervus.knowledge import Judging, Likelihood


def judge(examination: Examination, circuit: CircuitEvidence, knowledge: Judging) -> Judgement:
    """Suspects, ledger and next test for what one recording showed."""
    observations = rows_of(observe(examination, circuit), knowledge)
    suspects, ledger = weigh(observations, knowledge)
    stretches = along_the_way(suspects, concerned(examination), knowledge)
    return Judgement(
        headline=headline(suspects, stretches, examination),
        suspects=suspects,
        ledger=ledger,
        stretches=stretches,
        next_test=advise(suspects, knowledge),
    )


def rows_of(
    observations: tuple[Observation, ...], knowledge: Judging
) -> tuple[tuple[float, Likelihood], ...]:
    """How sure each observation is, and its row, solved or looked up."""
    rows = [(o, o.solved or knowledge.likelihood(o.id)) for o in observations]
    # A line is the pedal's or the throttle's once, however much is seen of it: one row a cause counts.
    seen = len({row.cause for o, row in rows if o.pedal})
    share = knowledge.pedal.lines ** (1.0 / max(seen, 1))
    return tuple((o.confidence, _of_pedal(row, share) if o.pedal else row) for o, row in rows)


def _of_pedal(row: Likelihood, lines: float) -> Likelihood:
    """A row about the throttle's sensor as one about the pedal's: both are tracks under wipers.

    The throttle body stands beside the pedal as the pedal stood beside the throttle. Of what is seen of
    the lines, and of the unit's inputs, the share `lines` is of the pedal's.
    """
    s = SuspectId
    chance = dict(row.chance)
    chance[s.SENSOR], chance[s.PEDAL_SENSOR] = row.chance[s.PEDAL_SENSOR], row.chance[s.SENSOR]
    for shared in (s.WIRING, s.SUPPLY_GROUND, s.CONTROL_UNIT):
        chance[shared] = lines * row.chance[shared]
    chance[s.THROTTLE_BODY] = min(row.chance[s.THROTTLE_BODY], row.chance[s.ELSEWHERE])
    return structs.replace(
        row, says=f"{OF_PEDAL}{row.says}", cause=f"{row.cause} of the pedal", chance=chance
    )


def weigh(
    observations: tuple[tuple[float, Likelihood], ...], knowledge: Judging
) -> tuple[tuple[Suspect, ...], tuple[Step, ...]]:
    """Bayes' rule over the suspects: who is suspected, and what each observation added or took."""
    chance = {s: knowledge.prior.chance[s] for s in SuspectId}
    steps = []
    for confidence, row in _one_for_each_cause(observations):
        chances = _softened(row, confidence)
        mean = sum(chances.values()) / len(chances)
        chance = {s: chance[s] * chances[s] for s in chance}
        weight = {s: round(math.log10(chances[s] / mean), 3) for s in chances}
        steps.append(Step(observation_told(row.says), weight, row.source))
    return _normalised(chance), tuple(steps)


def likelihoods(observations: tuple[tuple[float, Likelihood], ...]) -> dict[SuspectId, float]:
    """The chance of all observations together with each suspect, one counted for each cause."""
    chance = dict.fromkeys(SuspectId, 1.0)
    for confidence, row in _one_for_each_cause(observations):
        chances = _softened(row, confidence)
        chance = {s: chance[s] * chances[s] for s in chance}
    return chance


def _one_for_each_cause(
    observations: tuple[tuple[float, Likelihood], ...],
) -> list[tuple[float, Likelihood]]:
    best: dict[str, tuple[float, Likelihood]] = {}
    for confidence, row in observations:
        held = best.get(row.cause)
        if held is None or _telling(confidence, row) > _telling(*held):
            best[row.cause] = (confidence, row)
    return list(best.values())


def _telling(confidence: float, row: Likelihood) -> float:
    chances = sorted(row.chance.values())
    return confidence * math.log10(chances[-1] / chances[-2])


def _softened(row: Likelihood, confidence: float) -> dict[SuspectId, float]:
    mean = sum(row.chance.values()) / len(row.chance)
    return {s: confidence * c + (1.0 - confidence) * mean for s, c in row.chance.items()}


def _normalised(chance: dict[SuspectId, float]) -> tuple[Suspect, ...]:
    """Chances as probabilities, most probable first."""
    total = sum(chance.values())
    ordered = sorted(chance, key=lambda s: -chance[s])
    return as_written([(s, chance[s] / total) for s in ordered])


def as_written(suspects: Sequence[tuple[SuspectId, float]]) -> tuple[Suspect, ...]:
    """Probabilities that sum to exactly 1 as they are written, in the order given."""
    rounded = [round(p, 4) for _, p in suspects]
    rounded[0] = round(rounded[0] + 1.0 - sum(rounded), 4)
    return tuple(Suspect(s, p) for (s, _), p in zip(suspects, rounded, strict=True))


def advise(suspects: tuple[Suspect, ...], knowledge: Judging) -> NextTest | None:
    """The test that tells the two most suspected apart, or that proves the one who is left."""
    first, second = suspects[0], suspects[1]
    wanted = {first.id} if first.probability >= NEARLY_SURE else {first.id, second.id}
    fitting = [t for t in knowledge.test if set(t.suspects) == wanted]
    fitting += [t for t in knowledge.test if t.suspects[0] == first.id and len(t.suspects) > 1]
    if not fitting:
        return None
    advice = fitting[0]
    return NextTest(advice.title, advice.minutes, advice.tells, advice.caution)

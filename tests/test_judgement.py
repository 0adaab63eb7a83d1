"""The judgement: what findings mean, how it is weighed, where suspicion lies, and in which words."""

from dataclasses import replace
from typing import Any

import pytest

from nervus.domain.analysis import (
    NO_CIRCUIT,
    ChannelSummary,
    Coverage,
    Direction,
    Examination,
    Judgement,
    Locality,
    Pass,
    Relation,
    TrackRelation,
    Verdict,
)
from nervus.domain.channel import Sensor, Span, Unit
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Floor,
    Noise,
    OffRest,
    RestCause,
    Shape,
    Shared,
    SupplyFault,
    SupplyLine,
)
from nervus.domain.suspect import SuspectId
from nervus.judge.observations import observe
from nervus.judge.verdict import judge, likelihoods, rows_of
from nervus.judge.words import headline
from nervus.knowledge import judging

WHOLE = (Pass(0, 1, Direction.OPENING, 0, 100), Pass(2, 3, Direction.CLOSING, 100, 0))
SURE: dict[str, Any] = {"confidence": 0.95, "text": "It is so.", "times_s": ((1.0, 1.2),)}


def shared(channels: tuple[str, ...], floor: Floor) -> Shared:
    """By its feed if both tracks go to a rail, else by the sensor's electronics."""
    if len(channels) == 1:
        return Shared.SIGNAL
    return Shared.ELECTRONICS if floor is Floor.INTERMEDIATE else Shared.FEED


def drop(
    at_s: float,
    at_pct: float,
    level_v: float = 0.02,
    *,
    channels: tuple[str, ...] = ("tps1_v",),
    marks: tuple[str, ...] = (),
) -> Drop:
    floor = Floor.GROUND if level_v < 0.4 else Floor.SUPPLY if level_v > 4.6 else Floor.INTERMEDIATE
    return Drop(
        **{**SURE, "times_s": ((at_s, at_s + 0.05),)},
        channels=channels,
        level=level_v,
        unit=Unit.VOLT,
        shared=shared(channels, floor),
        floor=floor,
        at_travel_pct=at_pct,
        marks=marks,
    )


def seen(
    *findings: Finding,
    verdict: Verdict = Verdict.UNDECIDED,
    swept: tuple[Span, ...] = ((0.0, 100.0),),
    tracks: int = 2,
) -> Examination:
    ids = [f"tps{n}_v" for n in range(1, tracks + 1)]
    relation = Relation.SINGLE if tracks == 1 else Relation.INVERSE
    return Examination(
        duration_s=30.0,
        channels=tuple(ChannelSummary(i, "V", 100, 100.0, 0.01) for i in ids),
        tracks=TrackRelation(relation, None, None, learned=True),
        travel=None,
        passes=WHOLE if swept else (),
        findings=findings,
        locality=Locality(len(findings), verdict, None, ""),
        drops={s: Locality(len(findings), verdict, 0.001, "") for s in Sensor},
        coverage=Coverage((0.0, 100.0), swept, 0.01, ""),
    )


def judged(examination: Examination) -> Judgement:
    return judge(examination, NO_CIRCUIT, judging())


def names(examination: Examination) -> set[str]:
    return {o.id for o in observe(examination, NO_CIRCUIT)}


ANYWHERE = tuple(drop(float(i), 15.0 * i) for i in range(1, 7))
TOGETHER = tuple(drop(float(i), 15.0 * i, 4.99, channels=("tps1_v", "tps2_v")) for i in range(1, 7))


def test_findings_become_observations() -> None:
    spot = DeadSpot(
        **SURE, channels=("tps1_v",), travel_pct=(20, 24), shape=Shape.DROP, seen_in=7, crossed=8
    )
    rough = Noise(
        **SURE, channels=("tps1_v",), travel_pct=(0, 10), rms=0.02, usual_rms=0.004, unit=Unit.VOLT
    )
    low = SupplyFault(**SURE, channels=("vref_v",), level_v=4.4, where=SupplyLine.SUPPLY)
    assert names(seen(spot, rough, low)) == {"dead_spot", "noise", "supply_out"}
    assert names(seen(*ANYWHERE, verdict=Verdict.TIME)) == {"drops_anywhere", "drop_one_rail"}
    assert names(seen(*ANYWHERE[:2])) == {"drops_somewhere", "drop_one_rail"}
    assert names(seen(*TOGETHER, verdict=Verdict.TIME)) == {"drops_anywhere", "drop_all_tracks"}
    between = tuple(drop(float(i), 20.0 * i, 1.0 + 0.6 * i) for i in range(1, 5))
    assert "drop_one_between" in names(seen(*between))
    assert "drop_all_between" in names(seen(drop(1.0, 40.0, 2.2, channels=("tps1_v", "tps2_v"))))
    pedal = replace(spot, channels=("app1_v",))
    (told,) = observe(seen(pedal), NO_CIRCUIT)
    assert (told.id, told.pedal) == ("dead_spot", True)


def test_a_line_of_the_pedal_is_one_of_few_once_however_much_is_seen_of_it() -> None:
    """A quarter of all lines are the pedal's: that counts once, not for each thing that is seen."""
    of_throttle, of_pedal = (
        likelihoods(rows_of(observe(seen(*each), NO_CIRCUIT), judging()))
        for each in (ANYWHERE[:4], tuple(replace(d, channels=("app1_v",)) for d in ANYWHERE[:4]))
    )
    share = judging().pedal.lines
    assert of_pedal[SuspectId.WIRING] == pytest.approx(share * of_throttle[SuspectId.WIRING], rel=0.1)
    assert of_pedal[SuspectId.PEDAL_SENSOR] == pytest.approx(of_throttle[SuspectId.SENSOR], rel=0.1)
    first = judged(seen(*(replace(d, channels=("app1_v",)) for d in ANYWHERE[:4]))).suspects[0]
    assert first.id is SuspectId.WIRING


@pytest.mark.parametrize(
    ("swept", "name"),
    [(((0.0, 100.0),), "clean_whole"), (((0.0, 40.0),), "clean_part"), ((), "clean_still")],
)
def test_a_clean_recording_is_an_observation_too(swept: tuple[Span, ...], name: str) -> None:
    assert names(seen(swept=swept)) == {name}


@pytest.mark.parametrize("cause", list(RestCause))
def test_the_cause_of_a_high_rest_decides_between_body_and_sensor(cause: RestCause) -> None:
    """Common practice, no published source: see the rest observations in judging.toml."""
    high = OffRest(**SURE, channels=("tps1_v",), rest_pct=6, usual_rest_pct=0, cause=cause, ect_c=None)
    first = judged(seen(high)).suspects[0]
    expected = {
        RestCause.PLATE: SuspectId.THROTTLE_BODY,
        RestCause.SIGNAL: SuspectId.SENSOR,
        RestCause.UNKNOWN: first.id,
    }
    assert first.id is expected[cause]
    if cause is RestCause.UNKNOWN:
        assert first.probability < 0.5


def test_probabilities_sum_to_one_whatever_is_seen() -> None:
    for findings in ((), ANYWHERE, TOGETHER, (*ANYWHERE, *TOGETHER)):
        suspects = judged(seen(*findings)).suspects
        assert sum(s.probability for s in suspects) == pytest.approx(1.0, abs=1e-12)
        assert {s.id for s in suspects} == set(SuspectId)
        assert [s.probability for s in suspects] == sorted(
            (s.probability for s in suspects), reverse=True
        )


def test_evidence_of_one_cause_is_counted_once() -> None:
    """A worn place that is both dead and rough is one worn place, not two proofs."""
    spot = DeadSpot(
        **SURE, channels=("tps1_v",), travel_pct=(2, 9), shape=Shape.STEP, seen_in=7, crossed=8
    )
    rough = Noise(
        **SURE, channels=("tps1_v",), travel_pct=(0, 10), rms=0.02, usual_rms=0.004, unit=Unit.VOLT
    )
    alone, both = judged(seen(spot)), judged(seen(spot, rough))
    assert both.suspects == alone.suspects
    assert len(both.ledger) == 1


def test_a_doubtful_finding_moves_little() -> None:
    sure = judged(seen(*ANYWHERE, verdict=Verdict.TIME)).suspects[0]
    doubtful = tuple(replace(d, confidence=0.3) for d in ANYWHERE)
    unsure = judged(seen(*doubtful, verdict=Verdict.TIME)).suspects[0]
    assert sure.id is unsure.id is SuspectId.WIRING
    assert unsure.probability < sure.probability - 0.2


def test_the_ledger_says_what_each_step_added_and_took() -> None:
    judgement = judged(seen(*TOGETHER, verdict=Verdict.TIME))
    by_name = {step.observation: step for step in judgement.ledger}
    together = by_name["all tracks go to one rail together"]
    assert together.weight[SuspectId.SUPPLY_GROUND] > 0.5
    assert together.weight[SuspectId.SENSOR] < 0
    assert "solved" in together.source


@pytest.mark.parametrize(
    ("findings", "stretch", "line"),
    [
        (ANYWHERE, "sensor_plug", "signal 1"),
        (tuple(replace(d, channels=("tps2_v",)) for d in ANYWHERE), "sensor_plug", "signal 2"),
        (TOGETHER, "sensor_plug", "ground"),
        (tuple(replace(d, level=0.01, floor=Floor.GROUND) for d in TOGETHER), "sensor_plug", "supply"),
    ],
)
def test_suspicion_lies_where_the_findings_point(
    findings: tuple[Drop, ...], stretch: str, line: str
) -> None:
    """The circuit solved: an open ground lifts all tracks to the supply, an open supply drops them."""
    judgement = judged(seen(*findings, verdict=Verdict.TIME))
    worst = judgement.stretches[0]
    assert (worst.stretch, worst.line) == (stretch, line)
    assert sum(s.probability for s in judgement.stretches) <= 1.0 + 1e-6
    assert line.removeprefix("signal ") in judgement.headline


def test_a_disagreement_points_at_the_track_that_the_command_names() -> None:
    bent = Disagreement(
        **SURE,
        channels=("tps1_v", "tps2_v"),
        travel_pct=(10, 40),
        worst_pct=8.0,
        suspect="tps2_v",
        would_set_code=None,
    )
    assert judged(seen(bent)).headline == "Most likely the sensor, track 2."
    unknown = judged(seen(replace(bent, suspect=None))).headline
    assert "one of its tracks" in unknown or "both fit" in unknown


def test_the_next_test_tells_the_two_most_suspected_apart_or_proves_the_one() -> None:
    undecided, sure = judged(seen(*ANYWHERE[:2])), judged(seen(*ANYWHERE, verdict=Verdict.TIME))
    assert undecided.next_test is not None
    assert sure.next_test is not None
    assert undecided.next_test.title.startswith("Shake the harness")
    assert sure.next_test.title.startswith("Pin drag test")
    for test in (undecided.next_test, sure.next_test):
        assert test.minutes > 0
        assert test.caution


def test_headlines_are_as_sure_as_the_numbers() -> None:
    judgement = judged(seen(*ANYWHERE, verdict=Verdict.TIME))
    examination = seen(*ANYWHERE, verdict=Verdict.TIME)
    for probability, begins in (
        (0.9, "Almost surely"),
        (0.7, "Most likely"),
        (0.5, "Nothing can be decided"),
    ):
        first = replace(judgement.suspects[0], probability=probability)
        suspects = (first, *judgement.suspects[1:])
        assert headline(suspects, judgement.stretches, examination).startswith(begins)


@pytest.mark.parametrize(
    ("swept", "says"),
    [
        (((0.0, 100.0),), "Nothing wrong shows over the whole travel."),
        (((5.0, 42.0),), "only 5 to 42 % was swept"),
        ((), "the throttle was hardly moved"),
    ],
)
def test_a_clean_headline_says_what_was_tested(swept: tuple[Span, ...], says: str) -> None:
    assert says in judged(seen(swept=swept)).headline

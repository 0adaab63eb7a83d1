"""Two faults in one recording are told as two; one fault is told as one, whatever it shows.

Truth: signals made here, with one or two faults put in. That a wiper's worn place and a loose line are
two faults: common practice, no published source.
"""

from datetime import UTC, datetime

import jsonschema
import numpy as np
import pytest
from msgspec.structs import replace

from nervus.domain.analysis import Analysis, Verdict
from nervus.domain.channel import FloatArray
from nervus.domain.job import Findings, Job, Recorded, Source, Vehicle, new_id
from nervus.domain.judgement import Outcome
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.files.answer import answer, answer_schema, plain_report
from nervus.judge.analyse import analyse
from nervus.judge.job_words import headline_of
from nervus.judge.of_job import judge_job, kept
from nervus.judge.weighing import Evidence, Weighed, weigh_faults
from nervus.knowledge import judging
from nervus.knowledge.tree import tree_for
from signals import recording, sweeps, volts

PLACE_PCT = (40.0, 43.0)


def _worn(travel: FloatArray, values: FloatArray) -> FloatArray:
    """A place at which the wiper lifts off in every pass."""
    return np.where((travel > PLACE_PCT[0]) & (travel < PLACE_PCT[1]), 0.02, values)


def _loose(time_s: FloatArray, values: FloatArray, count: int = 7, seed: int = 4) -> FloatArray:
    """A line that opens for 50 ms now and then, wherever the travel is."""
    values = values.copy()
    for start in np.random.default_rng(seed).uniform(2.0, time_s[-1] - 2.0, count):
        values[(time_s > start) & (time_s < start + 0.05)] = 0.02
    return values


def _both(*, worn: bool, loose: int, of: int = 2) -> Analysis:
    """Two mirrored tracks: whether the first is worn, and how often the line of which one opens."""
    time_s, travel = sweeps(14, seconds=5.0)
    one, two = volts(travel, noise_v=0.003), 5.0 - volts(travel, noise_v=0.003, seed=2)
    if worn:
        one = _worn(travel, one)
    if of == 1:
        one = _loose(time_s, one, loose)
    else:
        two = _loose(time_s, two, loose)
    return analyse(recording(time_s, tps1_v=one, tps2_v=two))


def _top(analysis: Analysis) -> list[SuspectId]:
    return [c.judgement.suspects[0].id for c in analysis.causes]


def test_a_worn_place_and_a_loose_line_are_two_faults() -> None:
    found = _both(worn=True, loose=7)
    assert _top(found) == [SuspectId.SENSOR, SuspectId.WIRING]
    ties = [c.examination.locality for c in found.causes]
    assert [t.verdict for t in ties] == [Verdict.POSITION, Verdict.TIME]
    assert "elsewhere" not in ties[0].text
    assert "signal 2" in found.causes[1].judgement.headline
    assert "signal 1" not in found.causes[1].judgement.headline
    first, second = found.judgement.suspects[:2]
    assert {first.id, second.id} == {SuspectId.SENSOR, SuspectId.WIRING}
    assert first.probability < 0.6
    assert sum(s.probability for s in found.judgement.suspects) == pytest.approx(1.0)
    assert found.judgement.headline.startswith("More than one fault shows.")


def test_the_answer_tells_each_fault_by_its_groups() -> None:
    found = _both(worn=True, loose=7)
    told = answer(found)
    jsonschema.validate(told, answer_schema())
    groups = [set(c["groups"]) for c in told["causes"]]
    assert groups[0] | groups[1] == {f["group"] for f in told["findings"]}
    assert not groups[0] & groups[1]
    assert all(g.startswith("drops tps2_v") for g in groups[1])
    report = plain_report("a.csv", found)
    assert "pass after pass" in report
    assert "come at any place" in report


@pytest.mark.parametrize(
    ("worn", "loose", "of"), [(True, 0, 2), (False, 7, 2), (True, 7, 1), (True, 2, 2)]
)
def test_what_one_fault_may_have_made_is_one(*, worn: bool, loose: int, of: int) -> None:
    """A worn track may drop anywhere too (its wiper); two drops are no fault of their own yet."""
    found = _both(worn=worn, loose=loose, of=of)
    assert len(found.causes) == 1
    assert found.causes[0].judgement is found.judgement
    assert len(answer(found)["causes"]) == 1


def test_a_clean_recording_has_no_fault_to_tell() -> None:
    found = _both(worn=False, loose=0)
    assert answer(found)["causes"] == []


def test_what_all_tracks_lose_at_any_place_is_not_the_worn_place_of_one() -> None:
    time_s, travel = sweeps(14, seconds=5.0)
    one, two = _worn(travel, volts(travel, noise_v=0.003)), 5.0 - volts(travel, noise_v=0.003, seed=2)
    found = analyse(recording(time_s, tps1_v=_loose(time_s, one), tps2_v=_loose(time_s, two)))
    assert _top(found) == [SuspectId.SENSOR, SuspectId.SUPPLY_GROUND]


def test_throttle_and_pedal_each_have_their_own_fault_unless_both_left_at_once() -> None:
    time_s, travel = sweeps(14, seconds=5.0)
    pedal = np.roll(travel, -40)
    sound = volts(travel, noise_v=0.003)

    def of_pedal(seed: int) -> Analysis:
        loose = _loose(time_s, volts(pedal, noise_v=0.003, seed=3), seed=seed)
        return analyse(recording(time_s, tps1_v=_loose(time_s, sound), app1_v=loose))

    apart = of_pedal(seed=9)
    assert len(apart.causes) == 2
    assert {f.channels for f in apart.causes[0].examination.findings} == {("tps1_v",)}
    assert {f.channels for f in apart.causes[1].examination.findings} == {("app1_v",)}
    assert len(of_pedal(seed=4).causes) == 1


def test_a_job_weighs_each_fault_of_a_recording_by_itself() -> None:
    """Two faults at once are seldom, not impossible: the pair explains what neither does alone."""
    analysis = _both(worn=True, loose=7)
    at = datetime(2026, 3, 2, 8, 0, tzinfo=UTC)
    taken = Recorded(
        id=new_id(), at=at, source=Source.FILE, name="sweep.csv", file="1-sweep.csv",
        digest="0" * 64, channels=("tps1_v", "tps2_v"),
    )  # fmt: skip
    found = kept(analysis, taken, judging())
    assert [c.tracks for c in found.causes] == [{1: 1.0}, {2: 1.0}]
    assert {s for c in found.causes for s in c.says} == {o.says for o in found.observations}

    def judged(findings: Findings) -> dict[str, float]:
        vehicle = Vehicle(id=new_id(), name="No 6", throttle=ThrottleKind.ELECTRONIC)
        job = Job(id=new_id(), vehicle=vehicle, opened=at, entries=(taken, findings))
        return {s.id: s.probability for s in judge_job(job).standing.suspects}

    both = (SuspectId.SENSOR, SuspectId.WIRING)
    assert min(judged(found)[s] for s in both) > 0.3
    assert min(judged(replace(found, causes=()))[s] for s in both) < 0.25


def _weighed_by(count: int) -> Weighed:
    """So many observations each of a worn track 1, and of a broken line of signal 2."""
    tree = tree_for(ThrottleKind.ELECTRONIC)
    evidence = []
    for name in ("worn_track_1", "open_signal_2_harness"):
        shown = np.where(tree.of(name), 1.0, 0.02)
        evidence += [Evidence(name, "s", (), shown, 0.02, 0.03)] * count
    return weigh_faults(tree, evidence)


def test_what_is_most_probably_at_fault_together_is_named_together() -> None:
    """Seldom, not impossible: it takes more than one look at each (3 in 100 vehicles have two)."""
    seldom, surely = (_weighed_by(n).both for n in (1, 4))
    assert seldom is not None
    assert surely is not None
    assert {*seldom[:2]} == {*surely[:2]} == {SuspectId.SENSOR, SuspectId.WIRING}
    assert seldom[2] < 0.5
    assert surely[2] > 0.9
    suspects = [(SuspectId.WIRING, 0.5), (SuspectId.SENSOR, 0.48), (SuspectId.NONE, 0.02)]
    told = {
        n: headline_of(Outcome.BETWEEN, suspects, (), None, b) for n, b in ((1, seldom), (4, surely))
    }
    assert told[1].startswith("It lies between")
    assert told[4] == "Two faults at once: the wiring of the throttle, and the sensor."
    cured = headline_of(Outcome.CLEAR, suspects, (), 0.9, surely)
    assert cured.startswith("It was")

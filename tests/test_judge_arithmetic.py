"""The arithmetic of the judgement, worked by hand: Bayes' rule, shares along the way, its words."""

from dataclasses import replace as with_fields
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace
from typing import Any

import pytest

from nervus.domain.analysis import (
    NO_CIRCUIT,
    CircuitEvidence,
    Coverage,
    EngineState,
    StretchSuspicion,
    Suspect,
    Verdict,
)
from nervus.domain.channel import Mark, Sensor, Unit
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Floor,
    Shape,
    Shared,
    SupplyFault,
    SupplyLine,
)
from nervus.domain.job import AnyEntry, Change, CodeSet, Job, Look, Seen, Source, new_id, new_vehicle
from nervus.domain.profile import SensorKind
from nervus.domain.suspect import SuspectId
from nervus.judge.observations import observe
from nervus.judge.stretches import Concerned, along_the_way, concerned, shares
from nervus.judge.timeline import second_change, untested_change
from nervus.judge.verdict import advise, weigh
from nervus.judge.words import _of_clean, natural_frequency, of_suspects
from nervus.knowledge import Likelihood, judging

W, S, N = SuspectId.WIRING, SuspectId.SENSOR, SuspectId.NONE


def row(cause: str, otherwise: float, **named: float) -> Likelihood:
    chance = {s: named.get(s.name.lower(), otherwise) for s in SuspectId}
    return Likelihood(id=cause, says=f"seen: {cause}", cause=cause, source="test", chance=chance)


def even() -> Any:
    """Knowledge in which all eight suspects are as likely before anything was seen."""
    known = judging()
    return SimpleNamespace(
        prior=SimpleNamespace(chance=dict.fromkeys(SuspectId, 1.0 / 8.0)),
        test=known.test,
        fault=known.fault,
    )


def probabilities(*rows: tuple[float, Likelihood]) -> dict[SuspectId, float]:
    suspects, _ = weigh(rows, even())
    return {s.id: s.probability for s in suspects}


def test_two_observations_multiply_by_bayes_rule() -> None:
    """Source: Bayes' rule, by hand: 0.8 x 0.6 against 0.2 x 0.4 against six times 0.2 x 0.2."""
    told = probabilities((1.0, row("a", 0.2, wiring=0.8)), (1.0, row("b", 0.2, wiring=0.6, sensor=0.4)))
    total = 0.48 + 0.08 + 6 * 0.04
    assert told[W] == pytest.approx(0.48 / total, abs=1e-4)
    assert told[S] == pytest.approx(0.08 / total, abs=1e-4)
    assert told[N] == pytest.approx(0.04 / total, abs=1e-4)
    assert sum(told.values()) == pytest.approx(1.0, abs=1e-12)


def test_a_doubtful_observation_counts_for_less() -> None:
    """By hand: with 0.25 sure, 0.8 becomes 0.25 x 0.8 + 0.75 x 0.275 = 0.40625, 0.2 becomes 0.25625."""
    told = probabilities((0.25, row("a", 0.2, wiring=0.8)))
    assert told[W] == pytest.approx(0.40625 / (0.40625 + 7 * 0.25625), abs=3e-4)


def test_of_one_cause_the_most_telling_observation_counts_alone() -> None:
    weak, strong = row("a", 0.2, wiring=0.4), row("a", 0.1, wiring=0.8)
    assert probabilities((1.0, weak), (1.0, strong)) == probabilities((1.0, strong))
    assert probabilities((1.0, strong), (1.0, weak)) == probabilities((1.0, strong))
    # log10(2) = 0.301 fully sure is more telling than log10(8) = 0.903 a third sure: 0.298.
    assert probabilities((0.33, strong), (1.0, weak)) == probabilities((1.0, weak))
    assert probabilities((0.34, strong), (1.0, weak)) == probabilities((0.34, strong))


def test_the_ledger_tells_what_each_observation_added() -> None:
    """By hand: 0.8 over the mean of 0.275 is 10 to the 0.464, 0.2 over it 10 to the -0.138."""
    _, ledger = weigh(((1.0, row("a", 0.2, wiring=0.8)),), even())
    (step,) = ledger
    assert step.observation == "seen: a"
    assert step.weight[W] == pytest.approx(0.464, abs=1e-3)
    assert step.weight[S] == pytest.approx(-0.138, abs=1e-3)


def suspects(*pairs: tuple[SuspectId, float]) -> tuple[Suspect, ...]:
    rest = [s for s in SuspectId if s not in dict(pairs)]
    left = 1.0 - sum(p for _, p in pairs)
    return tuple(Suspect(s, p) for s, p in (*pairs, *((s, left / len(rest)) for s in rest)))


@pytest.mark.parametrize(
    ("probability", "told"),
    [
        (1.0, "over 98 in 100"), (0.985, "over 98 in 100"), (0.984, "98 in 100"), (0.951, "95 in 100"),
        (0.949, "9 in 10"), (0.5, "5 in 10"), (0.095, "1 in 10"), (0.094, "9 in 100"), (0.01,
        "1 in 100"), (0.0099, "< 1 in 100"), (0.0, "< 1 in 100"),
    ],
)  # fmt: skip
def test_probabilities_as_people_count(probability: float, told: str) -> None:
    assert natural_frequency(probability) == told


def stretch(line: str, probability: float, suspect: SuspectId = W) -> StretchSuspicion:
    return StretchSuspicion("sensor_plug", line, suspect, probability, "it")


def test_who_is_suspected_at_the_limits_of_the_words() -> None:
    assert "sensor and wiring both fit" in of_suspects(suspects((S, 0.599), (W, 0.3)), ())
    assert of_suspects(suspects((S, 0.6), (W, 0.3)), ()).startswith("Most likely the sensor, one of")
    assert of_suspects(suspects((S, 0.849), (W, 0.1)), ()).startswith("Most likely")
    assert of_suspects(suspects((S, 0.85), (W, 0.1)), ()).startswith("Almost surely")
    lines = (stretch("signal 1", 0.7), stretch("signal 2", 0.3))
    assert "the wiring of signal 1" in of_suspects(suspects((W, 0.9), (S, 0.05)), lines)
    even_lines = (stretch("signal 1", 0.69), stretch("signal 2", 0.31))
    assert "one of the signals" in of_suspects(suspects((W, 0.9), (S, 0.05)), even_lines)
    others = (stretch("signal 1", 0.3), stretch("track 2", 0.7, S))
    assert "the wiring of signal 1" in of_suspects(suspects((W, 0.9), (S, 0.05)), others)
    feed = (stretch("ground", 0.8, SuspectId.SUPPLY_GROUND),)
    assert "the sensor ground" in of_suspects(suspects((SuspectId.SUPPLY_GROUND, 0.9), (S, 0.05)), feed)
    assert "the sensor, track 2" in of_suspects(suspects((S, 0.9), (W, 0.05)), others)
    for suspect in set(SuspectId) - {W, S, SuspectId.SUPPLY_GROUND}:
        assert of_suspects(suspects((suspect, 0.9), (W, 0.05)), ()).startswith("Almost surely ")


@pytest.mark.parametrize(
    ("swept", "told"),
    [
        ((), "hardly moved"), (((8.0, 92.0),), "over the whole travel"), (((8.1, 92.0),),
        "only 8 to 92 %"), (((8.0, 91.9),), "only 8 to 92 %"),
        (((-1.0, 40.0), (50.0, 100.0)), "only 0 to 100 %"),
    ],
)  # fmt: skip
def test_what_a_clean_recording_can_claim(swept: tuple[tuple[float, float], ...], told: str) -> None:
    coverage = Coverage(travel_pct_seen=(0.0, 100.0), swept_pct=swept, shortest_event_s=0.01, text="")
    assert told in _of_clean(coverage)


def test_the_next_test_parts_the_two_most_suspected_or_proves_the_one() -> None:
    known = judging()
    for advice in known.test:
        if len(advice.suspects) == 2:
            first, second = advice.suspects
            found = advise(suspects((first, 0.5), (second, 0.4)), known)
            assert found is not None
            wanted = next(t for t in known.test if set(t.suspects) == {first, second})
            assert found.title == wanted.title
        if len(advice.suspects) == 1:
            (only,) = advice.suspects
            other = W if only is not W else S
            told = advise(suspects((only, 0.85), (other, 0.1)), known)
            assert told is not None
            assert told.title == next(t.title for t in known.test if list(t.suspects) == [only])


def test_suspicion_is_spread_over_the_leaves_by_their_share_and_their_lines() -> None:
    """By hand: probability of the suspect, times the leaf's share, times the line's share."""
    known = judging()
    lines = Concerned({1: 0.75, 2: 0.25}, {"supply": 0.4, "ground": 0.6})
    found = along_the_way(suspects((W, 0.5), (SuspectId.SUPPLY_GROUND, 0.3)), lines, known)
    chance = dict.fromkeys(SuspectId, 0.2 / 6) | {W: 0.5, SuspectId.SUPPLY_GROUND: 0.3}
    for leaf in known.fault:
        mine = [f for f in found if f.suspect is leaf.suspect and f.stretch == leaf.stretch]
        if leaf.line == "signal":
            by_line = {f.line: f.probability for f in mine}
            assert by_line["signal 1"] == pytest.approx(
                chance[leaf.suspect] * leaf.share * 0.75, abs=1e-4
            )
            assert by_line["signal 2"] == pytest.approx(
                chance[leaf.suspect] * leaf.share * 0.25, abs=1e-4
            )
        if leaf.line == "feed":
            by_line = {f.line: f.probability for f in mine}
            assert by_line["ground"] == pytest.approx(chance[leaf.suspect] * leaf.share * 0.6, abs=1e-4)
    with_leaves = {leaf.suspect for leaf in known.fault}
    assert sum(f.probability for f in found) == pytest.approx(
        sum(chance[s] for s in with_leaves), abs=0.005
    )
    ordered = [f.probability for f in found]
    assert ordered == sorted(ordered, reverse=True)


COMMON: dict[str, Any] = {"times_s": ((1.0, 2.0),), "confidence": 0.5, "text": ""}


def drop(*channels: str, floor: Floor = Floor.GROUND) -> Drop:
    return Drop(
        channels=channels, level=0.0, unit=Unit.VOLT, shared=Shared.SIGNAL, floor=floor,
        at_travel_pct=None, marks=(), **COMMON,
    )  # fmt: skip


def spot(channel: str, seen_in: int) -> DeadSpot:
    return DeadSpot(
        channels=(channel,),
        travel_pct=(1.0, 2.0),
        shape=Shape.DROP,
        seen_in=seen_in,
        crossed=9,
        **COMMON,
    )


def about(*findings: object) -> Concerned:
    channels = [SimpleNamespace(id=name) for name in ("tps1_v", "tps2_v", "rpm")]
    return concerned(SimpleNamespace(findings=findings, channels=channels))  # type: ignore[arg-type] # what it needs


def test_which_track_and_feed_the_findings_are_about() -> None:
    assert about().tracks == {1: 0.5, 2: 0.5}
    assert about(drop("tps2_v")).tracks == {2: 1.0}
    assert about(drop("tps1_v", "tps2_v")).tracks == {1: 0.5, 2: 0.5}
    # A dead spot counts in each pass that shows it: three of them against one drop.
    assert about(spot("tps1_v", 3), drop("tps2_v")).tracks == {1: 0.75, 2: 0.25}
    liar = Disagreement(
        channels=("tps1_v", "tps2_v"), travel_pct=(1.0, 2.0), worst_pct=5.0, suspect="tps2_v",
        would_set_code=None, **COMMON,
    )  # fmt: skip
    assert about(liar).tracks == {2: 1.0}
    assert about(with_fields(liar, suspect=None)).tracks == {1: 0.5, 2: 0.5}
    both = ("tps1_v", "tps2_v")
    assert about(drop("tps1_v")).feeds == {"ground": 0.5, "supply": 0.5}
    assert about(drop(*both, floor=Floor.SUPPLY)).feeds == {"ground": 1.0}
    assert about(drop(*both, floor=Floor.GROUND)).feeds == {"supply": 1.0}
    assert about(drop(*both), drop(*both), drop(*both, floor=Floor.SUPPLY)).feeds == pytest.approx(
        {"supply": 2 / 3, "ground": 1 / 3}
    )
    for where, told in (
        (SupplyLine.SUPPLY, {"supply": 1.0}),
        (SupplyLine.GROUND, {"ground": 1.0}),
        (SupplyLine.EITHER, {"ground": 0.5, "supply": 0.5}),
    ):
        fault = SupplyFault(channels=("vref_v",), level_v=4.0, where=where, **COMMON)
        assert about(fault).feeds == told
    assert shares({2: 3.0, 1: 1.0}) == {1: 0.25, 2: 0.75}


def test_a_change_is_tested_by_what_comes_after_it() -> None:
    at = datetime(2026, 11, 26, tzinfo=UTC)
    change = Change(id=new_id(), at=at, source=Source.SEEN, done="plug cleaned")

    def job(*entries: AnyEntry) -> Job:
        return Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=at, entries=entries)

    def codes(seconds: float) -> CodeSet:
        return CodeSet(id=new_id(), at=at + timedelta(seconds=seconds), source=Source.VEHICLE)

    assert untested_change(job()) is None
    assert untested_change(job(change)) == change
    assert untested_change(job(codes(-1), change)) == change
    assert untested_change(job(codes(0), change)) == change  # at the same second: it was there before
    assert untested_change(job(change, codes(1))) is None
    look = Look(
        id=new_id(), at=at + timedelta(seconds=1), source=Source.SEEN, item="plug", seen=Seen.GOOD
    )
    assert untested_change(job(change, look)) is None
    later = Change(id=new_id(), at=at + timedelta(seconds=2), source=Source.SEEN, done="wire renewed")
    assert untested_change(job(change, codes(1), later)) == later
    assert second_change(job(change, codes(1))) == ""
    assert "“plug cleaned” has not been tested yet" in second_change(job(change))


# -- what findings are observations of ---------------------------------------------------------------


def seen(*findings: object, **more: Any) -> list[tuple[str, float]]:
    coverage = more.get("coverage", SimpleNamespace(swept_pct=((0.0, 100.0),)))
    examination = SimpleNamespace(
        technology=SensorKind.UNKNOWN,
        engine=EngineState(),
        findings=findings,
        drops=dict.fromkeys(
            Sensor, SimpleNamespace(verdict=more.get("verdict", Verdict.UNDECIDED), p_value=0.01)
        ),
        marks=more.get("marks", ()),
        duration_s=more.get("duration_s", 30.0),
        coverage=coverage,
        passes=more.get("passes", ("one", "two")),
    )
    circuit = more.get("circuit", NO_CIRCUIT)
    return [(o.id, o.confidence) for o in observe(examination, circuit)]  # type: ignore[arg-type] # what it needs


def sure(confidence: float, *channels: str, floor: Floor = Floor.GROUND, at_s: float = 1.0) -> Drop:
    return Drop(
        channels=channels or ("tps1_v",), level=0.0, unit=Unit.VOLT,
        shared=Shared.FEED if len(channels) > 1 else Shared.SIGNAL,
        floor=floor, at_travel_pct=None, marks=(),
        times_s=((at_s, at_s + 0.1),), confidence=confidence, text="",
    )  # fmt: skip


def test_drops_are_as_sure_as_the_one_in_the_middle_and_tied_to_the_clock_only_if_it_is_so() -> None:
    three = (sure(0.5), sure(0.9), sure(0.8))
    assert seen(*three)[0] == ("drops_somewhere", 0.8)
    assert seen(*three, verdict=Verdict.TIME)[0] == ("drops_anywhere", 0.8)
    # What comes back at one place is the track, as sure as that it does.
    ((name, how_sure),) = seen(*three, verdict=Verdict.POSITION)
    assert name == "dead_spot"
    assert how_sure == pytest.approx(0.8 * 0.99)


def test_marks_count_where_drops_come_near_them_more_often_than_the_time_there_explains() -> None:
    shaken = tuple(Mark(10.0 * n, "shake the plug") for n in range(1, 6))
    near = [sure(0.9, at_s=10.0 * n + 0.4) for n in range(1, 6)]
    spread = [sure(0.9, at_s=7.0 * n) for n in range(1, 9)]
    follow = "drops_follow_marks"
    assert follow in [name for name, _ in seen(*near, marks=shaken, duration_s=60.0)]
    assert follow not in [name for name, _ in seen(*spread, marks=shaken, duration_s=60.0)]
    # A mark that speaks of something else, or that is always near, proves nothing.
    engine = tuple(Mark(m.time_s, "engine started") for m in shaken)
    assert follow not in [name for name, _ in seen(*near, marks=engine, duration_s=60.0)]
    always = tuple(Mark(1.5 * n, "shake the plug") for n in range(40))
    assert follow not in [name for name, _ in seen(*near, marks=always, duration_s=60.0)]
    assert follow not in [name for name, _ in seen(sure(0.9), duration_s=60.0)]


def test_levels_are_told_by_what_most_of_the_drops_do() -> None:
    both, one = sure(0.9, "tps1_v", "tps2_v"), sure(0.9)
    between = sure(0.9, floor=Floor.INTERMEDIATE)
    assert seen(both, both, one)[1][0] == "drop_all_tracks"
    assert seen(both, one)[1][0] == "drop_one_rail"  # half is not most
    assert seen(one, one, between)[1][0] == "drop_one_rail"
    assert seen(one, between)[1][0] == "drop_one_between"
    assert seen(sure(0.9, floor=Floor.SUPPLY))[1][0] == "drop_one_rail"


def test_a_clean_recording_is_whole_only_with_the_whole_travel_and_two_passes() -> None:
    assert seen() == [("clean_whole", 1.0)]
    assert seen(passes=("one",)) == [("clean_part", 1.0)]
    assert seen(passes=()) == [("clean_still", 1.0)]

    def swept(*spans: tuple[float, float]) -> object:
        return SimpleNamespace(swept_pct=spans)

    assert seen(coverage=swept()) == [("clean_still", 1.0)]
    assert seen(coverage=swept((8.0, 92.0))) == [("clean_whole", 1.0)]
    assert seen(coverage=swept((8.1, 92.0))) == [("clean_part", 1.0)]
    assert seen(coverage=swept((8.0, 91.9))) == [("clean_part", 1.0)]
    assert seen(coverage=swept((0.0, 40.0), (50.0, 100.0))) == [("clean_part", 1.0)]


def test_of_one_kind_the_surest_finding_speaks_and_disagreements_speak_each() -> None:
    spots = (
        with_fields(spot("tps1_v", 3), confidence=0.6),
        with_fields(spot("tps1_v", 3), confidence=0.8),
    )
    assert seen(*spots) == [("dead_spot", 0.8)]
    apart = Disagreement(
        channels=("tps1_v", "tps2_v"), travel_pct=(1.0, 2.0), worst_pct=5.0, suspect=None,
        would_set_code=None, **COMMON,
    )  # fmt: skip
    assert seen(apart, with_fields(apart, suspect="tps2_v", confidence=0.7)) == [
        ("tracks_differ", 0.5), ("tracks_differ_blamed", 0.7),
    ]  # fmt: skip
    assert seen(with_fields(apart, suspect="tps2_v", bends=True)) == [("tracks_bend", 0.5)]
    command = with_fields(apart, channels=("throttle_pct", "throttle_cmd_pct"))
    assert seen(command) == [("command_not_followed", 0.5)]


def explained(*at: str) -> CircuitEvidence:
    chance = dict.fromkeys(SuspectId, 0.1) | {W: 0.5}
    explanation = SimpleNamespace(faults=("x",) if at else (), at=at)
    return SimpleNamespace(likelihood=chance, explanations=(explanation,))  # type: ignore[return-value] # what it needs


def test_the_circuits_solution_speaks_for_the_levels_where_there_is_one() -> None:
    examination = SimpleNamespace(
        technology=SensorKind.UNKNOWN,
        engine=EngineState(),
        findings=(sure(0.9),),
        drops=dict.fromkeys(Sensor, SimpleNamespace(verdict=Verdict.UNDECIDED, p_value=None)),
        marks=(),
        duration_s=30.0,
        coverage=None,
        passes=(),
    )
    for at, says in (
        (("signal2", "wiper2"), "the levels are those of signal 2 broken alone"),
        (("signal1", "signal2"), "the levels are those of signal 1 and 2 broken alone"),
        (("ground", "ground_plug"), "the levels are those of a broken ground"),
        (("supply_plug", "ground"), "the levels are those of a broken ground or supply"),
        ((), "the levels fit no single fault of the circuit"),
    ):
        solved = observe(examination, explained(*at))[1].solved  # type: ignore[arg-type] # what it needs
        assert solved is not None
        assert solved.says == says
        assert solved.chance[W] == pytest.approx(
            0.3
        )  # six tenths: levels alone are never the whole truth
        assert solved.cause == "floor"

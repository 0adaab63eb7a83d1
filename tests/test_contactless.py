"""Contactless sensors: their circuit, what a profile says of them, and what they can't show.

What electronics do that are fed too poorly (they let go of their outputs): from memory, data sheets of
such parts say so; that they have no track that wears: common practice, no published source.
"""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nervus import knowledge
from nervus.circuit.matching import State, match
from nervus.circuit.sensor import OUTPUT_OHMS, SensorCircuit, TrackCircuit, electronics
from nervus.circuit.signatures import circuit_faults, signature
from nervus.domain.analysis import Analysis
from nervus.domain.channel import FloatArray, Recording
from nervus.domain.errors import ProfileUnusable
from nervus.domain.finding import DeadSpot, Drop, Shared
from nervus.domain.profile import SensorKind
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.judge.observations import observe
from nervus.knowledge import profile_ids, profile_named
from signals import recording, sweeps, volts

TRAVEL = np.linspace(0.0, 1.0, 5)


def _made(pull_share: float, *, contactless: bool = True) -> SensorCircuit:
    make = electronics if contactless else TrackCircuit
    tracks = (make(0.1, 0.9), make(0.9, 0.1))
    circuit = SensorCircuit(tracks, contactless=contactless)
    for n in (0, 1):
        circuit = circuit.with_track(n, pull_ohms=10_000.0, pull_share=pull_share)
    return circuit


def _signals(circuit: SensorCircuit) -> FloatArray:
    read = circuit.over(TRAVEL)
    return np.stack([read["signal1"], read["signal2"]])


@given(st.floats(0.0, 1.0), st.sampled_from([0.0, 1.0]))
def test_fed_it_holds_its_share_of_the_supply(travel: float, pull: float) -> None:
    """Kirchhoff: so few ohms move by the divider that they make with the input's resistor."""
    read = _made(pull).volts(travel)
    most = 5.0 * (OUTPUT_OHMS + 125.0) / 10_000.0
    assert read["signal1"] == pytest.approx(0.5 + 4.0 * travel, abs=most)
    assert read["signal1"] + read["signal2"] == pytest.approx(5.0, abs=2 * most)


@pytest.mark.parametrize("pull", [0.0, 1.0])
@pytest.mark.parametrize("line", ["supply_ohms", "ground_ohms"])
def test_without_supply_or_ground_the_inputs_alone_decide(line: str, pull: float) -> None:
    open_line = _made(pull)
    broken = open_line.open_supply() if line == "supply_ohms" else open_line.open_ground()
    assert _signals(broken) == pytest.approx(np.full((2, 5), 5.0 * pull), abs=0.01)


def test_a_potentiometer_without_ground_goes_to_the_supply_whatever_the_inputs_pull_to() -> None:
    """The same line, the other technology: its track ties the signals to the other end."""
    broken = _made(0.0, contactless=False).open_ground()
    assert _signals(broken).min() > 3.5


@pytest.mark.parametrize(("ohms", "alive"), [(100.0, True), (400.0, False)])
def test_a_poor_supply_shrinks_both_until_it_lets_go(ohms: float, alive: bool) -> None:  # noqa: FBT001
    """Two outputs of 500 ohms are 250 together: 100 ohms leave 3.57 of 5 V... of one output 4.17 V."""
    one = SensorCircuit((electronics(0.1, 0.9),), contactless=True)
    one = one.with_track(0, pull_ohms=10_000.0, pull_share=0.0).open_supply(ohms)
    read = one.over(TRAVEL)["signal1"]
    whole = 5.0 * 500.0 / (500.0 + ohms)
    assert read == pytest.approx(whole * (0.1 + 0.8 * TRAVEL) if alive else np.zeros(5), abs=0.1)


def test_faults_of_a_contactless_sensor_name_no_film() -> None:
    names = {f.id for f in circuit_faults(2, contactless=True)}
    assert "open-wiper1" in names
    assert not {n for n in names if "above" in n or "below" in n}
    assert "the output of track 2" in " ".join(f.phrase for f in circuit_faults(2, contactless=True))
    assert {n for n in {f.id for f in circuit_faults(2)} if "above" in n}


def test_both_at_the_supply_is_the_ground_of_a_potentiometer_but_either_line_of_electronics() -> None:
    state = State(TRAVEL, np.full((5, 2), 100.0), 1.2)
    told = {}
    for contactless in (False, True):
        found = match(_made(1.0, contactless=contactless), state)
        best = [m.fault for m in found if m.density > 0.3 * found[0].density]
        told[contactless] = {
            f.at[0].removesuffix("_plug") for f in best if f.suspects == (SuspectId.SUPPLY_GROUND,)
        }
    assert told[True] >= {"supply", "ground"}
    assert told[False] == {"ground"}
    sound = signature(_made(1.0), None, TRAVEL)
    assert sound["signal1"][0] < 1.0


def _worn(of_profile: str | None) -> Analysis:
    time_s, travel = sweeps(10)
    bad = (travel > 40.0) & (travel < 43.0)
    one = np.where(bad, 0.02, volts(travel, noise_v=0.002))
    made = recording(time_s, tps1_v=one, tps2_v=5.0 - volts(travel, noise_v=0.002, seed=2))
    return analyse(made, profile_named(of_profile) if of_profile else None)


def test_a_place_that_fails_is_no_worn_track_of_a_contactless_sensor() -> None:
    told = {p: _worn(p) for p in (None, "electronic-opposite", "electronic-contactless")}
    for analysis in told.values():
        assert [type(f) for f in analysis.examination.findings] == [DeadSpot]
    chance = {p: {s.id: s.probability for s in a.judgement.suspects} for p, a in told.items()}
    bare, opposite, contactless = chance.values()
    assert bare == pytest.approx(opposite, abs=0.02)
    assert contactless[SuspectId.THROTTLE_BODY] > 10.0 * bare[SuspectId.THROTTLE_BODY]
    rows = {o.id for o in observe(told["electronic-contactless"].examination, told[None].circuit)}
    assert "place_contactless" in rows
    assert "contactless" in told["electronic-contactless"].examination.coverage.text
    assert "contactless" not in told["electronic-opposite"].examination.coverage.text


def _both_fell_out() -> Recording:
    """Both outputs to one level in between, five times, wherever the shaft was."""
    time_s, travel = sweeps(10)
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    for start in (3.3, 9.1, 16.9, 25.2, 33.7):
        away = (time_s > start) & (time_s < start + 0.2)
        one[away], two[away] = 1.55, 3.45
    return recording(time_s, tps1_v=one, tps2_v=two)


def test_how_it_fell_out_tells_what_it_is_unless_the_profile_knows_better() -> None:
    learned = analyse(_both_fell_out()).examination
    assert learned.technology is SensorKind.CONTACTLESS
    assert "fell out as a contactless sensor does" in learned.coverage.text
    assert {f.shared for f in learned.findings if isinstance(f, Drop)} == {Shared.ELECTRONICS}
    named = analyse(_both_fell_out(), profile_named("electronic-contactless")).examination
    assert "The sensor is contactless" in named.coverage.text
    assert "fell out" not in named.coverage.text


def test_a_sensor_with_wipers_has_no_electronics_that_fall_out(tmp_path: Path) -> None:
    written = Path(profile_file("electronic-opposite")).read_text("utf-8")
    mine = tmp_path / "mine.toml"
    mine.write_text(
        written.replace('kind = "electronic"', 'kind = "electronic"\nsensor = "contact"'), "utf-8"
    )
    found = analyse(_both_fell_out(), profile_named(str(mine))).examination
    assert found.technology is SensorKind.CONTACT
    assert {f.shared for f in found.findings if isinstance(f, Drop)} == {Shared.FEED}
    mine.write_text(
        written.replace('kind = "electronic"', 'kind = "electronic"\nsensor = "magic"'), "utf-8"
    )
    with pytest.raises(ProfileUnusable, match="magic"):
        profile_named(str(mine))


def profile_file(name: str) -> str:
    """Where a profile that ships lies."""
    return str(Path(knowledge.__file__).parent / "profiles" / f"{name}.toml")


def test_the_profile_ships() -> None:
    assert "electronic-contactless" in profile_ids()
    assert profile_named("cable-three-wire").sensor is SensorKind.CONTACT
    assert profile_named("electronic-half").sensor is SensorKind.UNKNOWN

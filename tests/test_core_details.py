"""Small promises of link, files and judgement, each where a random change of one sign went unseen."""

import errno
import mmap
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from nervus.domain.analysis import Suspect, SuspectId
from nervus.domain.channel import CHANNEL_KINDS, Channel
from nervus.domain.errors import Stopped
from nervus.domain.finding import DeadSpot, Drop, Floor, Shape
from nervus.domain.job import Job, new_id, new_vehicle, now
from nervus.domain.profile import ThrottleKind
from nervus.files import csv_gate, journal
from nervus.files.csv_gate import Header, inspect
from nervus.judge.of_job import _about
from nervus.judge.stretches import EITHER_FEED, concerned
from nervus.judge.verdict import advise, weigh
from nervus.knowledge import Likelihood, judging
from nervus.link.bus_health import _why, cant_open
from nervus.link.errors import REASONS
from nervus.link.instruments import Instrument, SamplerSource
from nervus.link.outcome import Kind, Outcome
from nervus.link.text_adapter import TextTransport
from nervus.link.unit_codes import UnitCodes, _ask_alone
from nervus.standin import hands
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer

# -- the wire ----------------------------------------------------------------------------------------


def test_reasons_for_a_refusal_by_their_numbers() -> None:
    """Source: ISO 14229-1, table A.1, negative response codes; our words."""
    meant = {
        0x10: "refused", 0x11: "service", 0x12: "function", 0x13: "length", 0x14: "too long",
        0x21: "busy", 0x22: "conditions", 0x24: "order", 0x31: "range", 0x33: "security", 0x72: "failed",
        0x78: "more time", 0x7E: "does not do that in this session", 0x7F: "service in this session",
    }  # fmt: skip
    assert set(REASONS) == set(meant)
    assert all(word in REASONS[number] for number, word in meant.items())


def test_what_the_system_did_not_number_is_not_called_success() -> None:
    assert _why(Exception("driver trouble 17")) == ""
    assert _why(Exception("the other end hung up")) == ": the other end hung up"
    assert _why(OSError(errno.EIO, "x")) == ": input/output error"
    assert "success" not in cant_open("can0", Exception("x"), "accepted is y").lower()
    assert "input/output error; accepted is y" in cant_open(
        "can0", OSError(errno.EIO, "x"), "accepted is y"
    )


class Talker:
    """A wire on which an instrument talks out of turn, more than once."""

    def __init__(self, *unasked: bytes) -> None:
        self.unasked = list(unasked)
        self.written: list[str] = []

    def drain(self) -> bytes:
        return self.unasked.pop(0) if self.unasked else b""

    def write(self, line: str) -> None:
        self.written.append(line)
        assert not self.unasked, (
            "a question is put while something old may still be taken for its answer"
        )

    def line(self, _wait_s: float, _alive: object) -> str:
        return "4.98"

    def close(self) -> None:
        """Nothing to let go of."""


def on(wire: Talker) -> Instrument:
    made = Instrument.__new__(Instrument)
    vars(made).update(_wire=wire, unasked=0, _wait_s=1.0, _stopped=SimpleNamespace(is_set=lambda: False))
    return made


def test_the_rest_of_what_nobody_asked_for_is_thrown_away_too() -> None:
    instrument = on(Talker(b"4.7", b"1\n"))
    assert instrument.ask("READ?") == "4.98"
    assert instrument.unasked == 1
    quiet = on(Talker(b"  \r\n"))
    assert quiet.ask("READ?") == "4.98"
    assert quiet.unasked == 0


def test_a_sampler_is_stopped_in_the_middle_of_a_question() -> None:
    stopped: list[bool] = []
    source = SamplerSource.__new__(SamplerSource)
    vars(source).update(_instrument=SimpleNamespace(stop=lambda: stopped.append(True)))
    source.stop_asking()
    assert stopped == [True]
    vars(source).update(_instrument=None)
    source.stop_asking()


def test_an_adapter_whose_greeting_is_garbled_is_not_taken_for_found() -> None:
    class Line:
        rates = (1, 2, 3)
        said = [["\ufffdxyz"], ["a\x01b"], ["NAME v1"]]  # noqa: RUF012 - used up below
        tried: list[int] = []  # noqa: RUF012

        def set_rate(self, rate: int) -> None:
            self.tried.append(rate)

        def command(self, _text: str, _wait_s: float) -> list[str]:
            return self.said.pop(0)

    transport = TextTransport.__new__(TextTransport)
    vars(transport).update(_line=Line())
    assert transport._greet() == "NAME v1"
    assert Line.tried == [1, 2, 3]


def test_a_unit_that_is_silent_is_asked_as_often_as_its_silence_may_mean_something() -> None:
    """Common practice, no published source: older units have no permanent codes, and say nothing."""
    asked: list[int] = []

    class Silent:
        def ask_each(self, units: Any, request: bytes, _wait_s: float) -> dict[int, Outcome]:
            asked.append(request[0])
            return {unit: Outcome(Kind.SILENT) for unit in units}

    unit = UnitCodes(0)
    for service in (0x03, 0x07, 0x0A, 0x19):  # as it was when all were asked at once
        unit.take(service, Outcome(Kind.SILENT))
    _ask_alone(Silent(), (unit,))  # type: ignore[arg-type] # all that is used of one
    counts = {service: asked.count(service) for service in (0x03, 0x07, 0x0A, 0x19)}
    assert counts == {0x03: 3, 0x07: 3, 0x0A: 2, 0x19: 2}


# -- files -------------------------------------------------------------------------------------------


def test_a_packet_without_a_body_and_a_marker_at_the_very_beginning() -> None:
    assert not journal._fits(journal._SAMPLES, b"")
    assert not journal._fits(journal._SAMPLES, b"\x01")
    assert journal._fits(journal._SAMPLES, b"\x01x")
    assert journal._fits(journal._SAMPLES, b"\x01x" + bytes(16))
    assert not journal._fits(journal._SAMPLES, b"\x01x" + bytes(15))
    for marker in (journal._MARKER, journal._OLD_MARKER):
        with mmap.mmap(-1, 64) as data:
            data[0:4] = marker
            assert journal._next_marker(data, 0) == 0
            assert journal._next_marker(data, 1) == 64


def test_a_line_of_exactly_the_longest_is_read(tmp_path: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(csv_gate, "_LONGEST_LINE", 40)
    path = tmp_path / "r.csv"
    path.write_text("time_s,tps1_v\n0," + "1" * 38)
    assert inspect(path, {}) == Header(("time_s", "tps1_v"), ("time_s", "tps1_v"), long=False)
    path.write_text("time_s,tps1_v\n0," + "1" * 39)
    with pytest.raises(Exception, match="longer than a megabyte"):
        inspect(path, {})


# -- judgement ---------------------------------------------------------------------------------------


def row(cause: str, **named: float) -> Likelihood:
    chance = {s: named.get(s.name.lower(), 0.1) for s in SuspectId}
    return Likelihood(id=cause + str(named), says=cause, cause=cause, source="test", chance=chance)


def test_probabilities_are_written_with_four_digits_and_sum_to_one() -> None:
    suspects, _ = weigh(
        ((0.7, row("a", wiring=0.63, sensor=0.37)), (0.9, row("b", sensor=0.41))), judging()
    )
    written = [s.probability for s in suspects]
    assert all(p == round(p, 4) for p in written)
    assert any(p != round(p, 3) for p in written)
    assert sum(written) == pytest.approx(1.0, abs=1e-12)


def test_of_two_equally_telling_observations_of_one_cause_the_first_stays() -> None:
    one, other = row("a", wiring=0.8), row("a", sensor=0.8)
    first, _ = weigh(((1.0, one), (1.0, other)), judging())
    second, _ = weigh(((1.0, other), (1.0, one)), judging())
    assert {s.id: s.probability for s in first} != {s.id: s.probability for s in second}
    alone, _ = weigh(((1.0, one),), judging())
    assert first == alone


def test_a_test_of_the_first_suspect_alone_is_advised_only_when_it_is_nearly_sure() -> None:
    def test_of(title: str, *suspects: SuspectId) -> Any:
        return SimpleNamespace(title=title, minutes=5, tells="x", caution="", suspects=suspects)

    w, s, n = SuspectId.WIRING, SuspectId.SENSOR, SuspectId.NONE
    known: Any = SimpleNamespace(test=(test_of("proof", w), test_of("wiring or none", w, n)))
    told = advise((Suspect(w, 0.6), Suspect(s, 0.3)), known)
    assert told is not None
    assert told.title == "wiring or none"
    sure = advise((Suspect(w, 0.99), Suspect(s, 0.01)), known)
    assert sure is not None
    assert sure.title == "proof"
    assert advise((Suspect(s, 0.6), Suspect(w, 0.3)), known) is None


def job(throttle: ThrottleKind) -> Job:
    from msgspec.structs import replace

    vehicle = replace(new_vehicle("No 6"), throttle=throttle)
    return Job(id=new_id(), vehicle=vehicle, opened=now(), entries=())


def test_where_nothing_names_a_track_all_that_there_are_are_meant_alike() -> None:
    assert _about(job(ThrottleKind.ELECTRONIC), ()).tracks == {1: 0.5, 2: 0.5}
    assert _about(job(ThrottleKind.CABLE), ()).tracks == {1: 1.0}
    assert _about(job(ThrottleKind.CABLE), ()).feeds == EITHER_FEED
    found: Any = SimpleNamespace(tracks={1: 0.25, 2: 0.75}, feeds={"ground": 1.0})
    about = _about(job(ThrottleKind.ELECTRONIC), (found,))
    assert about.tracks == {1: 0.25, 2: 0.75}
    assert about.feeds == {"ground": 1.0}


def test_every_finding_and_every_pass_of_a_dead_spot_weighs_for_its_track() -> None:
    def drop(channel: str, confidence: float) -> Drop:
        return Drop(
            channels=(channel,), times_s=((1.0, 1.1),), confidence=confidence, text="", level_v=0.0,
            floor=Floor.GROUND, at_travel_pct=None, marks=(),
        )  # fmt: skip

    spot = DeadSpot(
        channels=("tps2_v",), confidence=0.5, text="", travel_pct=(40.0, 42.0), shape=Shape.DROP,
        seen_in=4, crossed=5, times_s=(),
    )  # fmt: skip
    channel = Channel(CHANNEL_KINDS["tps1_v"], np.arange(3.0), np.arange(3.0))
    seen: Any = SimpleNamespace(
        findings=(drop("tps1_v", 0.5), drop("tps1_v", 0.5), spot), channels=(channel,)
    )
    assert concerned(seen).tracks == pytest.approx({1: 1.0 / 3.0, 2: 2.0 / 3.0})


# -- the simulated vehicle's hands -------------------------------------------------------------------


def test_hands_start_the_engine_once_and_stop_it_when_they_let_go() -> None:
    server = VehicleServer(SimulatedVehicle())
    try:

        def running() -> bool:
            return server.vehicle.engine.running

        server._handle(10.0, hands.KEY | hands.ENGINE)
        assert running()
        server._handle(20.0, hands.KEY | hands.ENGINE)
        assert running()
        assert server.vehicle.driver.pedal_pct == 20.0
        server._handle(20.0, hands.KEY | hands.SHAKEN)
        assert not running()
        assert server.vehicle.driver.shaken
        assert not server.vehicle.driver.wet
    finally:
        server._listener.close()


def test_stopping_is_not_an_answer() -> None:
    instrument = on(Talker())
    vars(instrument).update(_stopped=SimpleNamespace(is_set=lambda: True))
    with pytest.raises(Stopped):
        instrument._alive()

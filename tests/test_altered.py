"""What is told hangs on no single draw: recordings by other hands, as they might as well have come out.

Source: their makers' recordings (`test_other_hand.py`); that a sensor fails alike whichever track is
called the first, however fast the clock ran, however the noise fell, needs none. Left out are those at
the edge of what they can show: a step within the noise, a place that was crossed twice.
"""

import zlib

import numpy as np
import pytest

from altered import WAYS, swapped_names
from analysis_fingerprints import recordings
from nervus.domain.analysis import Analysis
from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Finding, Noise
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.signal.candidates.asked import Asked
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.fading import _stood_since
from nervus.signal.candidates.stands import find_stands
from nervus.signal.explained.events import Cause, Event
from nervus.signal.explained.explain import _once
from nervus.signal.explained.feed_signs import joint_of
from nervus.signal.motion.course import course_of
from nervus.signal.motion.frames import learn_frame
from nervus.signal.motion.relation import Line
from nervus.signal.told.ranges import at_rail
from signals import channel, recording, sweeps, track, volts
from test_line_cases import driven, gone, of, told

STEADY = (
    "contactless-1",
    "contactless-drop-outs",
    "does-not-follow-1",
    "drifting-track",
    "healthy-awkward-1",
    "healthy-fast-1",
    "healthy-key-off",
    "healthy-soft-landing",
    "open-ground",
    "pedal-1",
    "plate-stays-open-1",
    "signal-rests-high-1",
    "signal-wire-1",
    "small-step",
    "stands-still-1",
    "wiper-opens-1",
)
OF_TRACKS = DeadSpot | Drop | Noise


def gist(made: Analysis, names: dict[str, str]) -> tuple[SuspectId, set[tuple[str, ...]]]:
    """Who is suspected first, and the kinds of what is told, of tracks with whose they are."""

    def of_finding(f: Finding) -> tuple[str, ...]:
        on = sorted(names.get(c, c) for c in f.channels) if isinstance(f, OF_TRACKS) else ()
        return (f.kind, *on)

    return made.judgement.suspects[0].id, {of_finding(f) for f in made.examination.findings}


@pytest.mark.parametrize("name", STEADY)
def test_the_same_is_told_however_the_instrument_drew(name: str) -> None:
    made = recordings()[name]()
    shown = gist(analyse(made), {})
    for way, alter in WAYS.items():
        random = np.random.default_rng(zlib.crc32(f"{name}{way}".encode()))
        other = alter(made, random)
        names = swapped_names(made) if way == "swapped" else {}
        assert other is None or gist(analyse(other), names) == shown, way


# -- what used to hang on one draw ----------------------------------------------------------------


def test_off_may_be_the_longer_part_of_a_recording() -> None:
    lines = gone(25.0)
    off = (lines["time_s"] > 30.0) & (lines["time_s"] < 55.0)
    kept = lines["time_s"] > 12.0
    cut = {name: values[kept] for name, values in lines.items()}
    battery = np.where(off, 11.0, 13.8)[kept]
    assert told(**cut, batt_v=battery).examination.findings == ()
    # And a supply that is away for long has left what it usually is, not come to it.
    running = told(**cut, rpm=np.full(battery.size, 800.0))
    assert running.judgement.suspects[0].id is SuspectId.SUPPLY_GROUND
    assert sum(b - a for d in of(Drop, running) for a, b in d.times_s) == pytest.approx(25.0, abs=0.5)


def test_a_chattering_wire_on_a_moving_plate_is_as_many_drops_as_it_is() -> None:
    """Noise between two touches has a speed of its own, which is not the plate's (5 kHz)."""
    random = np.random.default_rng(4)
    time_s = np.arange(0.0, 12.0, 0.0002)
    travel = 50.0 - 45.0 * np.cos(2.0 * np.pi * time_s / 3.0)
    values = np.round(volts(travel, noise_v=0.012) / 0.011) * 0.011
    starts = (2.3, 3.7, 5.2, 6.4, 7.7, 9.3, 10.6)
    for start in starts:
        for touch in np.arange(start, start + 0.1, 0.007):
            away = (time_s >= touch) & (time_s < touch + random.uniform(0.003, 0.0066))
            values[away] = 0.02
    made = told(time_s, tps1_v=values, tps2_v=5.0 - volts(travel, noise_v=0.012, seed=2))
    assert [d.times_s[0][0] for d in of(Drop, made)] == pytest.approx(starts, abs=0.01)
    assert max(d.times_s[-1][1] - d.times_s[0][0] for d in of(Drop, made)) < 0.12


def stuck_or_fallen_out(*, falls_out: bool) -> Analysis:
    """Twenty readings a second: fall-outs at 63 %, or a plate that stays while the command goes."""
    time_s, travel = driven(90.0, 20.0, seed=3)
    shown: FloatArray = np.interp(time_s - 0.1, time_s, travel)
    for start in np.linspace(60, time_s.size - 60, 7).astype(int):
        shown[start : start + 8] = 63.0 if falls_out else shown[start]
    # Once for longer than any event: at the level of the others it is no plate that stays.
    shown[900:945] = 63.0 if falls_out else shown[900]
    percent = np.round((10.0 + 0.8 * shown) * 2.55) / 2.55
    return told(time_s=time_s, tps1_pct=percent, tps2_pct=percent.copy(), throttle_cmd_pct=travel)


def test_a_plate_that_stays_while_its_command_goes_is_not_a_sensor_that_leaves() -> None:
    out = of(Drop, stuck_or_fallen_out(falls_out=True))
    assert len(out) >= 4
    stuck = stuck_or_fallen_out(falls_out=False)
    assert of(Drop, stuck) == []
    assert stuck.judgement.suspects[0].id is SuspectId.THROTTLE_BODY


def test_a_track_leaves_by_itself_where_what_was_asked_for_stays() -> None:
    time_s = np.arange(0.0, 20.0, 0.1)
    asked = np.where(time_s < 10.0, 30.0, 60.0)
    witness = Asked(
        channel("throttle_cmd_pct", time_s, asked),
        0.1,
        (0.0, 100.0),
        {"tps1_pct": (Line(1.0, 0.0), 0.0)},
    )
    level = np.where((time_s >= 4.95) & (time_s < 5.95), 55.0, np.where(time_s < 12.95, 30.0, 60.0))
    own = track(time_s, level, "tps1_pct")
    assert witness.left(own, (5.0, 5.9))
    assert not witness.left(own, (11.0, 12.9))  # it stayed, the command went
    assert not witness.left(own, (6.5, 6.9))  # it is where it should be
    assert not witness.left(own, (0.0, 0.5))  # nothing was seen before


def test_the_full_range_tells_where_the_stops_are_whichever_track_has_it() -> None:
    """A track of half range, 0.25 to 2.25 V, that never came to its open stop (common practice)."""
    time_s, travel = sweeps(6)
    full = volts(0.6 * travel, noise_v=0.003)
    for first, second in ((full, full / 2.0), (full / 2.0, full)):
        made = told(time_s, tps1_v=first, tps2_v=second).examination
        assert made.travel is not None
        assert float(made.travel.percent.max()) == pytest.approx(60.0, abs=2.0)


def test_of_two_mirrored_tracks_the_first_may_be_the_one_that_falls() -> None:
    """A recording is begun with the throttle shut; as long at one stop as at the other."""
    time_s, travel = sweeps(5)
    course = course_of(track(time_s, 5.0 - volts(travel)), ())
    assert learn_frame(course, None, mirrored=True).closed == pytest.approx(4.5, abs=0.02)
    assert learn_frame(course, None).closed == pytest.approx(0.5, abs=0.02)
    for first, closed in ((5.0 - volts(travel), 4.5), (volts(travel), 0.5)):
        made = told(time_s, tps1_v=first, tps2_v=5.0 - first).examination.travel
        assert made is not None
        assert made.frames["tps1_v"].closed == pytest.approx(closed, abs=0.02)


def test_stands_at_one_level_are_told_from_chance_where_a_shaft_could_have_stopped() -> None:
    """Eleven readings a second, a plate is anywhere between two: only that they are alike tells."""
    random = np.random.default_rng(3)
    time_s = np.arange(0.0, 90.0, 0.09)
    moved = 42.0 + 14.0 * np.sin(time_s / 2.0)
    alike, anywhere = moved.copy(), moved.copy()
    for number, start in enumerate(range(40, time_s.size - 60, 75)):
        for shown, level in ((alike, 41.0), (anywhere, (34.0, 42.0, 49.0)[number % 3])):
            shown[start - 1 : start + 5 : 5] = (shown[start - 2] + level) / 2.0  # seen on its way
            shown[start : start + 4] = level
    noise = random.normal(0.0, 0.05, time_s.size)
    assert find_stands(track(time_s, (alike + noise) / 20.0), ())[1] == pytest.approx(41.0, abs=0.2)
    # A few of twelve at each of three levels are so by chance.
    assert find_stands(track(time_s, (anywhere + noise) / 20.0), ())[1] is None


def test_between_two_excursions_a_track_is_on_its_course() -> None:
    time_s = np.arange(0.0, 7.0, 0.06)
    level = np.full(time_s.size, 30.0)
    level[40:48] = level[54:62] = 63.0
    level += np.random.default_rng(1).normal(0.0, 0.05, time_s.size)
    own = track(time_s, level / 20.0)
    known = tuple(
        Excursion((float(time_s[a]), float(time_s[b])), 30.0, 30.0, 63.0, 8)
        for a, b in ((40, 47), (54, 61))
    )
    assert find_stands(own, known)[0] == ()
    assert len(find_stands(own, ())[0]) == 3
    (second,) = find_stands(own, known[:1])[0]
    assert second.span_s == known[1].span_s


def test_at_a_stop_excursions_land_alike_and_no_joint_does_that() -> None:
    time_s = np.arange(0.0, 10.0, 0.02)
    own = track(time_s, 2.625 - 2.025 * np.cos(time_s))
    stop = own.usual[1]

    def left(*ways: tuple[float, float]) -> list[Excursion]:
        return [Excursion((t, t + 0.3), c, c, level, 15) for t, (c, level) in enumerate(ways, 1)]

    def nearer(course: float) -> tuple[float, float]:
        return course, 100.0 - 0.6 * (100.0 - course)

    # To 0.6 of what is missing to the supply: three of four times it was wide open.
    opened = 100.0 - (100.0 - stop) / 0.6
    assert joint_of(own, left(*[nearer(opened)] * 3, nearer(50.0))) is None
    assert joint_of(own, left(*[nearer(opened - 6.0)] * 3, nearer(50.0))) is not None
    joint = joint_of(own, left((80.0, 32.0), (60.0, 24.0), (88.0, 35.2), (45.0, 18.0)))
    assert joint is not None
    assert joint.factor == pytest.approx(0.4, abs=0.01)


def test_a_sister_at_no_rail_says_that_the_other_has_come_to_its_stop() -> None:
    """Held wide open once in a while, near the supply on one track, with a soft end (fifty readings)."""
    time_s = np.arange(0.0, 80.0, 0.02)
    travel: FloatArray = 40.0 - 40.0 * np.cos(2.0 * np.pi * time_s / 8.0)
    at = [17.0, 19.0, 19.04, 20.0, 20.04, 23.0]
    opened = np.interp(time_s, at, [0.0, 92.0, 99.0, 99.0, 92.0, 0.0])
    travel = np.maximum(travel * ((time_s < 16.0) | (time_s > 24.0)), opened)
    one = 0.45 + 0.038 * travel + np.random.default_rng(1).normal(0.0, 0.002, travel.size)
    made = told(time_s, tps1_v=one, tps2_v=one + 0.5)
    assert made.examination.findings == ()


def test_one_of_two_events_that_lie_over_each_other_is_told() -> None:
    def event(start: float, end: float, *names: str) -> Event:
        parts = tuple((n, Excursion((start, end), 50.0, 50.0, 0.0, 3)) for n in names)
        return Event(parts, (start, end), Cause.ALONE, 5.0)

    both, within = event(1.0, 2.0, "tps1_v", "tps2_v"), event(1.8, 1.9, "tps2_v")
    before, other = event(0.9, 1.1, "tps1_v"), event(1.5, 1.6, "app1_v")
    assert _once([both, within]) == (both,)
    assert _once([before, both]) == (both,)
    assert _once([both, other]) == (both, other)
    one, two, over = (
        event(1.0, 1.5, "tps1_v"),
        event(1.1, 1.2, "tps2_v"),
        event(1.15, 2.0, "tps1_v", "tps2_v"),
    )
    assert _once([one, two]) == (one, two)
    assert _once([one, two, over]) == (over,)
    short, longer = event(1.0, 1.1, "tps1_v"), event(1.05, 3.0, "tps1_v")
    assert _once([longer, short]) == (longer,)
    later = event(3.0, 3.1, "tps2_v")
    assert _once([later, within]) == (within, later)


def test_while_a_unit_s_percent_is_away_from_its_end_the_shaft_may_be_too() -> None:
    time_s = np.arange(0.0, 10.0, 0.05)
    away = (time_s > 4.0) & (time_s < 4.4)
    told_pct = np.where(away, 95.0, 0.0)
    sister = np.where(away, 95.0, 8.0)
    assert at_rail(recording(time_s, throttle_pct=told_pct, tps1_pct=sister), 5.0) == ()
    elsewhere = np.where((time_s > 2.0) & (time_s < 3.0), 70.0, sister)
    (found,) = at_rail(recording(time_s, throttle_pct=told_pct, tps1_pct=elsewhere), 5.0)
    assert found.channels == ("throttle_pct",)


def test_lag_is_told_by_what_moves_fast() -> None:
    """Sixteen tracks of noise at rest say nothing of a lag that one snap shows: 10 ms at 100 Hz."""
    time_s = np.arange(0.0, 60.0, 0.01)
    slow = 20.0 + 5.0 * np.sin(2.0 * np.pi * time_s / 6.0)
    travel = slow + 70.0 * np.clip((time_s - 40.0) / 0.1, 0.0, 1.0) * (time_s < 45.0)
    lagged = np.interp(time_s - 0.01, time_s, travel)
    one = np.round(volts(travel, noise_v=0.004) / 0.02) * 0.02
    two = np.round(volts(lagged, noise_v=0.004, seed=2) / 0.02) * 0.02
    made = analyse(Recording((channel("tps1_v", time_s, one), channel("tps2_v", time_s + 1e-4, two))))
    lags = {c.id: c.lag_s for c in made.examination.channels}
    assert lags["tps2_v"] == pytest.approx(0.01, abs=0.004)
    assert of(Disagreement, made) == []


@pytest.mark.parametrize("rate_hz", [8.0, 11.0, 15.0, 25.0])
@pytest.mark.parametrize("readings", [1, 2])
def test_one_level_in_single_readings_is_a_contactless_sensor_that_falls_out(
    rate_hz: float, readings: int
) -> None:
    """Ten times at 54 % from anywhere, though motion seen so slowly looks like noise; a foot is none."""
    time_s, travel = driven(120.0, rate_hz, seed=4)
    shown: FloatArray = np.interp(time_s - 0.1, time_s, travel)
    random = np.random.default_rng(4)

    def percent(of: FloatArray) -> FloatArray:
        return np.round((10.0 + 0.8 * of + random.normal(0.0, 0.1, of.size)) * 10.0) / 10.0

    assert of(Drop, told(time_s, tps1_pct=percent(shown), tps2_pct=percent(shown))) == []
    for start in np.linspace(40, time_s.size - 40, 10).astype(int):
        shown[start : start + readings] = 54.0
    made = told(time_s, tps1_pct=percent(shown), tps2_pct=percent(shown))
    assert len(of(Drop, made)) >= 8
    assert {d.level for d in of(Drop, made)} <= set(np.round(np.arange(52.4, 54.1, 0.1), 1).tolist())
    assert made.judgement.suspects[0].id is SuspectId.SENSOR


def opened_quickly(time_s: FloatArray, takes_s: float) -> FloatArray:
    """Opened every three seconds, from half a second on, and closed as quickly, percent of travel."""
    up, down = (np.clip((time_s % 3.0 - at) / takes_s, 0.0, 1.0) for at in (0.5, 1.8))
    return np.asarray(100.0 * (np.sin(np.pi / 2.0 * up) ** 2 - np.sin(np.pi / 2.0 * down) ** 2))


def held_while_opened(
    rate_hz: float, starts: list[float], lasts_s: float, noise_v: float
) -> list[Finding]:
    """The drops of two tracks that both hold their values for so long, which read with so much noise."""
    time_s = np.arange(0.0, 30.0, 1.0 / rate_hz)
    travel, random = opened_quickly(time_s, 0.3), np.random.default_rng(5)
    lines = [volts(travel, noise_v=0.003), 5.0 - volts(travel, noise_v=0.003, seed=2)]
    for start in starts:
        held = (time_s >= start) & (time_s < start + lasts_s)
        for line in lines:
            line[held] = line[held][0] + random.normal(0.0, noise_v, held.sum())
    return of(Drop, told(time_s, tps1_v=lines[0], tps2_v=lines[1]))


@pytest.mark.parametrize("rate_hz", [160.0, 400.0, 1000.0])
@pytest.mark.parametrize(("at_s", "lasts_s"), [(0.12, 0.14), (0.1, 0.2), (0.2, 0.12), (0.22, 0.1)])
def test_a_value_held_until_the_shaft_has_come_to_rest_is_told(
    rate_hz: float, at_s: float, lasts_s: float
) -> None:
    """No course leads back to where it leapt from; but it stood, and no plate leaps as far."""
    starts = [3.5 + at_s, 12.5 + at_s, 21.5 + at_s]
    found = held_while_opened(rate_hz, starts, lasts_s, noise_v=0.003)
    assert [d.channels for d in found] == [("tps1_v", "tps2_v")] * 3
    spans = [time for d in found for time in d.times_s]
    assert np.ravel(spans) == pytest.approx(np.ravel([(s, s + lasts_s) for s in starts]), abs=0.012)


@pytest.mark.parametrize("rate_hz", [400.0, 1000.0])
def test_what_stays_to_the_last_bit_was_not_read_and_is_no_value_held(rate_hz: float) -> None:
    assert held_while_opened(rate_hz, [3.62, 12.62, 21.62], 0.14, noise_v=0.0) == []


@pytest.mark.parametrize(
    ("moves_pct", "leaps_to", "held"), [(40.0, 0.8, True), (40.0, 2.5, False), (4.0, 0.8, False)]
)
def test_what_leaps_on_the_way_that_it_went_was_held(
    moves_pct: float, leaps_to: float, *, held: bool
) -> None:
    """By hand: it closes for 100 samples, stands for 25 and leaps. What leaps back had opened, and
    settled; and who goes slowly would have come nowhere meanwhile."""
    at = np.interp(np.arange(130), [0, 100], [70.0, 70.0 - moves_pct])
    shown = track(np.arange(130) / 400.0, np.where(np.arange(130) > 125, leaps_to, at / 20.0))
    since = _stood_since(shown, 0, 125, 126)
    assert since == pytest.approx(98, abs=2) if held else since is None


@pytest.mark.parametrize("rate_hz", [160.0, 1000.0])
@pytest.mark.parametrize("comes_free_s", [0.045, 0.08])
def test_a_plate_that_sticks_in_passing_and_comes_free_was_not_held(
    rate_hz: float, comes_free_s: float
) -> None:
    """From rest to rest over two thirds of its way, as a spring snaps it (common practice)."""
    time_s = np.arange(0.0, 30.0, 1.0 / rate_hz)
    travel = opened_quickly(time_s, 0.3)
    for start in (3.62, 12.62, 21.62):
        free = np.clip((time_s - start - 0.16) / comes_free_s, 0.0, 1.0)
        stuck = (time_s >= start) & (time_s < start + 0.16 + comes_free_s)
        at = float(np.interp(start, time_s, travel))
        travel = np.where(stuck, at + (100.0 - at) * np.sin(np.pi / 2.0 * free) ** 2, travel)
    lines = [volts(travel, noise_v=0.003), 5.0 - volts(travel, noise_v=0.003, seed=2)]
    assert of(Drop, told(time_s, tps1_v=lines[0], tps2_v=lines[1])) == []


@pytest.mark.parametrize("rate_hz", [100.0, 1000.0])
@pytest.mark.parametrize("tracks", [1, 2])
def test_a_value_that_is_held_while_the_shaft_moves_on_is_told(rate_hz: float, tracks: int) -> None:
    """Held for 120 ms seven times: the course leaves it slowly, one edge leads back to it."""
    time_s, travel = sweeps(10, rate_hz=rate_hz)
    lines = [volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)][:tracks]
    starts = (2.9, 7.1, 12.7, 18.9, 25.2, 33.1, 37.2)
    for start in starts:
        held = (time_s >= start) & (time_s < start + 0.12)
        for line in lines:
            line[held] = line[held][0]
    made = told(time_s, **{f"tps{n}_v": line for n, line in enumerate(lines, 1)})
    found = of(Drop, made)
    assert [d.times_s[-1][1] for d in found] == pytest.approx([s + 0.12 for s in starts], abs=0.02)
    assert {len(d.channels) for d in found} == {tracks}

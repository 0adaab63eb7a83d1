"""What is computed piece by piece or all at once for speed, against the plain way of saying the same."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from nervus.circuit import matching
from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import FloatArray
from nervus.domain.finding import Span
from nervus.signal import edges, travel, wear_noise
from nervus.signal.course import course_of
from nervus.signal.levels import TrackSignal
from nervus.signal.locality import judge_locality
from nervus.signal.sampling import block_means
from nervus.signal.spans import inside, runs, runs_of
from signals import track

LEVELS = st.floats(0.0, 100.0, allow_nan=False, width=32)
COURSES = arrays(np.float64, st.integers(2, 700), elements=LEVELS)
SPANS = st.lists(st.tuples(st.floats(0.0, 9.0), st.floats(0.0, 2.0)), max_size=8)


def plain_turns(percent: FloatArray, least: float) -> list[int]:
    """Point by point: an extreme counts once the position has left it by the least pass."""
    low = high = 0
    rising: bool | None = None
    turns: list[int] = []
    for i, value in enumerate(percent):
        high = i if value > percent[high] else high
        low = i if value < percent[low] else low
        if rising is None and percent[high] - percent[low] >= least:
            rising = high > low
            turns.append(low if rising else high)
        elif rising is True and percent[high] - value >= least:
            turns.append(high)
            rising, low = False, i
        elif rising is False and value - percent[low] >= least:
            turns.append(low)
            rising, high = True, i
    if rising is not None:
        turns.append(high if rising else low)
    return turns


@settings(deadline=None, max_examples=150)
@given(COURSES)
def test_the_turns_of_a_motion_are_those_found_point_by_point(percent: FloatArray) -> None:
    assert travel._turning_points(percent) == plain_turns(percent, travel._LEAST_PASS_PCT)


@pytest.mark.parametrize("seed", range(6))
def test_the_turns_of_a_long_slow_motion_are_found_over_many_pieces(seed: int) -> None:
    random = np.random.default_rng(seed)
    percent = np.clip(50.0 + np.cumsum(random.normal(0.0, 1.2, 6000)), 0.0, 100.0)
    found = travel._turning_points(percent)
    assert found == plain_turns(percent, travel._LEAST_PASS_PCT)
    assert len(found) > 10


@settings(deadline=None)
@given(COURSES, st.integers(1, 5), st.floats(0.1, 30.0))
def test_large_steps_are_those_of_the_whole_array(level: FloatArray, width: int, least: float) -> None:
    expected = np.flatnonzero(np.abs(level[width:] - level[:-width]) > least)
    assert edges.large_steps(level, width, least).tolist() == expected.tolist()


def test_large_steps_are_found_across_the_ends_of_pieces() -> None:
    level = np.zeros(3 * edges._PIECE + 7)
    for at in (edges._PIECE - 1, edges._PIECE, 2 * edges._PIECE + 1, level.size - 2):
        level[at + 1 :] += 5.0
    assert edges.large_steps(level, 1, 1.0).tolist() == [
        edges._PIECE - 1,
        edges._PIECE,
        2 * edges._PIECE + 1,
        level.size - 2,
    ]


@given(SPANS, st.floats(0.0, 0.5))
def test_what_lies_inside_is_what_lies_inside_any_span(
    parts: list[tuple[float, float]], margin_s: float
) -> None:
    time_s = np.linspace(0.0, 10.0, 201)
    spans: list[Span] = [(start, start + length) for start, length in parts]
    expected = [any(a - margin_s <= t <= b + margin_s for a, b in spans) for t in time_s]
    assert inside(time_s, spans, margin_s).tolist() == expected


@given(arrays(np.bool_, st.integers(0, 80)))
def test_runs_of_indices_are_the_runs_of_their_mask(mask: np.ndarray) -> None:
    for of_indices, of_mask in zip(runs_of(np.flatnonzero(mask)), runs(mask), strict=True):
        assert of_indices.tolist() == of_mask.tolist()


@given(arrays(np.float64, st.integers(0, 60), elements=LEVELS), st.integers(1, 9))
def test_means_over_blocks_are_means(values: FloatArray, size: int) -> None:
    whole = values.size // size * size
    expected = [values[i : i + size].mean() for i in range(0, whole, size)]
    assert block_means(values, size) == pytest.approx(np.asarray(expected), abs=1e-9)


def on_course(values: FloatArray) -> TrackSignal:
    return track(np.arange(values.size) / 100.0, values)


@settings(deadline=None)
@given(arrays(np.float64, 120, elements=st.floats(0.5, 4.5, width=32)), SPANS)
def test_bridges_are_straight_and_touch_nothing_else(
    values: FloatArray, parts: list[tuple[float, float]]
) -> None:
    """The reference draws each bridge by interpolation between the samples beside the span."""
    made = on_course(values)
    spans = tuple((a / 10.0, a / 10.0 + b / 10.0) for a, b in parts)
    expected = made.level.copy()
    for start, end in spans:
        off = np.flatnonzero((made.time_s >= start) & (made.time_s <= end))
        if not off.size:
            continue
        left, right = off[0] - 1, off[-1] + 1
        if left < 0 and right >= expected.size:
            continue
        ends = [max(left, 0) if left >= 0 else right, right if right < expected.size else left]
        ends[0] = right if left < 0 else ends[0]
        expected[off] = np.interp(off, [left, right], made.level[[ends[0], ends[1]]])
    from scipy.ndimage import median_filter

    smoothed = median_filter(expected, size=5, mode="nearest")
    assert course_of(made, spans).level == pytest.approx(smoothed, abs=1e-9)


@pytest.mark.parametrize("size", [1, 4, 7])
def test_roughness_is_summed_as_it_is_defined(size: int) -> None:
    level = np.random.default_rng(size).normal(50.0, 1.0, 70_003)
    bend = level[1:-1] - (level[:-2] + level[2:]) / 2.0
    whole = bend.size // size * size
    expected = (bend[:whole] ** 2 / 1.5).reshape(-1, size).sum(axis=1)
    assert wear_noise._power(level, size) == pytest.approx(expected)


def test_roughness_is_counted_for_the_pass_and_cell_it_fell_into() -> None:
    """Two passes with a rest between them: what is in the rest belongs to neither."""
    time_s = np.arange(0.0, 3.0, 0.01)
    where = np.interp(time_s, [0.0, 1.0, 2.0, 3.0], [0.0, 100.0, 100.0, 0.0])
    blocks = wear_noise._Blocks(time_s, np.full(time_s.size, 4.0), 1)
    passes = (
        Pass(0.0, 1.0, Direction.OPENING, 0.0, 100.0),
        Pass(2.0, 3.0, Direction.CLOSING, 100.0, 0.0),
    )
    table = wear_noise._by_pass_and_cell(blocks, (time_s, where), passes)
    assert table.shape == (2, 50)
    assert np.nanmin(table) == np.nanmax(table) == 2.0
    only_rest = wear_noise._Blocks(time_s[110:190], np.ones(80), 1)
    assert np.isnan(wear_noise._by_pass_and_cell(only_rest, (time_s, where), passes)).all()


@given(arrays(np.float64, st.integers(1, 12), elements=st.floats(-0.2, 1.2)))
def test_signatures_between_travels_are_interpolated(places: FloatArray) -> None:
    shares = np.random.default_rng(3).uniform(0.0, 100.0, (5, 2, matching._TRAVEL.size))
    found = matching._at(shares, places)
    assert found.shape == (5, places.size, 2)
    for option in range(5):
        for number in range(2):
            expected = np.interp(places, matching._TRAVEL, shares[option, number])
            assert found[option, :, number] == pytest.approx(expected)


@settings(deadline=None, max_examples=60)
@given(arrays(np.float64, st.integers(3, 12), elements=LEVELS))
def test_the_window_of_the_tightest_cluster_holds_what_it_says(places: FloatArray) -> None:
    """By trying every window: none of its width holds more."""
    time_s = np.linspace(0.0, 10.0, 2001)
    locality, window = judge_locality(places, np.linspace(0.0, 100.0, 2001), time_s)
    assert window is not None
    assert locality.events == places.size
    held = np.count_nonzero((places >= window[0]) & (places <= window[1]))
    score = held - 0.4 * next(r for r, w in enumerate((2, 5, 10)) if window[1] - window[0] <= w + 1e-9)
    for rank, width in enumerate((2.0, 5.0, 10.0)):
        best = max(np.count_nonzero((places >= p) & (places <= p + width)) for p in places)
        assert score >= best - 0.4 * rank - 1e-9

"""What is computed piece by piece or all at once for speed, against the plain way of saying the same."""

import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from nervus.circuit import matching
from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import FloatArray, Span
from nervus.signal.arithmetic import robust
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import Union, inside, overlaps, runs, runs_of
from nervus.signal.candidates import edges
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.instruments.sampling import block_means
from nervus.signal.motion import travel
from nervus.signal.motion.course import course_of
from nervus.signal.motion.relation import Line
from nervus.signal.worn.pass_cells import sort_into_cells
from nervus.signal.worn.steps import _passes_within
from signals import pair_of, track

LEVELS = st.floats(0.0, 100.0, allow_nan=False, width=32)
COURSES = arrays(np.float64, st.integers(2, 700), elements=LEVELS)
SPANS = st.lists(st.tuples(st.floats(0.0, 9.0), st.floats(0.0, 2.0)), max_size=8)


def even(count: int, step_s: float) -> FloatArray:
    """Instants at even steps, shape (count,)."""
    return np.linspace(0.0, step_s * (count - 1), count)


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


@settings(deadline=None, max_examples=100)
@given(COURSES, st.lists(st.tuples(st.integers(0, 700), st.integers(0, 700)), max_size=9))
def test_the_greatest_of_each_stretch_is_the_greatest_of_its_values(
    values: FloatArray, stretches: list[tuple[int, int]]
) -> None:
    within = [sorted((min(a, values.size), min(b, values.size))) for a, b in stretches]
    first, behind = np.asarray(within, dtype=np.intp).reshape(-1, 2).T
    plain = [float(max(values[a:b], default=-np.inf)) for a, b in within]
    assert robust.greatest(values, first, behind).tolist() == plain


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
    assert edges.large_steps(level, [width], least, 0.0)[0].tolist() == expected.tolist()


def test_large_steps_are_found_across_the_ends_of_pieces() -> None:
    level = np.zeros(3 * edges._PIECE + 7)
    for at in (edges._PIECE - 1, edges._PIECE, 2 * edges._PIECE + 1, level.size - 2):
        level[at + 1 :] += 5.0
    assert edges.large_steps(level, [1], 1.0, 0.0)[0].tolist() == [
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


def on_course(values: FloatArray) -> Instrument:
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


@given(arrays(np.float64, st.integers(1, 12), elements=st.floats(-0.2, 1.2)))
def test_signatures_between_travels_are_interpolated(places: FloatArray) -> None:
    shares = np.random.default_rng(3).uniform(0.0, 100.0, (5, 2, matching._TRAVEL.size))
    found = matching._at(shares, places)
    assert found.shape == (5, places.size, 2)
    for option in range(5):
        for number in range(2):
            expected = np.interp(places, matching._TRAVEL, shares[option, number])
            assert found[option, :, number] == pytest.approx(expected)


@settings(deadline=None, max_examples=120)
@given(COURSES, st.sampled_from([1, 2, 4]), st.floats(0.1, 40.0), st.floats(1.0, 6.0))
def test_unprepared_steps_are_many_times_their_neighbours(
    level: FloatArray, width: int, least: float, times: float
) -> None:
    """By the definition, sample by sample, with what lies beyond the ends taken as the end itself."""
    plain = []
    for i in range(level.size - width):
        step = level[i + width] - level[i]
        sign = np.sign(step)
        before = sign * (level[i] - level[max(i - width, 0)])
        behind = sign * (level[min(i + 2 * width, level.size - 1)] - level[i + width])
        if abs(step) > least and sign * step > times * max(before, behind):
            plain.append(i)
    assert edges.large_steps(level, [1, width], least, times)[-1].tolist() == plain


def test_edges_over_several_widths_are_told_once_and_in_order() -> None:
    """A step over one sample shows over two and four too; a rounded one over four only."""
    time_s = np.arange(0.0, 4.0, 0.001)
    level = np.full(time_s.size, 50.0)
    level[1000:] = 20.0
    level[2000:2003] = (27.5, 35.0, 42.5)
    level[2003:] = 50.0
    found = edges._edges(track(time_s, level / 20.0), 1.0)
    assert [first for first, _ in found] == sorted(first for first, _ in found)
    assert (999, 1) in found
    assert sum(abs(first - 1000) < 5 for first, _ in found) == 1
    assert any(width > 1 and abs(first - 1999) <= 2 for first, width in found)


@settings(deadline=None, max_examples=80)
@given(
    arrays(np.int64, st.integers(1, 200), elements=st.integers(0, 4)),
    st.lists(st.tuples(st.floats(0.0, 2.0), st.floats(0.0, 1.0)), min_size=1, max_size=6),
)
def test_cells_of_passes_hold_what_lies_in_them(
    cell: np.ndarray, starts_and_lengths: list[tuple[float, float]]
) -> None:
    """Sample by sample; what two passes share is the earlier one's."""
    time_s = even(cell.size, 0.013)
    at, passes = 0.0, []
    for gap, length in starts_and_lengths:
        passes.append(Pass(at + gap, at + gap + length, Direction.OPENING, 0.0, 100.0))
        at += gap + length
    values = np.sin(np.arange(cell.size) * 1.7)
    counts, sums = np.zeros((len(passes), 5)), np.zeros((len(passes), 5))
    for i, instant in enumerate(time_s):
        for row, p in enumerate(passes):
            if p.start_s <= instant <= p.end_s:
                counts[row, cell[i]] += 1
                sums[row, cell[i]] += values[i]
                break
    sorted_in = sort_into_cells(time_s, cell, tuple(passes), 5)
    assert sorted_in.counts() == pytest.approx(counts)
    assert sorted_in.sums(values) == pytest.approx(sums, abs=1e-9)


@settings(deadline=None, max_examples=60)
@given(arrays(np.float64, st.integers(20, 300), elements=LEVELS), st.floats(1.0, 30.0))
def test_gaps_between_tracks_are_those_of_the_whole_arrays(level: FloatArray, least: float) -> None:
    time_s = even(level.size, 0.002)
    one, two = track(time_s, level / 20.0), track(time_s, 5.0 - np.roll(level, 3) / 20.0, "tps2_v")
    pair = pair_of(one, two, Line(-1.0, 100.0))
    whole = np.abs(one.level - (two.level - 100.0) / -1.0)
    at, gaps = pair._gaps(least)
    assert at.tolist() == np.flatnonzero(whole > least).tolist()
    assert gaps == pytest.approx(whole[at])


def test_gaps_are_found_across_the_ends_of_pieces() -> None:
    size = 2 * (1 << 15) + 77
    time_s, level = even(size, 0.0005), np.full(size, 50.0)
    other = level.copy()
    for index in (0, (1 << 15) - 1, 1 << 15, size - 1):
        other[index] = 70.0
    pair = track(time_s, level / 20.0), track(time_s, other / 20.0, "tps2_v")
    at, gaps = pair_of(*pair, Line(1.0, 0.0))._gaps(5.0)
    assert at.tolist() == [0, (1 << 15) - 1, 1 << 15, size - 1]
    assert gaps == pytest.approx(np.full(4, 20.0))


@settings(deadline=None, max_examples=80)
@given(arrays(np.float64, st.integers(3, 60), elements=LEVELS))
def test_speed_at_even_instants_is_the_gradient(values: FloatArray) -> None:
    time_s = even(values.size, 0.01)
    assert sampling.speed(values, time_s) == pytest.approx(np.abs(np.gradient(values, time_s)), abs=1e-6)


@pytest.mark.parametrize("way", [1.0, -1.0])
def test_passes_are_trimmed_as_they_are_defined(way: float) -> None:
    """From the last point near the first end of each to the next one that is near its last end."""
    level = np.asarray([0.0, 0.5, 0.2, 5.0, 0.9, 20.0, 60.0, 99.4, 94.0, 99.9, 100.0, 99.2, 30.0, 4.0])
    level = level if way > 0 else 100.0 - level
    made = travel.find_passes(even(level.size, 0.1), level)
    assert [(p.start_s, p.end_s) for p in made] == [(0.4, 0.7), (1.1, 1.3)]
    ways = [Direction.OPENING, Direction.CLOSING]
    assert [p.direction for p in made] == (ways if way > 0 else ways[::-1])
    # It had been near its last end already, and went back to the first.
    trembles = np.asarray([0.0, 7.6, 0.9, 8.5, 8.4])
    (short,) = travel.find_passes(even(5, 0.1), trembles if way > 0 else 100.0 - trembles)
    assert (short.start_s, short.end_s) == (0.2, 0.3)


@given(
    st.lists(st.integers(0, 30), min_size=1, max_size=20),
    st.lists(st.floats(-2.0, 32.0, allow_nan=False), min_size=1, max_size=8),
    st.randoms(use_true_random=False),
)
def test_a_curve_is_read_at_instants_as_the_library_reads_it(
    stamps: list[int], at: list[float], chance: "random.Random"
) -> None:
    """Source: NumPy's own interpolation, where stamps may stand twice."""
    time_s = np.array(sorted(stamps), dtype=np.float64)
    values = np.array([chance.uniform(0.0, 5.0) for _ in stamps])
    at = [*at, *map(float, stamps)]
    assert read_at(at, time_s, values) == pytest.approx(np.interp(at, time_s, values), abs=1e-12)


@given(
    st.lists(st.tuples(st.integers(0, 50), st.integers(0, 6)), max_size=12),
    st.tuples(st.integers(0, 50), st.integers(0, 6)),
    st.integers(0, 3),
)
def test_a_union_touches_what_any_of_its_spans_overlaps(
    spans: list[tuple[int, int]], asked: tuple[int, int], slack: int
) -> None:
    made = [(float(a), float(a + n)) for a, n in spans]
    span = (float(asked[0]), float(asked[0] + asked[1]))
    assert Union(made).touches(span, slack) == any(overlaps(span, s, slack) for s in made)


def test_a_bend_is_what_a_value_is_off_the_middle_of_its_neighbours() -> None:
    level = np.random.default_rng(2).normal(50.0, 1.0, 2 * robust._PIECE + 77)
    assert robust.off_neighbours(level) == pytest.approx(level[1:-1] - (level[:-2] + level[2:]) / 2.0)
    assert robust.off_neighbours(level[:2]).size == 0


def test_passes_in_a_window_are_counted_as_one_by_one() -> None:
    random = np.random.default_rng(1)
    for count in range(1, 60):
        places = np.sort(random.uniform(0.0, 20.0, count))
        number = random.integers(0, 8, count)
        ends = np.searchsorted(places, places + 2.0, side="right")
        plain = [np.unique(number[first:end]).size for first, end in enumerate(ends)]
        assert _passes_within(number, ends).tolist() == plain

"""Tables of other programs: what their layout, units and stamps mean, and what is asked first."""

import importlib.util
import sys
from pathlib import Path
from types import ModuleType

import numpy as np
import pandas as pd
import pytest
from asammdf import MDF, Signal

from nervus.cli import main
from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.errors import OutsideError, RecordingUnusable
from nervus.knowledge.columns import can_be, conversion, named_as, unit_written
from nervus.link.reading import read_any
from nervus.tables.cells import (
    is_clock,
    is_date,
    is_missing,
    notation,
    number_and_unit,
    plain,
    with_numbered_month,
)
from nervus.tables.doubts import likely_time_unit, time_doubt, value_doubts
from nervus.tables.layout import layout_of
from nervus.tables.mapping import CLOCK, DATE, MINUTES, propose, split_name
from nervus.tables.reader import read_table
from nervus.tables.stamps import clock_seconds, spread, with_dates
from nervus.tables.text import text_of
from nervus.tables.wishes import RecordingQuestioned, Wish, read_wish


def _zoo() -> ModuleType:
    """The bench of that name: each of its shapes is a test here."""
    where = Path(__file__).parent.parent / "bench" / "bench_zoo.py"
    spec = importlib.util.spec_from_file_location("bench_zoo", where)
    assert spec is not None
    assert spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    sys.modules["bench_zoo"] = made
    spec.loader.exec_module(made)
    return made


ZOO = _zoo()


@pytest.mark.parametrize("name", ZOO.SHAPES)
def test_a_file_of_the_zoo_is_read_as_it_was_meant(tmp_path: Path, name: str) -> None:
    """Source: common practice, no published source, for the shapes; python-can, asammdf and pandas write
    those that are theirs.
    """
    path = tmp_path / f"x{ZOO._SUFFIXES.get(name, '.csv')}"
    meant = ZOO.SHAPES[name](ZOO.Drive.made(sum(map(ord, name))), path)
    became, said = ZOO.outcome(path, meant)
    fine = {"right when agreed to", "refused" if meant.refused else "right at once"}
    assert became in fine, said


def table(path: Path, text: str) -> Path:
    path.write_text(text, encoding="utf-8")
    return path


# -- cells -------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("cells", "delimiter", "meant"),
    [
        (["0.5", "1.25"], ",", (".", "")), (["0,5", "1,25"], ";", (",", "")),
        (["0,5", "1,25"], ",", (",", "")),
        (["1,234.5", "0.5"], ",", (".", ",")), (["1.234,5", "0,5"], ";", (",", ".")),
        (["1'234.5"], ";", (".", "'")), (["1\u202f234,5"], ";", (",", "\u202f")),
        (["1,234,567"], ";", (".", ",")), (["1,234", "2,345"], ";", (",", "")),
        (["1.234", "2.345"], ";", (".", "")), (["1,234", "0.5"], ";", (".", ",")),
        (["1.234", "0,5"], ";", (",", ".")), (["850", "12"], ";", (".", "")),
        (["1,234", "0.5", "0,25"], ";", (",", "")),
    ],
)  # fmt: skip
def test_decimal_and_thousands_marks(cells: list[str], delimiter: str, meant: tuple[str, str]) -> None:
    """Source: common practice, no published source: groups of three, the last mark is the decimal."""
    assert notation(cells, delimiter) == meant


def test_a_number_that_does_not_keep_to_the_notation_is_none() -> None:
    assert plain("1.234,5", ",", ".") == "1234.5"
    assert plain("12.34", ",", ".").endswith("?")
    assert plain("1.5", ",", "").endswith("?")
    assert plain("1,234.5", ".", ",") == "1234.5"
    assert plain(" 1 234 ", ".", " ") == "1234"


def test_what_is_a_stamp_and_what_says_nothing() -> None:
    stamps = (
        "10:00", "10:00:01", "10:00:01.250", "10:00:01,250", "1:02:03 PM", "2026-11-26T10:00:01Z",
        "26.11.2026 10:00:01", "11/26/26 10:00", "02:05.250", "10:00:01:250",
    )  # fmt: skip
    for stamp in stamps:
        assert is_clock(stamp), stamp
    for no_stamp in ("10.5", "10-11", "10:75", "soon", "2026-11-26"):
        assert not is_clock(no_stamp), no_stamp
    assert is_date("26.11.2026")
    assert is_date("2026-11-26")
    assert not is_date("26.11")
    assert all(map(is_missing, ("", " ", "NaN", "N/A", "#DIV/0!", "---", "null", "OL")))
    assert not any(map(is_missing, ("0", "x", "-1", "no")))


# -- layout ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "delimiter", "skip", "names", "units"),
    [
        ("a;b\n1;2\n3;4\n", ";", 1, ("a", "b"), ("", "")),
        ("sep=|\na|b\n1|2\n3|4\n", "|", 2, ("a", "b"), ("", "")),
        ("x,7\ny,8\nTime,TPS1\ns,V\n0,1\n1,2\n2,3\n3,4\n", ",", 4, ("Time", "TPS1"), ("s", "V")),
        ("# made\n# Time TPS1\n0 1\n1 2\n", " ", 2, ("Time", "TPS1"), ("", "")),
        ("Time [s]  TPS 1 [V]\n0.0   1.5\n0.1   1.6\n", " ", 1, ("Time [s]", "TPS 1 [V]"), ("", "")),
        ("0\t1\n1\t2\n", "\t", 0, ("", ""), ("", "")),
        ("Time,TPS1,\n0,1,\n1,2,\n", ",", 1, ("Time", "TPS1", ""), ("", "", "")),
        ("Time,TPS1,Note\n0,---,x\n1,2,y\n", ",", 1, ("Time", "TPS1", "Note"), ("", "", "")),
    ],
)  # fmt: skip
def test_where_rows_begin_and_what_stands_above(
    tmp_path: Path, text: str, delimiter: str, skip: int, names: tuple[str, ...], units: tuple[str, ...]
) -> None:
    found = layout_of(text_of(table(tmp_path / "x", text)))
    assert (found.delimiter, found.skip, found.names, found.units) == (delimiter, skip, names, units)


def test_lines_below_the_rows_and_a_row_cut_off_are_told(tmp_path: Path) -> None:
    head = "Time (s),TPS1 (V)\n0,1\n1,2\n2,3\n"
    below = read_any(table(tmp_path / "a.csv", head + "\nMin,1\nMax,3\n"))
    assert below.recording is not None
    assert below.recording.channels[0].samples == 3
    assert any("2 lines below" in r or "3 lines below" in r for r in below.remarks)
    cut = read_any(table(tmp_path / "b.csv", head + "3"))
    assert cut.recording is not None
    assert cut.recording.channels[0].samples == 3
    assert "The last row is cut off and was left out: “3”." in cut.remarks
    with pytest.raises(RecordingUnusable, match="line 5, column TPS1: “x” is no number"):
        read_any(table(tmp_path / "c.csv", head + "3,x\n"))


def test_commas_that_may_be_either_are_refused(tmp_path: Path) -> None:
    rows = "".join(f"0,{n:02d},1,{n:02d}\n" for n in range(60))
    with pytest.raises(RecordingUnusable, match="line 2: decimal commas and the commas between"):
        propose(table(tmp_path / "x.csv", "Time [s],TPS1 [V]\n" + rows))
    whole = "".join(f"{n},1,{n % 5},2\n" for n in range(60))
    four = propose(table(tmp_path / "y.csv", "Time [s],TPS1 [V],TPS2 [V],rpm\n" + whole))
    assert len(four.mapping.columns) == 4


def test_a_cell_of_several_lines_is_shown_on_one(tmp_path: Path) -> None:
    rows = "".join(f"{n / 10},{1 + n / 100}\n" for n in range(30))
    path = table(
        tmp_path / "x.csv", "Time (s),TPS1 (V)\n" + rows + '3.0,"torn\n\tcell\x07"\n' + "3.1,1\n"
    )
    with pytest.raises(RecordingUnusable, match="“torn cell” is no number") as wrong:
        read_any(path)
    assert "\n" not in str(wrong.value)


def test_names_and_units_as_they_are_written() -> None:
    assert split_name("TPS 1 [mV]") == ("TPS 1", "mV", False)
    assert split_name("tps1_mv") == ("tps1", "mV", True)
    assert split_name("tps1_v") == ("tps1_v", "", False)
    assert split_name("Accelerator pedal position D") == ("Accelerator pedal position D", "", False)
    assert split_name("TPS", "(mV)") == ("TPS", "mV", False)
    assert unit_written("x1e-3 s") == "ms"
    assert unit_written("10^-6 s") == "µs"
    assert named_as("Accelerator pedal position D", "%") == ("app1_pct", False)
    assert named_as("Channel A", "V") == ("tps1_v", True)
    assert named_as("Outside light", "") == (None, False)


@pytest.mark.parametrize(
    ("unit", "to", "value", "meant"),
    [("10 bit", "V", 1023, 5.0), ("12 bit", "V", 4095, 5.0), ("8 bit", "%", 255, 100.0),
     ("share", "%", 0.5, 50.0), ("K", "°C", 273.15, 0.0), ("Pa", "kPa", 101325, 101.325),
     ("µV", "V", 2.5e6, 2.5), ("d", "s", 1.0, 86400.0),
     ("16 bit", "V", 65535, 5.0), ("ns", "s", 1e9, 1.0)],
)  # fmt: skip
def test_counts_shares_and_si_units(unit: str, to: str, value: float, meant: float) -> None:
    """Source: SI; a converter of n bits ends at 2^n - 1; SAE J1979 for 8 bits of 100 %."""
    factors = conversion(unit, to)
    assert factors is not None
    assert value * factors[0] + factors[1] == pytest.approx(meant)


# -- stamps ------------------------------------------------------------------------------------------


def seconds(*stamps: str, minutes: bool = False, dates: str = "") -> list[float]:
    made = clock_seconds(pd.Series(stamps), minutes=minutes, dates=dates).time_s
    return [round(float(t - made[0]), 6) for t in made]


def test_times_of_day() -> None:
    assert seconds("23:59:59.5", "00:00:00.5") == [0.0, 1.0]
    assert seconds("11:59:59 AM", "12:00:01 PM", "1:00:00 PM") == [0.0, 2.0, 3601.0]
    assert seconds("12:30:00 am", "1:30:00 am") == [0.0, 3600.0]
    assert seconds("10:00:00:250", "10:00:01:500") == [0.0, 1.25]
    assert seconds("10:00", "10:01") == [0.0, 60.0]
    assert seconds("59:59.5", "60:00.25", minutes=True) == [0.0, 0.75]
    assert seconds("2026-11-26T10:00:00+01:00", "2026-11-26T10:00:01+01:00") == [0.0, 1.0]
    assert np.isnan(clock_seconds(pd.Series(["10:00", "soon"])).time_s[1])


def test_the_order_of_day_and_month_by_what_is_possible() -> None:
    """Source: the calendar: there is no 13th month; ISO 8601 writes the year first."""
    day = clock_seconds(pd.Series(["12.05.2026 23:59:59", "13.05.2026 00:00:01"]))
    assert (day.time_s[1] - day.time_s[0], day.orders) == (2.0, ())
    month = clock_seconds(pd.Series(["05/12/2026 23:59:59", "05/13/2026 00:00:01"]))
    assert (month.time_s[1] - month.time_s[0], month.orders) == (2.0, ())
    same = clock_seconds(pd.Series(["05/04/2026 10:00:00", "05/04/2026 10:00:01"]))
    assert same.orders == (), "on one day it makes no difference"
    leaps = clock_seconds(pd.Series(["03.04.2026 23:59:59", "04.04.2026 00:00:00"]))
    assert leaps.time_s[1] - leaps.time_s[0] == 1.0, "a day, not a month"
    year = clock_seconds(pd.Series(["2026-04-03 23:59:59", "2026-04-04 00:00:00"]))
    assert year.time_s[1] - year.time_s[0] == 1.0
    unclear = pd.Series(["03.04.2026", "04.05.2026"])
    within = np.array([0.0, 0.0])
    assert with_dates(unclear, within, "day").time_s[1] == 31 * 86_400.0
    assert with_dates(unclear, within, "month").time_s[1] == 32 * 86_400.0
    short = clock_seconds(pd.Series(["26/11/26 10:00", "26/11/26 10:01"]))
    assert short.time_s[1] - short.time_s[0] == 60.0


def test_dates_that_may_be_either_way_round_are_asked(tmp_path: Path) -> None:
    rows = "".join(
        f"0{3 + n // 5}.0{4 + n // 5}.2026 10:00:0{n % 5};{1 + n / 10:.1f}\n" for n in range(10)
    )
    path = table(tmp_path / "x.csv", "Stamp;TPS1 [V]\n" + rows)
    with pytest.raises(RecordingQuestioned, match="begin with the day or with the month") as asked:
        read_any(path)
    assert asked.value.options[0] == "--dates day-first"
    days = {}
    for order in ("day-first", "month-first"):
        read = read_any(path, read_wish(dates=order, time_unit=CLOCK)).recording
        assert read is not None
        days[order] = round(read.duration_s / 86_400.0)
    assert days == {"day-first": 31, "month-first": 32}


def test_months_in_words_and_instants_as_they_are_printed() -> None:
    """Source: the calendar; C's asctime writes weekday, month, day, time and year."""
    assert seconds("26-Nov-2026 10:00:00.5", "26-Nov-2026 10:00:01.5") == [0.0, 1.0]
    assert seconds("31. Dez 2026 23:59:59", "1. Jan 2027 00:00:01") == [0.0, 2.0]
    assert seconds("Thu Nov 26 10:00:00 2026", "Thu Nov 26 10:00:02 GMT+01:00 2026") == [0.0, 2.0]
    assert with_numbered_month("26-Xyz-2026") == "26-Xyz-2026"


def test_a_unit_in_the_cells_is_read_as_the_columns(tmp_path: Path) -> None:
    assert number_and_unit("0.52 V") == ("0.52", "V")
    assert number_and_unit("12,5%") == ("12,5", "%")
    assert number_and_unit("12 apples") is None
    rows = "".join(f"{n / 10},{1000 + 10 * n} mV\n" for n in range(60))
    read = read_any(table(tmp_path / "x.csv", "Time (s),TPS1\n" + rows)).recording
    assert read is not None
    assert read.channels[0].values[:2] == pytest.approx([1.0, 1.01])
    with pytest.raises(RecordingUnusable, match="“1 V” is no number"):
        read_any(table(tmp_path / "y.csv", "Time (s),TPS1\n" + rows + "6.0,1 V\n"))


def test_a_column_of_dates_and_one_of_times_are_one(tmp_path: Path) -> None:
    path = table(
        tmp_path / "x.csv",
        "Date;Time;TPS1 [V]\n09.04.2026;23:59:59;1\n10.04.2026;00:00:01;2\n10.04.2026;00:00:02;3\n",
    )
    assert [c.unit for c in propose(path).mapping.columns[:2]] == [DATE, CLOCK]
    read = read_any(path).recording
    assert read is not None
    assert list(read.channels[0].time_s) == [0.0, 2.0, 3.0]


def test_minutes_and_seconds_are_known_by_their_fraction(tmp_path: Path) -> None:
    path = table(tmp_path / "x.csv", "Elapsed,TPS1 (V)\n00:01.250,1\n00:01.500,2\n")
    assert propose(path).mapping.columns[0].unit == MINUTES
    hours = table(tmp_path / "y.csv", "Elapsed,TPS1 (V)\n00:01,1\n00:02,2\n")
    assert propose(hours).mapping.columns[0].unit == CLOCK


def test_coarse_steps_are_spread_where_their_counts_are_steady() -> None:
    true = np.arange(60) / 10.0
    made, told = spread(np.floor(true + 1e-9))
    assert made == pytest.approx(true)
    steps = "the time is written in steps of 1 s with 10 rows in each"
    assert told == f"{steps}; the rows were spread evenly over each step"
    late, _ = spread(np.floor(true[7:] + 1e-9))
    assert late == pytest.approx(true[7:]), "the first step begins before the first row"
    early, _ = spread(np.floor(true[:-4] + 1e-9))
    assert early == pytest.approx(true[:-4])
    uneven = np.repeat(np.arange(8.0), [10, 3, 10, 10, 17, 10, 2, 10])
    kept, said = spread(uneven)
    assert kept is uneven
    assert said.endswith("not the same number: nothing shorter than 1 s can be timed")
    same, nothing = spread(true)
    assert (list(same), nothing) == (list(true), "")


# -- what can't be -----------------------------------------------------------------------------------


def recording(
    scale: float = 1.0, step_s: float = 0.01, channel: str = "tps1_v", count: int = 2000
) -> Recording:
    n = np.arange(count)
    share = 0.5 - 0.5 * np.cos(n / 80)
    values = np.asarray((0.5 + 4 * share) * scale, dtype=np.float64)
    return Recording(
        (Channel(CHANNEL_KINDS[channel], np.asarray(n * step_s, dtype=np.float64), values),), (), "x"
    )


@pytest.mark.parametrize(
    ("channel", "scale", "looks"),
    [("tps1_v", 1000.0, ("mV",)), ("tps1_v", 204.6, ("10 bit", "mV")), ("app1_v", 22.0, ("%",)),
     ("throttle_pct", 220.0, ("10 bit", "12 bit")), ("vref_v", 1000.0, ("mV",)),
     ("map_kpa", 0.1, ("bar",)), ("map_kpa", 20000.0, ("Pa",))],
)  # fmt: skip
def test_what_values_look_like_that_can_not_be(
    channel: str, scale: float, looks: tuple[str, ...]
) -> None:
    """Source: a sensor divides its supply of 5 V; counts of n bits end at 2^n - 1; SI prefixes."""
    made = recording(np.round(scale, 4), channel=channel)
    raw = np.round(made.channels[0].values) if "bit" in looks[0] else made.channels[0].values
    made = Recording((Channel(made.channels[0].kind, made.channels[0].time_s, raw),), (), "x")
    (doubt,) = value_doubts(made, {channel: raw}, {channel: str(made.channels[0].kind.unit)})
    assert doubt.channel == channel
    assert doubt.units[: len(looks)] == looks


def test_what_can_be_is_not_doubted() -> None:
    """Common practice, no published source: a line shorted to the battery stands at 11 to 15 V."""
    assert value_doubts(recording(), {}, {"tps1_v": "V"}) == ()
    n = np.arange(2000.0)
    kind = CHANNEL_KINDS["tps1_v"]
    battery = Recording((Channel(kind, n / 100.0, 13.5 + 0.6 * np.sin(n / 9)),), (), "x")
    assert value_doubts(battery, {}, {"tps1_v": "V"}) == ()
    spikes = recording().channels[0].values.copy()
    spikes[::100] = 60.0
    assert (
        value_doubts(Recording((Channel(kind, n / 100.0, spikes),), (), "x"), {}, {"tps1_v": "V"}) == ()
    )
    dead = Recording((Channel(kind, n / 100.0, n % 3 * 0.001),), (), "x")
    assert value_doubts(dead, {}, {"tps1_v": "V"}) == ()
    assert can_be("V")[1] > 32.0, "a vehicle of 24 V charges at up to 32"


def test_a_share_without_a_unit_and_a_thousandth_of_a_signal_are_asked() -> None:
    made = recording(0.2, channel="throttle_pct")
    assert value_doubts(made, {}, {"throttle_pct": "%"}) == ()
    (doubt,) = value_doubts(made, {}, {})
    assert doubt.units == ("share",)
    small = recording(0.001)
    (dwarf,) = value_doubts(small, {"tps1_v": recording().channels[0].values}, {"tps1_v": "mV"})
    assert dwarf.units == ("V",)


@pytest.mark.parametrize(
    ("step", "first", "taken", "meant"),
    [(0.01, 0.0, "", "s"), (10.0, 0.0, "", "ms"), (1.0, 0.0, "", "ms"), (10_000.0, 0.0, "", "µs"),
     (0.01, 1.79e9, "", "s"), (10.0, 1.79e12, "", "ms"), (1e4, 1.79e15, "", "µs"),
     (1e7, 1.79e18, "", "ns"), (1e-7, 46_000.4, "", "d"), (0.01, 0.0, "ms", "ms")],
)  # fmt: skip
def test_what_a_time_without_a_unit_looks_like(
    step: float, first: float, taken: str, meant: str
) -> None:
    """Source: POSIX, seconds since 1970; how fast a hand sweeps, from memory."""
    assert likely_time_unit(recording(step_s=step), first, taken) == meant


def test_stamps_that_can_not_be() -> None:
    slow = time_doubt(recording(step_s=10.0), "s")
    assert slow is not None
    assert slow.units == ("ms",)
    fast = time_doubt(recording(step_s=1e-6), "ms")
    assert fast is not None
    assert fast.units == ("s",)
    assert time_doubt(recording(step_s=0.01), "s") is None
    chance = np.random.default_rng(1)
    once_a_second = Channel(CHANNEL_KINDS["throttle_pct"], np.arange(600.0), chance.uniform(0, 80, 600))
    assert time_doubt(Recording((once_a_second,), (), "x"), "s") is None, "an old adapter asks so slowly"
    made = recording().channels[0]
    later = np.concatenate((made.time_s[:1000], made.time_s[1000:] + 90_000.0))
    night = time_doubt(Recording((Channel(made.kind, later, made.values),), (), "x"), "s")
    assert night is not None
    assert "days would pass" in night.wrong


# -- wishes ------------------------------------------------------------------------------------------


def test_what_was_typed_goes_before_what_was_proposed(tmp_path: Path) -> None:
    rows = "".join(f"{n},{n % 5 * 1000},{n % 4},{n % 3}\n" for n in range(60))
    path = table(tmp_path / "x.csv", "Time,A,B,TPS1\n" + rows)
    with pytest.raises(RecordingQuestioned) as asked:
        read_any(path)
    assert asked.value.options
    read = read_any(path, read_wish(["A[mV]=tps1_v", "B=tps2_v", "TPS1=-"], time_unit="ms")).recording
    assert read is not None
    assert [c.id for c in read.channels] == ["tps1_v", "tps2_v"]
    assert read.channels[0].values.max() == 4.0
    assert read.duration_s == pytest.approx(0.059)
    for pairs, says in (
        (["C=tps1_v"], "its columns are “Time”, “A”, “B”, “TPS1”"),
        (["A=tps9"], "accepted is NAME=ID"),
        (["A[mV]=rpm"], "mV does not become 1/min"),
    ):
        with pytest.raises(OutsideError, match=says):
            read_any(path, read_wish(pairs))
    with pytest.raises(OutsideError, match="--time-unit fortnight"):
        read_wish(time_unit="fortnight")
    with pytest.raises(OutsideError, match="--dates backwards"):
        read_wish(dates="backwards")
    paced = read_any(path, read_wish(["A[mV]=tps1_v", "B=-", "TPS1=-"], rate_hz=50.0)).recording
    assert paced is not None
    assert paced.channels[0].time_s[1] == pytest.approx(0.02)


def test_two_columns_that_may_be_one_channel_are_asked(tmp_path: Path) -> None:
    rows = "".join(f"{n / 10},{1 + n / 50:.2f},{2 + n / 50:.2f},{3 - n / 50:.2f}\n" for n in range(60))
    path = table(tmp_path / "x.csv", "Time (s),TPS1 front (V),TPS1 rear (V),TPS2 (V)\n" + rows)
    with pytest.raises(RecordingQuestioned, match="“TPS1 rear” may be track 1 as well") as asked:
        read_any(path)
    assert asked.value.options == ('--map "TPS1 rear=-"',)
    read = read_any(path, read_wish(["TPS1 front=-", "TPS1 rear=tps1_v"])).recording
    assert read is not None
    assert read.channels[0].values[0] == 2.0
    alone = table(tmp_path / "y.csv", path.read_text().replace(",TPS2 (V)", ",Other (V)"))
    with pytest.raises(RecordingQuestioned, match="“TPS1 rear” may be track 2 in V"):
        read_any(alone)


def test_all_that_is_proposed_is_taken_with_one_word_but_nothing_impossible(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rows = "".join(f"{n * 20};{600 + 15 * (n % 200)}\n" for n in range(400))
    path = table(tmp_path / "x.csv", "Time;TPS1\n" + rows)
    assert main(["analyse", str(path)]) == 2
    assert "--agree" not in capsys.readouterr().out
    assert main(["analyse", str(path), "--agree"]) == 0
    said = capsys.readouterr().err
    assert "Read “Time” as the time in ms, “TPS1” as track 1 in mV." in said
    assert main(["analyse", str(path), "--map", "TPS1[V]=tps1_v", "--time-unit", "ms"]) == 2
    assert "can't be" in capsys.readouterr().err
    rows = "".join(f"{n / 10},{n % 7 * 1e9}\n" for n in range(99))
    wild = table(tmp_path / "y.csv", "Time (s),TPS1 (V)\n" + rows)
    with pytest.raises(RecordingQuestioned, match="fits no other unit"):
        read_any(wild)
    with pytest.raises(RecordingUnusable):
        read_any(wild, Wish(agreed=True))


def test_what_was_taken_left_out_and_missing_is_said(tmp_path: Path) -> None:
    rows = "".join(f"{n / 10},{'n/a' if n < 3 else 1 + n / 50},{n},x\n" for n in range(60))
    path = table(tmp_path / "x.csv", "Time (s),TPS1 (V),Counter,Gear\n" + rows)
    assert read_any(path).remarks == (
        "Read “Time” as the time in s, “TPS1” as track 1 in V.",
        "Kept to be looked at, not judged: “Counter”.",
        "Left out: “Gear”.",
        "“TPS1” has no value in 3 of 60 rows.",
    )
    rows = "".join(f"{n / 10 + (n > 30) * 900},1.{n}\n" for n in range(60))
    leap = table(tmp_path / "y.csv", "Time (s),TPS1 (V)\n" + rows)
    assert "Between two rows the time leaps by 900.1 s, at 3 s." in read_any(leap).remarks
    back = table(tmp_path / "z.csv", "Time (s),TPS1 (V)\n0,1\n1,2\n0,1\n1,2\n")
    with pytest.raises(
        RecordingUnusable, match=r"line 4: the time runs backwards by 1 s;.*must be parted"
    ):
        read_any(back)
    turned = table(tmp_path / "t.csv", "Time (s),TPS1 (V)\n3,1\n2,2\n1,1\n0,2\n")
    with pytest.raises(RecordingUnusable, match="backwards all along; sort the rows"):
        read_any(turned)


def test_marks_of_a_saved_table_are_kept(tmp_path: Path) -> None:
    rows = "0;1,5;\n0,1;1,6;shake\n0,2;1,7;\n0,3;1,8;tap\n"
    read = read_any(table(tmp_path / "x.csv", "time_s;tps1_v;mark\n" + rows)).recording
    assert read is not None
    assert [(m.time_s, m.text) for m in read.marks] == [(0.1, "shake"), (0.3, "tap")]
    long = "0;tps1_v;1,5\n0,1;mark;shake\n0,1;tps1_v;1,6\n"
    read = read_any(table(tmp_path / "y.csv", "time_s;channel;value\n" + long)).recording
    assert read is not None
    assert list(read.channels[0].values) == [1.5, 1.6]
    assert [(m.time_s, m.text) for m in read.marks] == [(0.1, "shake")]
    with pytest.raises(RecordingUnusable, match="“tps9” is no channel"):
        read_any(table(tmp_path / "z.csv", "time_s;channel;value\n0;tps9;1\n1;tps9;2\n"))


def test_a_mapping_of_its_own_reads_without_looking_at_the_layout_again(tmp_path: Path) -> None:
    path = table(tmp_path / "x.csv", "Time (s),TPS1 (V)\n0,1\n1,2\n2,3\n")
    mapping = propose(path).mapping
    read = read_table(path, mapping)
    assert list(read.raw["tps1_v"]) == [1.0, 2.0, 3.0]
    assert read.first_stamps == {0: 0.0}


def test_a_measurement_file_whose_values_can_not_be_is_asked(tmp_path: Path) -> None:
    times = np.arange(400) / 50.0
    path = tmp_path / "r.mf4"
    with MDF(version="4.10") as file:
        file.append([Signal(2600.0 + 1900.0 * np.sin(times), times, unit="V", name="TPS 1")])
        file.save(path)
    with pytest.raises(RecordingQuestioned, match=r"TPS 1.*it looks like mV") as asked:
        read_any(path)
    assert asked.value.options == ('--map "TPS 1[mV]=tps1_v"',)
    read = read_any(path, read_wish(["TPS 1[mV]=tps1_v"])).recording
    assert read is not None
    assert read.channels[0].values.max() == pytest.approx(4.5, abs=0.01)
    agreed = read_any(path, Wish(agreed=True)).recording
    assert agreed is not None
    assert agreed.channels[0].values.max() == pytest.approx(4.5, abs=0.01)
    with pytest.raises(OutsideError, match="its channels are “time”, “TPS 1”"):
        read_any(path, read_wish(["TPS 9=tps1_v"]))


def test_names_in_a_log_of_traffic_are_mapped_or_refused(tmp_path: Path) -> None:
    path = tmp_path / "x.log"
    lines = "".join(f"({n / 10:.3f}) can0 7E8#034111{n:02X}00000000\n" for n in range(40))
    path.write_text(lines)
    read = read_any(path, read_wish(["tps1_pct=app1_pct"])).recording
    assert read is not None
    assert [c.id for c in read.channels] == ["app1_pct"]
    for pairs, says in (
        (["TPS=tps1_pct"], "accepted are the log's channels, tps1_pct"),
        (["tps1_pct=rpm"], "is in % and can't be rpm"),
        (["tps1_pct=-"], "one at least"),
    ):
        with pytest.raises(OutsideError, match=says):
            read_any(path, read_wish(pairs))
    with pytest.raises(OutsideError, match="units and times are the log's own"):
        read_any(path, read_wish(time_unit="ms"))


def test_rows_at_one_instant_are_told(tmp_path: Path) -> None:
    rows = "".join(f"{n // 2 / 10 if n < 6 else n / 10},{1 + n / 100:.2f}\n" for n in range(60))
    remarks = read_any(table(tmp_path / "x.csv", "Time (s),TPS1 (V)\n" + rows)).remarks
    assert "3 rows stand at the instant of the row above them." in remarks

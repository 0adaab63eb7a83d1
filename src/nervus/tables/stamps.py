"""Columns of time as seconds: numbers in any unit, times of day over midnight, dates, coarse steps."""

import datetime as dt
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.language import say
from nervus.tables.cells import with_numbered_month

if TYPE_CHECKING:
    import pandas as pd

_DAY_S = 86_400.0
_DATED = r"\d[-/.]\d{1,2}[-/.]\d"
_YEAR_FIRST = r"^\s*\d{4}[-/.]"
_PARTS = re.compile(r"(\d{1,2})[-/.](\d{1,2})[-/.](\d{4}|\d{2})")
_CENTURY = 2000
# A step is spread only where the number of rows in it hardly changes.
_STEADY = 1


@dataclass(frozen=True, slots=True)
class Stamps:
    """What a column of time says.

    Attributes:
        time_s: seconds, NaN where a cell is no time.
        orders: the orders of day and month that its dates allow, where they make a difference.
    """

    time_s: FloatArray
    orders: tuple[str, ...] = ()


def clock_seconds(text: "pd.Series[str]", *, minutes: bool = False, dates: str = "") -> Stamps:
    """Seconds of stamps as they are written.

    Args:
        text: times of day, over midnight too, or dates with times.
        minutes: whether two numbers are minutes and seconds, not hours and minutes.
        dates: which number comes first in a date, `day` or `month`; "" finds out.
    """
    cells = _numbered(text)
    if not cells.str.contains(_DATED, regex=True).all():
        return Stamps(_over_midnight(_of_day(cells, minutes=minutes)))
    parted = cells.str.extract(rf"^(?P<day>\S*{_DATED}\S*?)(?:[T ,]+|$)(?P<clock>.*)$")
    clock = parted["clock"].fillna("")
    within = np.where(clock == "", 0.0, _of_day(clock.where(clock != "", "00:00"), minutes=minutes))
    days, orders = _days(parted["day"].fillna(""), dates)
    return Stamps(days * _DAY_S + within, orders)


def _numbered(text: "pd.Series[str]") -> "pd.Series[str]":
    """Stamps without spaces around, their months as numbers."""
    cells = text.astype("str").str.strip()
    if cells.str.contains(r"[A-Za-z]{3}", regex=True).any():
        cells = cells.map(with_numbered_month)
    return cells


def with_dates(dates: "pd.Series[str]", within_s: FloatArray, order: str) -> Stamps:
    """Seconds of a time of day whose date stands in a column of its own."""
    days, orders = _days(_numbered(dates), order)
    return Stamps(days * _DAY_S + np.mod(within_s, _DAY_S), orders)


def _of_day(text: "pd.Series[str]", *, minutes: bool) -> FloatArray:
    """Seconds since midnight, or since the run began."""
    import pandas as pd  # noqa: PLC0415 - half a second of import

    bare = text.str.replace(r"\s*(Z|UTC|[+-]\d{2}:?\d{2})$", "", regex=True)
    half = bare.str.extract(r"([aApP])\.?[mM]\.?$")[0].str.lower()
    parts = bare.str.extract(
        r"^(\d{1,3}):(\d{1,2})(?::(\d{1,2}))?(?:[.,:](\d+))?(?:\s*[aApP]\.?[mM]\.?)?$"
    )
    numbers = [pd.to_numeric(parts[n], errors="coerce").to_numpy(np.float64) for n in range(3)]
    fraction = pd.to_numeric("0." + parts[3].fillna("0"), errors="coerce").to_numpy(np.float64)
    first, second, third = numbers
    whole = np.isfinite(third)
    if minutes:
        long = np.where(whole, first * 3600 + second * 60 + np.nan_to_num(third), first * 60 + second)
    else:
        long = first * 3600 + second * 60 + np.nan_to_num(third)
    evening = (half == "p").to_numpy()
    noon = np.isfinite(first) & (first == 12)
    shift = np.where(
        evening & ~noon, 43_200.0, np.where((half == "a").to_numpy() & noon, -43_200.0, 0.0)
    )
    return np.asarray(long + fraction + shift, dtype=np.float64)


def _over_midnight(seconds: FloatArray) -> FloatArray:
    with np.errstate(invalid="ignore"):
        falls = np.diff(seconds) < -_DAY_S / 2
    midnights = np.cumsum(np.concatenate(([0.0], falls)))
    return np.asarray(seconds + midnights * _DAY_S)


def _days(text: "pd.Series[str]", order: str) -> tuple[FloatArray, tuple[str, ...]]:
    """Days since the first date, and the orders of day and month between which nothing decides."""
    import pandas as pd  # noqa: PLC0415

    shortened = pd.Categorical(text)  # a recording holds few dates
    allowed: dict[str, FloatArray] = {}
    for name in ("year", "day", "month"):
        stamps = [_day_number(cell, name) for cell in shortened.categories]
        if all(s is not None for s in stamps):
            # From the first day on: the sum of many days and a short step keeps no more than its digits.
            table = np.array([float(s - min(filter(None, stamps))) for s in stamps if s is not None])
            allowed[name] = table[shortened.codes] if len(table) else np.zeros(0)
    if "year" in allowed:
        return allowed["year"], ()
    if order in allowed:
        return allowed[order], ()
    if not allowed:
        return np.full(len(text), np.nan), ()
    # An order that lets the time run back, or leap, is not the one in which it was written.
    span = {n: float(np.ptp(d)) if d.size else 0.0 for n, d in allowed.items()}
    rising = {n: d for n, d in allowed.items() if np.all(np.diff(d) >= 0)} or allowed
    best = min(rising, key=lambda n: span[n])
    same = all(np.array_equal(d - d[:1], rising[best] - rising[best][:1]) for d in rising.values())
    # A recording goes on from day to day: where neither way does, nothing decides.
    leaps = bool(np.any(np.diff(rising[best]) > 1.0))
    doubtful = not same and (leaps or len({span[n] for n in rising}) == 1)
    return rising[best], tuple(rising) if doubtful else ()


def _day_number(cell: str, order: str) -> int | None:
    try:
        if re.match(_YEAR_FIRST, cell):
            if order != "year":
                return None
            year, month, day = (int(n) for n in re.split(r"[-/.]", cell.strip()))
        else:
            found = _PARTS.fullmatch(cell.strip())
            if found is None or order == "year":
                return None
            first, second, year = (int(n) for n in found.groups())
            day, month = (first, second) if order == "day" else (second, first)
            year += _CENTURY if year < 100 else 0
        return dt.date(year, month, day).toordinal()
    except ValueError:
        return None


def spread(time_s: FloatArray) -> tuple[FloatArray, str]:
    """Stamps that were written coarser than the rows came, spread over their step.

    Only where each step holds the same number of rows, give or take one, a row's place in its step tells
    its instant. The first and the last step may be cut short.

    Returns:
        The instants, and what was done or can't be, as a sentence; "" where nothing was to be done.
    """
    if time_s.size < 4:
        return time_s, ""
    starts = np.flatnonzero(np.concatenate(([True], np.diff(time_s) > 0)))
    counts = np.diff(np.concatenate((starts, [time_s.size])))
    if starts.size < 3 or np.mean(counts > 1) < 0.5:
        return time_s, ""
    steps = np.diff(time_s[starts])
    step = float(np.median(steps))
    inner = counts[1:-1]
    usual = float(np.median(inner))
    told = say(
        "the time is written in steps of {step:g} s with {usual:.0f} rows in each",
        step=step,
        usual=usual,
    )
    steady = (
        np.all(np.abs(inner - usual) <= _STEADY) and counts[0] <= usual + 1 and counts[-1] <= usual + 1
    )
    if not steady or not np.allclose(steps, step, rtol=0.02):
        return time_s, say(
            "{told}, not the same number: nothing shorter than {step:g} s can be timed",
            told=told,
            step=step,
        )
    place = np.arange(time_s.size) - np.repeat(starts, counts)
    share = np.repeat(
        np.where(np.arange(counts.size) == counts.size - 1, max(usual, 1.0), counts), counts
    )
    # The first step began before the first row: its rows stand at its end.
    place[: counts[0]] += max(0, round(usual) - int(counts[0]))
    share[: counts[0]] = max(usual, float(counts[0]))
    return time_s + place / share * step, say(
        "{told}; the rows were spread evenly over each step", told=told
    )

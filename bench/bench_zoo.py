"""A zoo of tables as loggers, oscilloscopes, spreadsheets and measuring programs write them: read right?

    bench/bench_zoo.py [--seed 1] [--keep FOLDER] [--all]

Each file is written from a recording that it means, in a shape of its own. Nervus reads it as the
window and the command do; where it asks, what it proposes is typed as it says (`--map …`, `--time-unit
…`), once. Then what was read is held against what was meant: same channels, values and instants within
what the shape itself can show. `misread` without a word must be 0; at least 0.95 must be right at once
or when agreed to.
"""

import argparse
import datetime as dt
import io
import re
import sys
import tempfile
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import can
import numpy as np
import pandas as pd
from asammdf import MDF, Signal
from numpy.typing import NDArray

from nervus.domain.errors import OutsideError
from nervus.link.reading import read_any
from nervus.tables.wishes import RecordingQuestioned, read_wish

Array = NDArray[np.float64]
_OPTION = re.compile(r'--map "([^"]+)"|--time-unit (\S+?)[,.;]?(?= |$)|--dates (\S+?)[,.;]?(?= |$)')
_BAR = 0.95


@dataclass
class Meant:
    """What a file means.

    Attributes:
        channels: identifier to instants and values.
        off_s: how far an instant may be off.
        off: how far a value may be off, as a share of the channel's range.
        refused: whether a refusal is as right as reading it.
    """

    channels: dict[str, tuple[Array, Array]]
    off_s: float = 1e-4
    off: float = 2e-3
    refused: bool = False


@dataclass
class Drive:
    """One recording to be written: sweeps by hand, with a drop or not."""

    rate_hz: float
    time_s: Array
    one: Array
    two: Array
    rpm: Array
    start: dt.datetime
    chance: np.random.Generator = field(repr=False)

    @classmethod
    def made(cls, seed: int) -> "Drive":
        """From its seed."""
        chance = np.random.default_rng(seed)
        rate = float(chance.choice([20.0, 50.0, 100.0, 200.0]))
        time_s = np.arange(round(float(chance.uniform(8.0, 20.0)) * rate)) / rate
        share = 0.5 - 0.5 * np.cos(2 * np.pi * time_s / float(chance.uniform(3.0, 6.0)))
        one = 0.6 + 3.8 * share + chance.normal(0, 0.004, time_s.size)
        two = 5.0 - one + chance.normal(0, 0.004, time_s.size)
        if chance.random() < 0.5:
            at = int(chance.integers(10, time_s.size - 10))
            one[at : at + 3] = 0.02
        start = dt.datetime(2026, int(chance.integers(1, 12)), 9, 10, 12, 13, 250_000)
        return cls(rate, time_s, one.round(3), two.round(3), (850 + 40 * share).round(0), start, chance)

    def meant(self, *, off_s: float = 1e-4, off: float = 2e-3, only: str = "") -> Meant:
        """Both tracks, or one."""
        channels = {"tps1_v": (self.time_s, self.one), "tps2_v": (self.time_s, self.two)}
        if only:
            channels = {only: channels[only]}
        return Meant(channels, off_s, off)


Shape = Callable[[Drive, Path], Meant]
SHAPES: dict[str, Shape] = {}


def shape(name: str) -> Callable[[Shape], Shape]:
    """Register a shape."""

    def keep(made: Shape) -> Shape:
        SHAPES[name] = made
        return made

    return keep


def rows(*columns: "Array | list[str]", sep: str = ",", comma: bool = False, digits: int = 6) -> str:
    """Lines of cells."""

    def cell(value: object) -> str:
        text = value if isinstance(value, str) else f"{value:.{digits}g}" if digits else f"{value:.0f}"
        return text.replace(".", ",") if comma and not isinstance(value, str) else text

    return "\n".join(sep.join(map(cell, row)) for row in zip(*columns, strict=True)) + "\n"


def clocks(d: Drive, form: str = "%H:%M:%S.%f", cut: int = 3) -> list[str]:
    """Times of day."""
    stamps = [d.start + dt.timedelta(seconds=float(t)) for t in d.time_s]
    return [s.strftime(form)[: -6 + cut] if form.endswith("%f") else s.strftime(form) for s in stamps]


# -- units -------------------------------------------------------------------------------------------


@shape("names and units in brackets")
def _brackets(d: Drive, p: Path) -> Meant:
    p.write_text(
        "Time [s],Throttle Position 1 [V],Throttle Position 2 [V]\n" + rows(d.time_s, d.one, d.two)
    )
    return d.meant()


@shape("mV in the names")
def _mv(d: Drive, p: Path) -> Meant:
    p.write_text("time_s,tps1_mv,tps2_mv\n" + rows(d.time_s, d.one * 1000, d.two * 1000))
    return d.meant()


@shape("mV unnamed")
def _mv_bare(d: Drive, p: Path) -> Meant:
    p.write_text(
        "time_s,tps1_v,tps2_v\n" + rows(d.time_s, (d.one * 1000).round(), (d.two * 1000).round())
    )
    return d.meant()


@shape("ms in the name")
def _ms(d: Drive, p: Path) -> Meant:
    p.write_text("Time (ms),TPS1 (V),TPS2 (V)\n" + rows(d.time_s * 1000, d.one, d.two))
    return d.meant()


@shape("ms unnamed")
def _ms_bare(d: Drive, p: Path) -> Meant:
    p.write_text("Time,tps1_v,tps2_v\n" + rows((d.time_s * 1000).round(), d.one, d.two))
    return d.meant()


@shape("ms called s")
def _ms_called_s(d: Drive, p: Path) -> Meant:
    p.write_text("time_s,tps1_v,tps2_v\n" + rows((d.time_s * 1000).round(), d.one, d.two))
    return d.meant()


@shape("time in x1e-3 s")
def _prefixed(d: Drive, p: Path) -> Meant:
    p.write_text("Time (x1e-3 s);TP 1 (V);TP 2 (V)\n" + rows(d.time_s * 1e3, d.one, d.two, sep=";"))
    return d.meant()


@shape("microseconds")
def _us(d: Drive, p: Path) -> Meant:
    p.write_text(
        "t [µs],TPS A [mV],TPS B [mV]\n" + rows(d.time_s * 1e6, d.one * 1e3, d.two * 1e3, digits=10)
    )
    return d.meant()


@shape("Unix time in ms")
def _unix_ms(d: Drive, p: Path) -> Meant:
    stamps = (1.79e12 + (d.time_s * 1000).round()).astype(np.int64)
    p.write_text("timestamp,TPS1 [V],TPS2 [V]\n" + rows([str(s) for s in stamps], d.one, d.two))
    return d.meant(off_s=6e-4)


@shape("Unix time in s")
def _unix_s(d: Drive, p: Path) -> Meant:
    p.write_text(
        "unix time,TPS1 [V],TPS2 [V]\n" + rows([f"{1.79e9 + t:.3f}" for t in d.time_s], d.one, d.two)
    )
    return d.meant(off_s=6e-4)


@shape("counts of 10 bits")
def _bits10(d: Drive, p: Path) -> Meant:
    p.write_text(
        "ms,tps1,tps2\n"
        + rows((d.time_s * 1e3).round(), (d.one / 5 * 1023).round(), (d.two / 5 * 1023).round())
    )
    return d.meant(off=8e-3)


@shape("counts of 12 bits")
def _bits12(d: Drive, p: Path) -> Meant:
    p.write_text(
        "Time (s),TPS1 [12 bit],TPS2 [12 bit]\n"
        + rows(d.time_s, (d.one / 5 * 4095).round(), (d.two / 5 * 4095).round())
    )
    return d.meant(off=8e-3)


@shape("counts of 12 bits, unnamed")
def _bits12_bare(d: Drive, p: Path) -> Meant:
    p.write_text(
        "time_s,tps1_v,tps2_v\n" + rows(d.time_s, (d.one / 5 * 4095).round(), (d.two / 5 * 4095).round())
    )
    return d.meant(off=8e-3)


@shape("percent unnamed")
def _percent_bare(d: Drive, p: Path) -> Meant:
    share = ((d.one - 0.6) / 3.8 * 100).round(1)
    p.write_text("Time (s),TPS1\n" + rows(d.time_s, share))
    return Meant({"tps1_pct": (d.time_s, share)})


@shape("Fahrenheit, bar and the battery in mV")
def _others(d: Drive, p: Path) -> Meant:
    warm, air = d.time_s * 0 + 185, (0.4 + 0.5 * (d.one - 0.6) / 3.8).round(3)
    p.write_text(
        "Time (s),TPS1 (V),Coolant (°F),MAP (bar),Battery (mV)\n"
        + rows(d.time_s, d.one, warm, air, d.time_s * 0 + 14100)
    )
    same = {
        "ect_c": (d.time_s, d.time_s * 0 + 85),
        "map_kpa": (d.time_s, air * 100),
        "batt_v": (d.time_s, d.time_s * 0 + 14.1),
    }
    return Meant({"tps1_v": (d.time_s, d.one), **same})


@shape("percent")
def _percent(d: Drive, p: Path) -> Meant:
    share = ((d.one - 0.5) / 4 * 100).round(1)
    p.write_text(
        "Time (s),Absolute throttle position A (%),Engine RPM (1/min)\n" + rows(d.time_s, share, d.rpm)
    )
    return Meant({"tps1_pct": (d.time_s, share), "rpm": (d.time_s, d.rpm)})


@shape("a share of one")
def _share(d: Drive, p: Path) -> Meant:
    share = ((d.one - 0.5) / 4).round(3)
    p.write_text("Time (s),throttle position\n" + rows(d.time_s, share))
    return Meant({"throttle_pct": (d.time_s, share * 100)})


@shape("units by the last word")
def _last_word(d: Drive, p: Path) -> Meant:
    p.write_text("time ms,tp1 mV,tp2 mV\n" + rows(d.time_s * 1e3, d.one * 1e3, d.two * 1e3))
    return d.meant()


@shape("pedal position D and E")
def _pedal(d: Drive, p: Path) -> Meant:
    one, two = ((d.one - 0.5) / 4 * 90).round(1), ((d.one - 0.5) / 8 * 90).round(1)
    p.write_text(
        "Time (s),Accelerator pedal position D (%),Accelerator pedal position E (%)\n"
        + rows(d.time_s, one, two)
    )
    return Meant({"app1_pct": (d.time_s, one), "app2_pct": (d.time_s, two)})


# -- missing values ----------------------------------------------------------------------------------


def _missing(d: Drive, word: str) -> tuple[list[str], Meant]:
    gone = d.chance.random(d.time_s.size) < 0.1
    gone[:4] = True
    cells = [word if g else f"{v:.3f}" for g, v in zip(gone, d.two, strict=True)]
    meant = d.meant()
    meant.channels["tps2_v"] = (d.time_s[~gone], d.two[~gone])
    return cells, meant


for _word in (
    "NaN",
    "n/a",
    "---",
    "null",
    "",
    "#N/A",
    "#DIV/0!",
    "#WERT!",
    "None",
    "-",
    "ERR",
    "No Data",
):

    @shape(f"missing as “{_word}”")
    def _gap(d: Drive, p: Path, word: str = _word) -> Meant:
        cells, meant = _missing(d, word)
        p.write_text("Time [s],TPS 1 [V],TPS 2 [V]\n" + rows(d.time_s, d.one, cells))
        return meant


@shape("missing in our own names")
def _own_gap(d: Drive, p: Path) -> Meant:
    cells, meant = _missing(d, "n/a")
    p.write_text("time_s,tps1_v,tps2_v\n" + rows(d.time_s, d.one, cells))
    return meant


# -- time --------------------------------------------------------------------------------------------


@shape("a time for each channel")
def _own_times(d: Drive, p: Path) -> Meant:
    late = d.time_s + 0.4 / d.rate_hz
    p.write_text("t1 [s],TPS1 [V],t2 [s],TPS2 [V]\n" + rows(d.time_s, d.one, late, d.two))
    return Meant({"tps1_v": (d.time_s, d.one), "tps2_v": (late, d.two)})


@shape("a time for each channel, one shorter")
def _own_times_short(d: Drive, p: Path) -> Meant:
    half = d.time_s.size // 2
    late = [f"{t:.6g}" for t in d.time_s[:half]] + [""] * (d.time_s.size - half)
    two = [f"{v:.3f}" for v in d.two[:half]] + [""] * (d.time_s.size - half)
    p.write_text("Time 1 (s);TP1 (V);Time 2 (s);TP2 (V)\n" + rows(d.time_s, d.one, late, two, sep=";"))
    return Meant({"tps1_v": (d.time_s, d.one), "tps2_v": (d.time_s[:half], d.two[:half])})


@shape("time of day")
def _clock(d: Drive, p: Path) -> Meant:
    p.write_text("Uhrzeit;TPS 1 [V];TPS 2 [V]\n" + rows(clocks(d), d.one, d.two, sep=";", comma=True))
    return d.meant(off_s=1.1e-3)


@shape("over midnight")
def _midnight(d: Drive, p: Path) -> Meant:
    d.start = d.start.replace(hour=23, minute=59, second=57)
    p.write_text("Time,TPS1 (V),TPS2 (V)\n" + rows(clocks(d), d.one, d.two))
    return d.meant(off_s=1.1e-3)


@shape("colons before the milliseconds")
def _colons(d: Drive, p: Path) -> Meant:
    stamps = [f"{c[:-4]}:{c[-3:]}" for c in clocks(d)]
    p.write_text("Time,TPS1 (V),TPS2 (V)\n" + rows(stamps, d.one, d.two))
    return d.meant(off_s=1.1e-3)


@shape("minutes and seconds")
def _minutes(d: Drive, p: Path) -> Meant:
    stamps = [f"{int(t // 60):02d}:{t % 60:06.3f}" for t in d.time_s + 125]
    p.write_text("Elapsed,TPS1 (V),TPS2 (V)\n" + rows(stamps, d.one, d.two))
    return d.meant(off_s=1.1e-3)


@shape("half a day with am and pm")
def _noon(d: Drive, p: Path) -> Meant:
    d.start = d.start.replace(hour=11, minute=59, second=58)
    stamps = [f"{c} {'AM' if c.startswith('11') else 'PM'}" for c in clocks(d)]
    p.write_text("Time,TPS1 (V),TPS2 (V)\n" + rows(stamps, d.one, d.two))
    return d.meant(off_s=1.1e-3)


for _name, _form in {
    "ISO with T and Z": "%Y-%m-%dT%H:%M:%S.%f",
    "ISO with a space": "%Y-%m-%d %H:%M:%S.%f",
    "day first": "%d.%m.%Y %H:%M:%S.%f",
    "month first": "%m/%d/%Y %H:%M:%S.%f",
    "a short year": "%d/%m/%y %H:%M:%S.%f",
}.items():

    @shape(f"dated, {_name}")
    def _dated(d: Drive, p: Path, form: str = _form) -> Meant:
        end = "Z" if "T" in form else ""
        stamps = [c + end for c in clocks(d, form)]
        p.write_text("Timestamp;TPS1 (V);TPS2 (V)\n" + rows(stamps, d.one, d.two, sep=";"))
        return d.meant(off_s=1.1e-3)


@shape("date and time in two columns")
def _two_columns(d: Drive, p: Path) -> Meant:
    d.start = d.start.replace(hour=23, minute=59, second=55)
    dates = clocks(d, "%d.%m.%Y")
    p.write_text(
        "Datum;Uhrzeit;TPS1 [V];TPS2 [V]\n" + rows(dates, clocks(d), d.one, d.two, sep=";", comma=True)
    )
    return d.meant(off_s=1.1e-3)


@shape("whole seconds")
def _whole(d: Drive, p: Path) -> Meant:
    d.start = d.start.replace(microsecond=0)
    stamps = clocks(d, "%Y-%m-%d %H:%M:%S")
    p.write_text("Date Time,TPS1 (V),TPS2 (V)\n" + rows(stamps, d.one, d.two))
    return d.meant(off_s=1.2 / d.rate_hz)


@shape("steps of 0.1 s")
def _steps(d: Drive, p: Path) -> Meant:
    stamps = np.floor(d.time_s * 10 + 1e-9) / 10
    p.write_text("Time (s),TPS1 (V),TPS2 (V)\n" + rows(stamps, d.one, d.two))
    return d.meant(off_s=1.2 / d.rate_hz)


@shape("days of a spreadsheet")
def _days(d: Drive, p: Path) -> Meant:
    stamps = [f"{46000.4 + t / 86400:.10f}" for t in d.time_s]
    p.write_text("Time,TPS1 (V),TPS2 (V)\n" + rows(stamps, d.one, d.two))
    return d.meant(off_s=1e-3)


# -- layouts -----------------------------------------------------------------------------------------


@shape("semicolons, decimal commas")
def _german(d: Drive, p: Path) -> Meant:
    p.write_text(
        "Zeit [s];Drosselklappe 1 [V];Drosselklappe 2 [V]\n"
        + rows(d.time_s, d.one, d.two, sep=";", comma=True)
    )
    return d.meant()


@shape("our own, saved again by a spreadsheet")
def _saved(d: Drive, p: Path) -> Meant:
    p.write_text("time_s;tps1_v;tps2_v\n" + rows(d.time_s, d.one, d.two, sep=";", comma=True))
    return d.meant()


@shape("our own long one, saved again by a spreadsheet")
def _saved_long(d: Drive, p: Path) -> Meant:
    lines = ["time_s;channel;value"]
    for t, a, b in zip(d.time_s, d.one, d.two, strict=True):
        lines += [
            f"{t:.6g};tps1_v;{a:.3f}".replace(".", ","),
            f"{t:.6g};tps2_v;{b:.3f}".replace(".", ","),
        ]
    p.write_text("\n".join(lines) + "\n")
    return d.meant()


@shape("our own long one in mV")
def _long_mv(d: Drive, p: Path) -> Meant:
    lines = ["time_s,channel,value"]
    for t, a, b in zip(d.time_s, d.one, d.two, strict=True):
        lines += [f"{t:.6g},tps1_v,{a * 1000:.0f}", f"{t:.6g},tps2_v,{b * 1000:.0f}"]
    p.write_text("\n".join(lines) + "\n")
    return d.meant()


@shape("sep= and tabulators")
def _said(d: Drive, p: Path) -> Meant:
    p.write_text("sep=\t\nTime [s]\tTPS1 [V]\tTPS2 [V]\n" + rows(d.time_s, d.one, d.two, sep="\t"))
    return d.meant()


@shape("metadata above, with numbers")
def _metadata(d: Drive, p: Path) -> Meant:
    head = f"Logger,model 7\nSerial,100200\nSamples,{d.time_s.size}\nRate,{d.rate_hz:g}\nGain,1,2\n\n"
    p.write_text(head + "Time (s),TPS1 (V),TPS2 (V)\n" + rows(d.time_s, d.one, d.two))
    return d.meant()


@shape("metadata in as many columns")
def _metadata_wide(d: Drive, p: Path) -> Meant:
    head = "unit;serial;7\nchannels;2;2\nscale;1;1\n"
    p.write_text(head + "Time;TPS1;TPS2\ns;V;V\n" + rows(d.time_s, d.one, d.two, sep=";"))
    return d.meant()


@shape("a row of units")
def _units(d: Drive, p: Path) -> Meant:
    p.write_text(
        "Time,TPS 1,TPS 2,RPM\n(ms),(mV),(mV),(1/min)\n\n"
        + rows(d.time_s * 1e3, d.one * 1e3, d.two * 1e3, d.rpm)
    )
    return d.meant()


@shape("comments")
def _comments(d: Drive, p: Path) -> Meant:
    p.write_text(
        "# made by a logger, version 3\n# 2 channels\n# Time [s], TPS1 [V], TPS2 [V]\n"
        + rows(d.time_s, d.one, d.two)
    )
    return d.meant()


@shape("statistics below")
def _statistics(d: Drive, p: Path) -> Meant:
    foot = f"\nMin,{d.one.min()},{d.two.min()}\nMax,{d.one.max()},{d.two.max()}\nMean,2.5,2.5\n"
    p.write_text("Time (s),TPS1 (V),TPS2 (V)\n" + rows(d.time_s, d.one, d.two) + foot)
    return d.meant()


@shape("spaces")
def _spaces(d: Drive, p: Path) -> Meant:
    table = pd.DataFrame({"time_s": d.time_s, "tps1_v": d.one, "tps2_v": d.two})
    p.write_text(table.to_string(index=False) + "\n")
    return d.meant()


@shape("spaces, names with units")
def _spaces_units(d: Drive, p: Path) -> Meant:
    lines = [f"{t:10.4f}  {a:8.3f}  {b:8.3f}" for t, a, b in zip(d.time_s, d.one, d.two, strict=True)]
    p.write_text("  Time [s]   TPS1 [V]   TPS2 [V]\n" + "\n".join(lines) + "\n")
    return d.meant()


@shape("thousands marks")
def _thousands(d: Drive, p: Path) -> Meant:
    one, two = ([f'"{v * 1000:,.1f}"' for v in c] for c in (d.one, d.two))
    p.write_text("Time (s),TPS1 (mV),TPS2 (mV)\n" + rows(d.time_s, one, two))
    return d.meant()


@shape("thousands marks of the other kind")
def _points(d: Drive, p: Path) -> Meant:
    def cell(v: float) -> str:
        return f"{v * 1000:,.1f}".replace(",", "_").replace(".", ",").replace("_", ".")

    p.write_text(
        "Zeit [s];TPS1 [mV];TPS2 [mV]\n"
        + rows(d.time_s, [cell(v) for v in d.one], [cell(v) for v in d.two], sep=";", comma=True)
    )
    return d.meant()


for _encoding in ("utf-16", "utf-16-le", "latin-1", "utf-8-sig", "cp1252"):

    @shape(f"in {_encoding}")
    def _encoded(d: Drive, p: Path, encoding: str = _encoding) -> Meant:
        text = "Zeit [s];Drosselklappe 1 [V];Drosselklappe 2 [V];Kühlmittel [°C]\n"
        text += rows(d.time_s, d.one, d.two, d.time_s * 0 + 85, sep=";", comma=True)
        p.write_bytes(text.encode(encoding))
        meant = d.meant()
        meant.channels["ect_c"] = (d.time_s, d.time_s * 0 + 85)
        return meant


@shape("carriage returns alone")
def _mac(d: Drive, p: Path) -> Meant:
    p.write_bytes(
        ("Time [s],TPS1 [V],TPS2 [V]\n" + rows(d.time_s, d.one, d.two)).replace("\n", "\r").encode()
    )
    return d.meant()


@shape("all in quotation marks")
def _quoted(d: Drive, p: Path) -> Meant:
    table = pd.DataFrame({"Time (s)": d.time_s, "TPS1 (V)": d.one, "TPS2 (V)": d.two})
    table.to_csv(p, index=False, quoting=1)
    return d.meant()


@shape("an index in front, by the table library")
def _index(d: Drive, p: Path) -> Meant:
    pd.DataFrame({"Time (s)": d.time_s, "TPS1 (V)": d.one, "TPS2 (V)": d.two}).to_csv(p)
    return d.meant()


@shape("a column of text, a delimiter at the end")
def _text_column(d: Drive, p: Path) -> Meant:
    gear = ["neutral"] * d.time_s.size
    table = rows(d.time_s, d.one, gear, d.two, sep=";").replace("\n", ";\n")
    p.write_text("Time (s);TPS1 (V);Gear;TPS2 (V);\n" + table)
    return d.meant()


@shape("a table called .log")
def _called_log(d: Drive, p: Path) -> Meant:
    p.write_text("Time (s)\tTPS1 (V)\tTPS2 (V)\n" + rows(d.time_s, d.one, d.two, sep="\t"))
    return d.meant()


@shape("channels of an oscilloscope")
def _scope(d: Drive, p: Path) -> Meant:
    head = "Source,CH1,CH2\nVertical,1,1\n"
    p.write_text(head + "Second,Volt,Volt\n" + rows(d.time_s - 3, d.one, d.two))
    return Meant(d.meant().channels, refused=True)


@shape("channel A and B")
def _scope_ab(d: Drive, p: Path) -> Meant:
    p.write_text("Time,Channel A,Channel B\n(ms),(V),(V)\n\n" + rows(d.time_s * 1e3 - 500, d.one, d.two))
    return d.meant()


@shape("many other columns")
def _many(d: Drive, p: Path) -> Meant:
    others = {f"Value {n} (x)": d.chance.normal(0, 1, d.time_s.size).round(3) for n in range(12)}
    pd.DataFrame({"Time (s)": d.time_s, **others, "TPS1 (V)": d.one, "TPS2 (V)": d.two}).to_csv(
        p, index=False
    )
    return d.meant()


@shape("cut off in its last row")
def _cut(d: Drive, p: Path) -> Meant:
    p.write_text(("Time (s),TPS1 (V),TPS2 (V)\n" + rows(d.time_s, d.one, d.two))[:-8])
    meant = d.meant()
    meant.channels = {c: (t[:-1], v[:-1]) for c, (t, v) in meant.channels.items()}
    return meant


@shape("no names at all")
def _nameless(d: Drive, p: Path) -> Meant:
    p.write_text(rows(d.time_s, d.one, d.two))
    return Meant(d.meant().channels, refused=True)


@shape("units in the cells")
def _cell_units(d: Drive, p: Path) -> Meant:
    one, two = ([f"{v:.3f} V" for v in c] for c in (d.one, d.two))
    p.write_text("Time,TPS1,TPS2\n" + rows([f"{t * 1000:.0f} ms" for t in d.time_s], one, two))
    return d.meant()


@shape("months in words, and a coarse clock beside")
def _months(d: Drive, p: Path) -> Meant:
    coarse = clocks(d, "%a %b %d %H:%M:%S GMT+01:00 %Y")
    fine = clocks(d, "%d-%b-%Y %H:%M:%S.%f")
    p.write_text("GPS Time, Device Time, TPS1 (V), TPS2 (V)\n" + rows(coarse, fine, d.one, d.two))
    return d.meant(off_s=1.1e-3)


@shape("two columns of one name")
def _same_name(d: Drive, p: Path) -> Meant:
    p.write_text("Time (s),TPS (V),TPS (V)\n" + rows(d.time_s, d.one, d.two))
    return d.meant()


@shape("another sensor beside")
def _another(d: Drive, p: Path) -> Meant:
    other = d.chance.uniform(0.1, 0.9, d.time_s.size).round(3)
    head = "Time (s),O2 Sensor 1 (V),TPS1 (V),TPS2 (V),Fuel tank (V)\n"
    p.write_text(head + rows(d.time_s, other, d.one, d.two, other))
    return d.meant()


@shape("the time behind the values")
def _behind(d: Drive, p: Path) -> Meant:
    p.write_text("TPS1 (V),TPS2 (V),Time (s)\n" + rows(d.one, d.two, d.time_s))
    return d.meant()


# -- formats of others -------------------------------------------------------------------------------


@shape("MDF 4 by its library")
def _mdf(d: Drive, p: Path) -> Meant:
    made = MDF(version="4.10")
    made.append([
        Signal(d.one * 1000, d.time_s, name="Throttle position sensor 1", unit="mV"),
        Signal(d.two, d.time_s, name="Throttle position sensor 2", unit="V"),
    ])  # fmt: skip
    made.save(p, overwrite=True)
    made.close()
    return d.meant()


@shape("MDF 4 with names of its own")
def _mdf_own(d: Drive, p: Path) -> Meant:
    made = MDF(version="4.10")
    made.append(
        [
            Signal(d.one, d.time_s, name="Input 1", unit="V"),
            Signal(d.two, d.time_s, name="Input 2", unit="V"),
        ]
    )
    made.save(p, overwrite=True)
    made.close()
    return d.meant()


def _answers(d: Drive) -> Iterator[can.Message]:
    """Source: SAE J1979: value 11 hex is percent of 255."""
    for t, share in zip(d.time_s, _raw(d), strict=True):
        yield can.Message(
            timestamp=1000 + float(t), arbitration_id=0x7E8, is_extended_id=False, is_rx=True,
            data=bytes([3, 0x41, 0x11, int(share), 0, 0, 0, 0]),
        )  # fmt: skip


def _raw(d: Drive) -> Array:
    return np.clip((d.one - 0.5) / 4 * 255, 0, 255).round()


for _suffix in (".log", ".asc", ".blf", ".trc", ".mf4"):

    @shape(f"traffic as {_suffix}")
    def _traffic(d: Drive, p: Path) -> Meant:
        with can.Logger(p) as log:
            for message in _answers(d):
                log(message)
        return Meant({"tps1_pct": (d.time_s, _raw(d) / 2.55)}, off_s=2e-3)


@shape("traffic cut off")
def _traffic_cut(d: Drive, p: Path) -> Meant:
    with can.Logger(p) as log:
        for message in _answers(d):
            log(message)
    raw = p.read_bytes()
    p.write_bytes(raw[: len(raw) // 2])
    lines = raw[: len(raw) // 2].decode().count("\n")
    return Meant({"tps1_pct": (d.time_s[:lines], _raw(d)[:lines] / 2.55)}, off_s=2e-3)


_SUFFIXES = {
    "a table called .log": ".log", "MDF 4 by its library": ".mf4", "MDF 4 with names of its own": ".mf4",
    "traffic cut off": ".log",
    **{f"traffic as {s}": s for s in (".log", ".asc", ".blf", ".trc", ".mf4")},
}  # fmt: skip


# -- judging -----------------------------------------------------------------------------------------


def outcome(path: Path, meant: Meant) -> tuple[str, str]:
    """What became of a file, and what was said."""
    words, how = "", "right at once"
    try:
        try:
            read = read_any(path)
        except RecordingQuestioned as asked:
            words, how = str(asked), "right when agreed to"
            found = _OPTION.findall(words)
            wish = read_wish(
                [pair for pair, _u, _d in found if pair],
                next((unit for _p, unit, _d in found if unit), ""),
                next((dates for _p, _u, dates in found if dates), ""),
            )
            read = read_any(path, wish)
    except OutsideError as refused:
        return "refused", str(refused)
    words = " ".join((words, *read.remarks))
    wrong = difference(read.recording, meant)
    if not wrong:
        return how, words
    told = how != "right at once"
    return ("misread, told" if told else "misread"), f"{wrong} | {words}"


def difference(recording: object, meant: Meant) -> str:
    """What was read otherwise than it was meant; "" if nothing."""
    channels = {c.id: c for c in recording.known().channels} if recording is not None else {}  # type: ignore[attr-defined]
    for channel, (time_s, values) in meant.channels.items():
        read = channels.get(channel)
        if read is None:
            return f"{channel} is not there, but {', '.join(channels)}"
        if read.samples != time_s.size:
            return f"{channel} has {read.samples} samples, not {time_s.size}"
        starts = min(t[0] for t, _v in meant.channels.values())
        apart = float(np.max(np.abs((read.time_s - recording.start_s) - (time_s - starts))))  # type: ignore[attr-defined]
        if apart > meant.off_s:
            return f"{channel}: instants are {apart:.4g} s off"
        off = float(np.max(np.abs(read.values - values)))
        if off > meant.off * max(float(np.ptp(values)), 1.0):
            return f"{channel}: values are {off:.4g} off"
    extra = set(channels) - set(meant.channels) - {"rpm"}
    return f"{', '.join(sorted(extra))} was read beside" if extra else ""


def main() -> int:
    """Write, read, hold against what was meant."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--each", type=int, default=2, help="files of each shape")
    parser.add_argument("--keep", type=Path, help="a folder for the files")
    parser.add_argument("--all", action="store_true", help="print every file, with what was said")
    wanted = parser.parse_args()
    counts: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as scratch:
        folder = wanted.keep or Path(scratch)
        folder.mkdir(parents=True, exist_ok=True)
        for number, (name, write) in enumerate(SHAPES.items()):
            for again in range(wanted.each):
                path = folder / f"{number:03d}-{again}{_SUFFIXES.get(name, '.csv')}"
                meant = write(Drive.made(wanted.seed * 1000 + number * 10 + again), path)
                became, said = outcome(path, meant)
                if became == "refused" and meant.refused:
                    became = "refused as it should be"
                counts[became] += 1
                if wanted.all or became.startswith(("misread", "refused")):
                    print(f"{path.name} {name}: {became}: {said[:300]}")
    total = sum(counts.values())
    right = counts["right at once"] + counts["right when agreed to"]
    for became, count in counts.most_common():
        print(f"{became}: {count} of {total}")
    print(f"right {right / total:.3f} (bar {_BAR}), misread without a word {counts['misread']} (bar 0)")
    return int(right < _BAR * total or counts["misread"] > 0)


if __name__ == "__main__":
    sys.stdout = io.TextIOWrapper(sys.stdout.buffer, line_buffering=True)
    sys.exit(main())

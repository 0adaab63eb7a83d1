"""Columns that are nothing of ours: kept by their own name, drawn, written again, and never judged."""

from pathlib import Path

import numpy as np
import pytest
from asammdf import MDF, Signal

from nervus.cli import main
from nervus.domain.channel import CHANNEL_KINDS, Role, Unit, kind_of, other_kind
from nervus.domain.errors import RecordingUnusable
from nervus.drawn.channels import usual_channels
from nervus.files.recording_writer import write_recording
from nervus.judge.analyse import analyse
from nervus.link.reading import read_any
from nervus.tables.mapping import MOST_OTHERS
from nervus.tables.wishes import Wish, read_wish


def a_log(path: Path, more: str = "Oil temp (°C),Gear,Torque [Nm]", cells: str = "80.5,3,12") -> Path:
    """Two sweeps of a sound sensor with other columns beside."""
    rows = (
        f"{n / 100:.2f},{0.5 + 4 * (0.5 - 0.5 * np.cos(n / 100)):.3f},{cells}\n" for n in range(1400)
    )
    path.write_text(f"Time (s),TPS 1 (V),{more}\n" + "".join(rows), encoding="utf-8")
    return path


def test_an_identifier_holds_name_and_unit_and_nothing_that_parts_columns() -> None:
    kind = other_kind('Oil, "hot" [1]\n', "°C")
    assert kind.id == "other:Oil hot 1 [°C]"
    assert (kind.title, kind.unit, kind.role) == ("Oil hot 1", Unit.CELSIUS, Role.OTHER)
    assert kind_of(kind.id) == kind
    assert kind_of("rpm") is CHANNEL_KINDS["rpm"]
    for none in ("other:", "other: x", "other:a,b", "other:a [", "oil", "other:a []"):
        assert kind_of(none) is None


def test_they_are_kept_told_and_not_judged(tmp_path: Path) -> None:
    read = read_any(a_log(tmp_path / "x.csv"))
    assert read.recording is not None
    assert [c.id for c in read.recording.channels] == [
        "tps1_v", "other:Oil temp [°C]", "other:Gear", "other:Torque [Nm]",
    ]  # fmt: skip
    assert "Kept to be looked at, not judged: “Oil temp”, “Gear”, “Torque [Nm]”." in read.remarks
    bare = read.recording.known()
    assert [c.id for c in bare.channels] == ["tps1_v"]
    with_them, without = analyse(read.recording), analyse(bare)
    assert with_them.examination.findings == without.examination.findings
    assert with_them.judgement == without.judgement
    assert usual_channels(read.recording) == ("tps1_v",)


def test_what_is_no_number_in_them_refuses_nothing(tmp_path: Path) -> None:
    path = a_log(tmp_path / "x.csv", "Gear,Word", "3,on")
    lines = path.read_text(encoding="utf-8").splitlines()
    lines[900] = lines[900].replace(",3,on", ",R,on")
    path.write_text("\n".join(lines), encoding="utf-8")
    read = read_any(path)
    assert read.recording is not None
    gear = read.recording.get("other:Gear")
    assert gear is not None
    assert gear.samples == 1399
    assert read.recording.get("other:Word") is None
    assert "Left out: “Word”." in read.remarks


def test_rows_that_begin_with_a_word_in_them_are_not_lost(tmp_path: Path) -> None:
    path = a_log(tmp_path / "x.csv", "Gear", "3")
    head, *rows = path.read_text(encoding="utf-8").splitlines()
    early = [row.removesuffix("3") + "N" for row in rows[:100]]
    path.write_text("\n".join([head, *early, *rows[100:]]), encoding="utf-8")
    recording = read_any(path).recording
    assert recording is not None
    assert [c.samples for c in recording.channels] == [1400, 1300]
    assert recording.duration_s == pytest.approx(13.99)


def test_they_are_written_in_our_own_shape_and_read_again(tmp_path: Path) -> None:
    first = read_any(a_log(tmp_path / "x.csv")).recording
    assert first is not None
    write_recording(first, tmp_path / "own.csv")
    again = read_any(tmp_path / "own.csv").recording
    assert again is not None
    assert {c.id for c in again.channels} == {c.id for c in first.channels}
    for channel in first.channels:
        same = again.get(channel.id)
        assert same is not None
        assert same.kind == channel.kind
        np.testing.assert_array_equal(same.values, channel.values)


def test_two_of_one_name_and_more_than_are_kept(tmp_path: Path) -> None:
    twice = read_any(a_log(tmp_path / "x.csv", "Oil (°C),Oil (°C)", "80,90")).recording
    assert twice is not None
    assert [float(c.values[0]) for c in twice.channels[1:]] == [80.0, 90.0]
    assert len({c.id for c in twice.channels}) == 3
    names = [f"Thing {n}" for n in range(MOST_OTHERS + 5)]
    many = read_any(a_log(tmp_path / "y.csv", ",".join(names), ",".join("1" for _ in names)))
    assert many.recording is not None
    assert len(many.recording.channels) == 1 + MOST_OTHERS
    assert f"“Thing {MOST_OTHERS}”" in many.remarks[-1]


def test_our_own_shape_takes_them_only_when_it_is_said(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "own.csv"
    path.write_text("time_s,tps1_v,Oil\n0,0.5,80\n0.1,0.6,81\n", encoding="utf-8")
    with pytest.raises(RecordingUnusable, match="column Oil: this is no channel"):
        read_any(path)
    read = read_any(path, read_wish(["Oil=other"]))
    assert read.recording is not None
    assert [c.id for c in read.recording.channels] == ["tps1_v", "other:Oil"]
    assert main(["analyse", str(path), "--map", "Oil=other"]) == 0
    long = tmp_path / "long.csv"
    long.write_text("time_s,channel,value\n0,tps1_v,1\n0,other:Oil [°C],80\n1,Oil,7\n", "utf-8")
    with pytest.raises(RecordingUnusable, match="“Oil” is no channel"):
        read_any(long)
    long.write_text("time_s,channel,value\n0,other:Oil [°C],80\n0,tps1_v,1\n", "utf-8")
    held = read_any(long).recording
    assert held is not None
    assert [c.id for c in held.channels] == ["tps1_v", "other:Oil [°C]"]
    capsys.readouterr()


@pytest.mark.parametrize(
    "text",
    [
        "time_s,other:Oil\n0,1\n1,2\n",
        "time_s,tps1_v,other:Oil\n0,,1\n1,,2\n",
        "time_s,channel,value\n0,other:Oil,1\n1,other:Oil,2\n",
    ],
)
def test_our_own_shape_with_nothing_else_is_refused_in_one_sentence(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], text: str
) -> None:
    (tmp_path / "x.csv").write_text(text, "utf-8")
    assert main(["analyse", str(tmp_path / "x.csv")]) == 2
    assert "no channel in it can be judged; accepted is at least one beside" in capsys.readouterr().err


def test_in_a_long_table_of_other_units_too(tmp_path: Path) -> None:
    path = tmp_path / "x.csv"
    rows = "".join(
        f"{n / 10},tps1_mv,{500 + 10 * n}\n{n / 10},Oil,{'?' if n == 3 else 80}\n" for n in range(50)
    )
    path.write_text(f"time_s,channel,value\n{rows}", "utf-8")
    read = read_any(path, read_wish(["tps1_mv[mV]=tps1_v", "Oil=other"])).recording
    assert read is not None
    assert [(c.id, c.samples) for c in read.channels] == [("tps1_v", 50), ("other:Oil", 49)]


def test_a_table_of_nothing_else_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "x.csv"
    path.write_text("Time (s);Oil (°C)\n" + "".join(f"{n};{n}\n" for n in range(50)), "utf-8")
    with pytest.raises(RecordingUnusable, match="no column is a channel"):
        read_any(path, Wish(agreed=True))


def test_of_a_measurement_file_too(tmp_path: Path) -> None:
    times = np.arange(500) / 100.0
    path = tmp_path / "r.mf4"
    with MDF(version="4.10") as file:
        file.append([Signal(1 + times / 2, times, unit="V", name="TPS 1")])
        file.append([Signal(times * 10, times + 0.5, unit="Nm", name="torque")])
        file.append([Signal(times, times, unit="lx", name="light")])
        file.save(path)
    recording = read_any(path, read_wish(["light=-"])).recording
    assert recording is not None
    assert [c.id for c in recording.channels] == ["tps1_v", "other:torque [Nm]"]
    assert recording.channels[1].time_s[0] == pytest.approx(0.5)
    asked = read_any(path, read_wish(["light=other"])).recording
    assert asked is not None
    assert asked.get("other:light [lx]") is not None

"""Reading recordings: both shapes, and each thing that keeps a file from being one."""

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from conftest import SAMPLES
from nervus.cli import main
from nervus.domain.channel import CHANNEL_KINDS, Channel, Mark, Recording
from nervus.domain.errors import RecordingUnusable
from nervus.files import answer, read_recording
from nervus.files.recording_writer import write_recording
from nervus.judge.analyse import analyse

Write = Callable[[str | bytes], Path]


@pytest.fixture
def write(tmp_path: Path) -> Write:
    def written(content: str | bytes) -> Path:
        path = tmp_path / "r.csv"
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        return path

    return written


def test_the_wide_shape_keeps_each_channel_at_its_own_instants(write: Write) -> None:
    r = read_recording(write("time_s,tps1_v,rpm,mark\n0,0.5,,\n0.1,,800,shake\n0.2,0.7,,\n"))
    track, speed = r.get("tps1_v"), r.get("rpm")
    assert track is not None
    assert speed is not None
    assert track.time_s.tolist() == [0.0, 0.2]
    assert speed.values.tolist() == [800.0]
    assert r.marks == (Mark(0.1, "shake"),)


def test_the_long_shape_may_interleave_channels_out_of_step(write: Write) -> None:
    r = read_recording(
        write(
            "time_s,channel,value\n1.0,tps1_v,0.5\n0.9,tps2_v,4.5\n1.1,mark,a, b\n".replace(
                "a, b", '"a, b"'
            )
        )
    )
    assert [c.id for c in r.channels] == ["tps1_v", "tps2_v"]
    assert r.marks == (Mark(1.1, "a, b"),)


def test_other_names_are_mapped_or_left_out(write: Write) -> None:
    path = write("t,sig,note\n0,0.5,x\n1,0.6,y\n")
    r = read_recording(path, {"t": "time_s", "sig": "tps1_v", "note": "-"})
    assert r.channels[0].values.tolist() == [0.5, 0.6]


def test_a_byte_order_mark_and_carriage_returns_do_no_harm(write: Write) -> None:
    r = read_recording(write(b"\xef\xbb\xbftime_s,tps1_v\r\n0,0.5\r\n\r\n1,0.6\r\n"))
    assert r.channels[0].samples == 2


def test_what_is_written_is_read_back_whole(tmp_path: Path) -> None:
    time_s = np.array([0.0, 0.012345, 0.5])
    track = Channel(CHANNEL_KINDS["tps1_v"], time_s, np.array([0.5, 0.333333, 4.5]))
    recording = Recording((track,), (Mark(0.2, "heat"), Mark(0.3, "=1+1")))
    write_recording(recording, tmp_path / "w.csv")
    again = read_recording(tmp_path / "w.csv")
    np.testing.assert_array_equal(again.channels[0].time_s, time_s)
    np.testing.assert_array_equal(again.channels[0].values, track.values)
    # A text that a spreadsheet would run is made harmless; all others come back as they were.
    assert again.marks == recording.marks


MALFORMED: dict[str, tuple[str | bytes, tuple[str, ...]]] = {
    "empty": ("", ("the file is empty",)),
    "only blanks": ("\n \n", ("the file is empty",)),
    "header only": ("time_s,tps1_v\n", ("there are no samples",)),
    "no time": ("tps1_v,tps2_v\n1,2\n", ("no column is the time",)),
    "unknown column": ("time_s,tps1,rpm\n0,1,2\n", ("“tps1” may be track 1", '--map "tps1[V]=tps1_v"')),
    "unknown and far": ("time_s,wibble\n0,1\n", ("column wibble", '--map "wibble=ID"')),
    "twice": ("time_s,tps1_v,tps1_v\n0,1,2\n", ("column tps1_v", "twice")),
    "text": ("time_s,tps1_v\n0,0.5\n1,x1\n", ("line 3", "column tps1_v", "“x1” is not a number")),
    "decimal comma": ('time_s,tps1_v\n0,"0,5"\n', ("line 2", "“0,5” is not a number")),
    "text in time": ("time_s,tps1_v\nnoon,0.5\n", ("line 2", "column time_s", "“noon”")),
    "no time given": ("time_s,tps1_v\n,0.5\n", ("line 2", "column time_s", "the cell is empty")),
    "nan in time": ("time_s,tps1_v\n0,0.5\nnan,1\n", ("line 3", "“nan” is not a number")),
    "no value at all": ("time_s,tps1_v\n0,n/a\n1,nan\n", ("there are no samples",)),
    "infinite": ("time_s,tps1_v\n0,-inf\n", ("line 2", "“-inf” is not a number")),
    "overflow": ("time_s,tps1_v\n0,1e999\n", ("line 2", "“1e999” is not a number")),
    "backwards": ("time_s,tps1_v\n0,1\n2,1\n1,1\n", ("line 4", "runs backwards, from 2 to 1 s")),
    "too many cells": ("time_s,tps1_v\n0,1\n1,2,3\n", ("line 3", "3 cells, the header 2")),
    "not text": (b"\x89PNG\r\n\x1a\n\0\0\0", ("this is not text",)),
    "not text later": (b"time_s,tps1_v\n" + b"0,1\n" * 2000 + b"\0\0\n", ("line 2002", "not text")),
    "latin-1": (b"time_s,tps1_v,mark\n0,1," + b"\xe9\n", ("line 2", "not UTF-8")),
    "long, unknown": ("time_s,channel,value\n0,tps9,1\n", ("line 2", "“tps9” is no channel")),
    "long, text": ("time_s,channel,value\n0,rpm,x\n", ("line 2", "column value", "“x”")),
    "long, empty": ("time_s,channel,value\n0,rpm,\n", ("line 2", "the cell is empty")),
    "long, infinite": ("time_s,channel,value\n0,rpm,inf\n", ("line 2", "“inf”")),
    "long, backwards": (
        "time_s,channel,value\n1,rpm,5\n0,tps1_v,1\n0.5,rpm,5\n",
        ("line 4", "time of rpm runs backwards"),
    ),
    "long, text with marks": (
        "time_s,channel,value\n0,mark,tap\n1,rpm,fast\n",
        ("line 3", "“fast” is not a number"),
    ),
    "a million columns": ("time_s," + ",".join(f"c{i}" for i in range(10**5)), ("100001 columns",)),
    "one endless line": (b"time_s,tps1_v\n0," + b"1" * (3 << 20), ("longer than a megabyte",)),
    "an endless header": (b"time_s" + b"," * (3 << 20), ("does not end within a megabyte",)),
}


@pytest.mark.parametrize("name", MALFORMED)
def test_a_file_that_is_no_recording_is_told_in_one_sentence(
    name: str, write: Write, capsys: pytest.CaptureFixture[str]
) -> None:
    content, says = MALFORMED[name]
    path = write(content)
    with pytest.raises(RecordingUnusable):
        read_recording(path)
    assert main(["analyse", str(path), "--json"]) == 2
    printed = capsys.readouterr()
    assert printed.out == ""
    assert all(words in printed.err for words in says), printed.err
    assert printed.err.count("\n") == 1
    assert len(printed.err) < 700


def test_a_missing_file_and_a_folder_are_told_too(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["analyse", str(tmp_path / "none.csv")]) == 2
    assert main(["analyse", str(tmp_path)]) == 2
    missing, empty = capsys.readouterr().err.splitlines()
    assert "can't be read" in missing
    assert "there is no file in this folder" in empty


def test_a_gigabyte_of_one_line_is_refused_without_reading_it(tmp_path: Path) -> None:
    path = tmp_path / "huge.csv"
    with path.open("wb") as file:
        file.write(b"time_s,tps1_v\n0,1")
        file.seek(1 << 30)
        file.write(b"1")
    with pytest.raises(RecordingUnusable, match=r"not text|longer than a megabyte"):
        read_recording(path)


@pytest.mark.parametrize("pair", ["x", "=tps1_v", "a=tps9"])
def test_a_mapping_that_can_not_be_meant_is_told(pair: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["analyse", "r.csv", "--map", pair]) == 2
    assert "accepted is NAME=ID" in capsys.readouterr().err


def mangled(random: np.random.Generator, source: bytes) -> bytes:
    """A file with a few bytes changed, lost, doubled or put in."""
    made = bytearray(source)
    snippets = (b",", b"\n", b'"', b"nan", b"-", b"e9", b"\r", b";", b"mark", b"1e400", b"\xff", b"\0")
    for _ in range(int(random.integers(1, 5))):
        at = int(random.integers(len(made)))
        what = int(random.integers(4))
        if what == 0:
            made[at : at + 1] = bytes([int(random.integers(256))])
        elif what == 1:
            del made[at : at + int(random.integers(1, 200))]
        elif what == 2:
            made[at:at] = snippets[int(random.integers(len(snippets)))]
        else:
            start = int(random.integers(len(made)))
            made[at:at] = made[start : start + 300]
    return bytes(made)


def test_mangled_files_are_read_or_told_and_never_more(tmp_path: Path) -> None:
    random = np.random.default_rng(17)
    sources = [path.read_bytes()[:9000] for path in sorted(SAMPLES.glob("*.csv"))]
    path = tmp_path / "m.csv"
    told: list[str] = []
    for number in range(600):
        path.write_bytes(mangled(random, sources[number % len(sources)]))
        try:
            json.dumps(answer(analyse(read_recording(path))), allow_nan=False)
        except RecordingUnusable as refused:
            told.append(str(refused))
    assert 0 < len(told) < 600
    assert not [sentence for sentence in told if "\n" in sentence or len(sentence) > 800]


@pytest.mark.parametrize(
    "text",
    ["time_s,tps1_v\n0,1.0\n1,", "time_s,tps1_v\n0,\n1,2\n", "time_s,tps1_v,vref_v\n0,,5\n1,2,\n"],
)
def test_an_empty_cell_is_not_sampled_wherever_it_stands(tmp_path: Path, text: str) -> None:
    path = tmp_path / "r.csv"
    path.write_text(text)
    recording = read_recording(path)
    assert recording.channels[0].samples == 1

"""Several recordings in one call: one answer a line, and a bad file stops no other."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from nervus import analyse_command
from nervus.cli import main
from nervus.standin.demo import write_demo


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Three recordings, one of them no recording."""
    made = tmp_path_factory.mktemp("drives")
    written = write_demo(tmp_path_factory.mktemp("demo"), replace=False)
    tables = [p for p in written if p.suffix == ".csv"][:2]
    for number, path in enumerate(tables):
        shutil.copy(path, made / f"{number}.csv")
    (made / "1-broken.csv").write_text("time_s,tps1_v\n0.0,0.5\n0.1,n/a?\n")
    return made


@pytest.mark.parametrize("jobs", [1, 2])
def test_a_folder_is_one_object_a_line_and_the_bad_file_says_why(folder: Path, jobs: int) -> None:
    command = [sys.executable, "-m", "nervus", "analyse", str(folder), "--json", "--jobs", str(jobs)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert done.stderr == ""
    rows = [json.loads(line) for line in done.stdout.splitlines()]
    assert [Path(r["file"]).name for r in rows] == ["0.csv", "1-broken.csv", "1.csv"]
    assert [r.get("schema") for r in rows] == ["nervus.analysis/1", None, "nervus.analysis/1"]
    assert "line 3" in rows[1]["error"]
    assert set(rows[1]) == {"file", "error"}


def test_several_reports_are_parted_by_their_files(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["analyse", str(folder / "0.csv"), str(folder / "1.csv")]) == 0
    told = capsys.readouterr()
    assert told.err == ""
    assert told.out.index(str(folder / "0.csv")) < told.out.index(str(folder / "1.csv"))


def test_one_file_is_answered_as_ever_and_one_of_many_is_never_standard_input(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["analyse", str(folder / "0.csv"), "--json"]) == 0
    assert "file" not in json.loads(capsys.readouterr().out)
    assert main(["analyse", "-", str(folder / "0.csv")]) == 2
    assert "can't be one of several" in capsys.readouterr().err
    with pytest.raises(SystemExit):
        main(["analyse", str(folder / "0.csv"), "--jobs", "0"])
    assert "at least 1" in capsys.readouterr().err
    with pytest.raises(SystemExit):
        main(["analyse", str(folder / "0.csv"), "--jobs", "two"])
    assert "'two': a number of jobs is needed, at least 1" in capsys.readouterr().err


def test_how_a_table_was_read_is_said_of_each_of_many(
    folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rows = [f"{0.01 * n:.2f};{0.5 + 0.001 * n:.3f}" for n in range(400)]
    other = tmp_path / "other.csv"
    other.write_text("\n".join(("Time [s];Throttle position sensor 1 [V]", *rows)))
    assert main(["analyse", str(other), "--json"]) == 0
    alone = [line.removeprefix("nervus: ") for line in capsys.readouterr().err.splitlines()]
    assert alone
    assert main(["analyse", str(other), str(folder / "0.csv"), "--json"]) == 0
    of_many = capsys.readouterr().err.splitlines()
    assert of_many == [f"nervus: {other}: {remark}" for remark in alone]


def test_a_job_that_is_ended_from_outside_is_said(
    folder: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(analyse_command, "_analysed", lambda *_: os._exit(9))
    assert main(["analyse", str(folder), "--jobs", "2"]) == 2
    assert "ended from outside" in capsys.readouterr().err


def test_a_fault_of_ours_at_one_recording_stops_no_other(
    folder: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    analysed = analyse_command._analysed

    def stumbles(path: Path, *others: Any) -> Any:
        return 1 // 0 if path.name == "0.csv" else analysed(path, *others)

    monkeypatch.setattr(analyse_command, "_analysed", stumbles)
    assert main(["analyse", str(folder / "0.csv"), str(folder / "1.csv"), "--json"]) == 2
    told = capsys.readouterr()
    rows = [json.loads(line) for line in told.out.splitlines()]
    assert "by a fault of its own (ZeroDivisionError" in rows[0]["error"]
    assert rows[1]["schema"] == "nervus.analysis/1"
    # Whoever reports it has where it happened.
    assert "in stumbles" in told.err

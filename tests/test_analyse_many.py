"""Several recordings in one call: one answer a line, and a bad file stops no other."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

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

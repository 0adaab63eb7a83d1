"""The data files, the profiles, and the command's own manners."""

import json
from pathlib import Path

import pytest

from conftest import SAMPLES
from nervus.cli import main
from nervus.domain.errors import ProfileUnusable
from nervus.domain.suspect import SuspectId
from nervus.judge.words import STRETCH_NAMES
from nervus.knowledge import judging, profile_ids, profile_named, read_profile

HEALTHY = str(SAMPLES / "sample-03-healthy-key-off.csv")


def test_all_knowledge_names_its_source_and_every_suspect() -> None:
    table = judging()
    sources = [row.source for row in table.observation] + [leaf.source for leaf in table.fault]
    sources += [test.source for test in table.test] + [table.prior.source]
    assert min(len(source) for source in sources) > 10
    assert all(set(row.chance) == set(SuspectId) for row in table.observation)
    # A test stands beside its caution (the usual cautions of the trade, common practice).
    assert all(test.caution.endswith(".") for test in table.test)
    # What the fault tree names can be drawn on the nerve.
    assert {leaf.stretch for leaf in table.fault} <= set(STRETCH_NAMES)


@pytest.mark.parametrize("profile_id", profile_ids())
def test_each_profile_that_ships_describes_a_throttle(profile_id: str) -> None:
    """Common practice, no published source: 0.3 to 0.9 V closed, 4.1 to 4.7 V open on track 1."""
    profile = profile_named(profile_id)
    first = profile.tracks[0]
    assert 0.3 <= first.closed_window_v[0] < first.closed_v < first.closed_window_v[1] <= 0.9
    assert 4.1 <= first.open_window_v[0] < first.open_v < first.open_window_v[1] <= 4.7
    assert len(profile.provenance) > 20


GOOD = """
id = "mine"
title = "Mine"
kind = "cable"
supply_v = 5.0
disagreement_pct = 3.0
disagreement_s = 0.5
provenance = "measured on the bench"
[[track]]
closed_v = 0.6
open_v = 4.4
closed_window_v = [0.5, 0.7]
open_window_v = [4.3, 4.5]
"""


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("cable", "steam", "steam"),
        ("open_v = 4.4", "open_v = 9.0", "open_v lies outside open_window_v"),
        ("open_v = 4.4", "open_v = 0.6", "does not move between its stops"),
        ("supply_v = 5.0", "supply_v = -5.0", "supply_v"),
        ("[[track]]", "[[trak]]", "trak"),
        ('title = "Mine"', "title = ", "Invalid value"),
    ],
)
def test_a_profile_that_is_none_is_told(old: str, new: str, says: str) -> None:
    assert read_profile(GOOD, "mine.toml").tracks[0].closed_v == 0.6
    with pytest.raises(ProfileUnusable, match=says) as told:
        read_profile(GOOD.replace(old, new), "mine.toml")
    assert str(told.value).startswith("mine.toml: ")


def test_a_profile_gives_the_frame_and_the_relation(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["analyse", HEALTHY, "--json", "--profile", "electronic-half"]) == 0
    answered = json.loads(capsys.readouterr().out)
    assert answered["tracks"] == {"relation": "scaled", "slope": 0.5, "offset_v": 0.0, "learned": False}
    assert main(["analyse", HEALTHY, "--profile", str(tmp_path / "none.toml")]) == 2
    assert "accepted is a .toml file or one of cable-three-wire" in capsys.readouterr().err


def test_the_plain_report_is_short_and_says_what_it_could_not_show(
    capsys: pytest.CaptureFixture[str],
) -> None:
    assert main(["analyse", HEALTHY]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert lines[0].endswith("Nothing wrong shows over the whole travel.")
    assert any("can slip between two samples" in line for line in lines)
    assert len(lines) < 24


def test_the_demo_is_written_as_files_that_are_read_again(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["demo-files", str(tmp_path / "demo")]) == 0
    written = capsys.readouterr().out.split()
    assert len(written) == 8
    assert main(["analyse", written[1]]) == 0
    assert "Almost surely the sensor" in capsys.readouterr().out

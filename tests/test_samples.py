"""The analysis against recordings of another generator, whose truth stands beside them."""

import json
from functools import cache
from pathlib import Path

import jsonschema
import pytest

from conftest import SAMPLES
from nervus.files import answer, answer_schema, read_recording
from nervus.judge.analyse import analyse
from outside import Json, allowed, found, truth_of

ALL = sorted(SAMPLES.glob("*.csv"))


@cache
def answered(path: Path) -> Json:
    return answer(analyse(read_recording(path)))


def by_name(path: Path) -> str:
    return path.stem


@pytest.mark.parametrize("path", ALL, ids=by_name)
def test_what_is_true_is_found(path: Path) -> None:
    truth = truth_of(path)
    missed = [t for t in truth["true_findings"] if not found(t, answered(path)["findings"])]
    assert not missed


@pytest.mark.parametrize("path", ALL, ids=by_name)
def test_nothing_else_is_called_a_fault(path: Path) -> None:
    truth = truth_of(path)
    false = [f["text"] for f in answered(path)["findings"] if not allowed(f, truth)]
    assert not false


@pytest.mark.parametrize("path", ALL, ids=by_name)
def test_the_first_suspect_and_the_locality_are_among_the_right_ones(path: Path) -> None:
    truth = truth_of(path)
    first = answered(path)["suspects"][0]
    assert truth["cause"] is None or first["id"] in truth["cause"]
    assert truth["locality"] is None or answered(path)["locality"]["verdict"] in truth["locality"]


@pytest.mark.parametrize("path", ALL, ids=by_name)
def test_the_travel_that_was_swept_is_reported(path: Path) -> None:
    low, high = truth_of(path)["travel_pct_swept"]
    seen = answered(path)["coverage"]["travel_pct_seen"]
    # Where no stop was reached the frame is the usual range: good to some percent, and said so.
    assert seen[0] == pytest.approx(low, abs=3.0)
    assert seen[1] == pytest.approx(high, abs=5.0)


@pytest.mark.parametrize("path", ALL, ids=by_name)
def test_the_answer_obeys_the_published_schema(path: Path) -> None:
    whole = json.loads(json.dumps(answered(path), allow_nan=False))
    jsonschema.Draft202012Validator(answer_schema()).validate(whole)
    assert sum(s["probability"] for s in whole["suspects"]) == pytest.approx(1.0, abs=1e-9)


def test_a_clean_recording_is_judged_modestly() -> None:
    clean = answered(SAMPLES / "sample-01-healthy-single-track.csv")
    assert 0.6 < clean["suspects"][0]["probability"] < 0.9

"""The stand-in is the same for the same seed, down to its physics: a few figures of each channel.

Source of the figures: the stand-in itself (`fingerprints.py`); what they are right about is checked
elsewhere, against equations and references. Here an unmeant change of any of it is seen.
"""

import json
from collections.abc import Callable
from pathlib import Path

import pytest

import fingerprints
from nervus.standin.demo import CASES as DEMO
from nervus.standin.hard_cases import MAKERS

KEPT: dict[str, fingerprints.Figures] = json.loads(
    (Path(__file__).parent / "data" / "fingerprints.json").read_text(encoding="utf-8")
)


def _kind_and_seed(name: str) -> tuple[str, int]:
    kind, _, seed = name.rpartition(" ")
    return kind, int(seed)


MAKE: dict[str, Callable[[str], dict[str, list[float]]]] = {
    "demo": fingerprints.demo,
    "hard": fingerprints.hard,
    "hard again": lambda name: fingerprints.hard(*_kind_and_seed(name)),
    "run": fingerprints.run,
    "cable": lambda _name: fingerprints.cable(),
    "depot": lambda number: fingerprints.depot(int(number)),
}
CASES = [(kind, name) for kind, cases in KEPT.items() for name in cases]


def test_every_case_has_its_figures() -> None:
    assert set(KEPT["hard"]) == set(MAKERS)
    assert len(KEPT["hard again"]) == len(MAKERS) * len(fingerprints.AGAIN)
    assert set(KEPT["demo"]) == {case.id for case in DEMO}
    assert set(KEPT["run"]) == set(fingerprints.RUNS)


@pytest.mark.parametrize(("kind", "name"), CASES, ids=lambda part: part)
def test_the_same_seed_makes_the_same(kind: str, name: str) -> None:
    made, kept = MAKE[kind](name), KEPT[kind][name]
    assert set(made) == set(kept)
    for channel, figures in kept.items():
        assert made[channel] == pytest.approx(figures, rel=2e-4, abs=2e-4), channel

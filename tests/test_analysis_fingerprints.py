"""What the analysis says of three hundred recordings stays what it is, unless a change was meant.

Source of the figures: the analysis itself (`analysis_fingerprints.py`); whether they are right is
checked elsewhere, against truths by other hands. Here an unmeant change of any of them is seen.
"""

import json

import pytest

import analysis_fingerprints as made

KEPT: dict[str, made.Told] = json.loads(
    (made.DATA / "analysis-fingerprints.json").read_text(encoding="utf-8")
)
EVERY = made.recordings()


def test_every_recording_has_its_figures() -> None:
    assert set(KEPT) == set(EVERY)


@pytest.mark.parametrize("name", sorted(KEPT))
def test_the_same_is_said_as_before(name: str) -> None:
    now, kept = made.told(EVERY[name](), made.against(name)), KEPT[name]
    assert sorted(now) == sorted(kept)
    for key, figures in kept.items():
        assert now[key] == pytest.approx(figures, rel=2e-5, abs=2e-6), key

"""What a meter is expected to show stays what it is, unless a change was meant.

Source of the figures: the program itself (`reading_fingerprints.py`); whether they are right is asked
in `test_harness.py` and `test_circuit.py`, against circuits solved by another hand.
"""

import json

import numpy as np
import pytest

import reading_fingerprints as made

KEPT: dict[str, list[list[float]]] = json.loads(made.KEPT.read_text(encoding="utf-8"))
EVERY = made.asked()


def test_every_reading_has_its_figures() -> None:
    assert set(KEPT) == set(EVERY)
    assert sum(bool(rows) for rows in KEPT.values()) > len(KEPT) / 2


@pytest.mark.parametrize("name", sorted(KEPT))
def test_the_same_is_expected_as_before(name: str) -> None:
    expected = np.asarray(made.expected(*EVERY[name]))
    assert expected == pytest.approx(np.asarray(KEPT[name]), rel=1e-4, abs=1e-6)

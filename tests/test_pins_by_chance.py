"""Tables drawn by chance as the bench draws them: few enough to be run always, many enough to tell."""

import numpy as np
import pytest

from bench_pins import METER, Judge, plug, table
from nervus.pins.solving import solve_plug


def shares(seed: int, *, grounded: bool, signed: bool) -> dict[str, float]:
    random, judge = np.random.default_rng(seed), Judge()
    for _ in range(90):
        volts, ohms = plug(random)
        rows, wrong, times = table(random, volts, ohms, grounded=grounded, signed=signed)
        solved = solve_plug(rows, METER)
        judge.of_readings(solved, wrong, times, "")
        judge.of_pins(solved, volts, ohms, "")
    got = judge.got
    return {
        key: got[f"{key}|yes"] / got[f"{key}|of"]
        for key in ("sound: none accused", "wrong: named", "potential within", "weak: told")
    } | {"firm: told as weak": got["firm: told as weak|yes"] / got["firm: told as weak|of"]}


@pytest.mark.parametrize(
    ("grounded", "signed", "least"),
    [
        # What this seed gives, and no less; the bars over ten thousand tables are the bench's.
        (True, True, (1.0, 1.0, 0.966, 0.916)),
        (True, False, (1.0, 1.0, 0.964, 0.874)),
        (False, True, (1.0, 0.952, 0.966, 0.974)),
        (False, False, (1.0, 0.904, 0.943, 0.949)),
    ],
)
def test_what_is_solved_is_true_and_as_sure_as_it_says(
    *, grounded: bool, signed: bool, least: tuple[float, ...]
) -> None:
    """Sources behind resistances with a meter between two of them (textbook), worked in the bench."""
    got = shares(17, grounded=grounded, signed=signed)
    told = (
        got["sound: none accused"], got["wrong: named"], got["potential within"], got["weak: told"],
    )  # fmt: skip
    assert all(share >= bar for share, bar in zip(told, least, strict=True)), got
    assert got["firm: told as weak"] <= 0.0150

"""Whether drops follow the work: the factor against the beta integral, and what a mark must say."""

from typing import Any

import numpy as np
import pytest
from scipy.special import betainc, betaln, gammaln

from nervus.domain.channel import Mark, Unit
from nervus.domain.finding import Drop, Floor, Shared
from nervus.judge import marks
from nervus.judge.marks import follows_work
from nervus.knowledge import judging

WORDS = frozenset(judging().work.words)


def drops(*at_s: float) -> list[Drop]:
    common: dict[str, Any] = {"confidence": 0.9, "text": "", "marks": (), "at_travel_pct": None}
    return [
        Drop(
            channels=("tps1_v",), times_s=((t, t + 0.02),), level=0.0, unit=Unit.VOLT,
            floor=Floor.GROUND, shared=Shared.SIGNAL, **common,
        )
        for t in at_s
    ]  # fmt: skip


@pytest.mark.parametrize(("close", "of", "share"), [(5, 5, 0.2), (3, 9, 0.25), (0, 4, 0.3), (7, 8, 0.6)])
def test_the_factor_is_that_of_the_beta_integral(close: int, of: int, share: float) -> None:
    """The mean of the binomial over greater shares, by the incomplete beta function (any textbook)."""
    ways = gammaln(of + 1) - gammaln(close + 1) - gammaln(of - close + 1)
    above = np.exp(ways + betaln(close + 1, of - close + 1))
    above *= (1.0 - betainc(close + 1, of - close + 1, share)) / (1.0 - share)
    same = np.exp(ways) * share**close * (1.0 - share) ** (of - close)
    assert marks._factor(close, of, share) == pytest.approx(above / same, rel=1e-3)


def test_time_near_marks_is_counted_once() -> None:
    assert marks._share_near([10.0, 20.0], 60.0) == pytest.approx(6.0 / 60.0)
    assert marks._share_near([10.0, 11.0], 60.0) == pytest.approx(4.0 / 60.0)
    assert marks._share_near([1.0, 2.0, 3.0], 4.0) == 1.0
    assert marks._share_near([40.0, 50.0], 100.0) == pytest.approx(6.0 / 100.0)


@pytest.mark.parametrize(
    ("text", "said"), [("shake, plug", True), ("Wiggled the HARNESS", True), ("engine started", False)]
)
def test_only_marks_of_work_at_the_harness_count(text: str, said: bool) -> None:  # noqa: FBT001
    made = [Mark(10.0 * n, text) for n in range(1, 7)]
    assert follows_work(drops(*(10.0 * n + 0.3 for n in range(1, 7))), made, 70.0, WORDS) is said


def test_one_burst_is_one_answer() -> None:
    """Thirty openings within a second near one of six marks are one event, which proves nothing."""
    made = [Mark(10.0 * n, "shake") for n in range(1, 7)]
    burst = [20.0 + 0.03 * n for n in range(30)]
    assert not follows_work(drops(*burst), made, 70.0, WORDS)
    assert not follows_work([], made, 70.0, WORDS)

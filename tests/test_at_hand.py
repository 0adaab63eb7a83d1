"""Parts that are ordered ahead, go back unused, or have to be fetched."""

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace as with_prices

from jobs import ELECTRONIC, Written
from nervus.domain.judgement import JobJudgement, School
from nervus.files.judgement_answer import judgement_report
from nervus.judge.at_hand import handling
from nervus.judge.costs import expected_cost, workshop_for
from nervus.judge.job_words import at_hand_words
from nervus.judge.of_job import judge_job
from nervus.knowledge.own_prices import AS_SHIPPED, OwnRow, read_own_prices, write_own_prices
from nervus.knowledge.tree import tree_for


@pytest.mark.parametrize("order", ["proposed", "cheapest_first", "likeliest_first"])
def test_each_repair_is_come_to_as_often_as_in_cases_that_are_played(order: str) -> None:
    """Checked by playing 40 000 cases: a fault by its chance, each repair by what it cures."""
    random = np.random.default_rng(11)
    shop, tree = workshop_for(ELECTRONIC), tree_for(ELECTRONIC)
    chance = random.dirichlet(np.full(len(tree.faults), 0.2))
    way = expected_cost(chance, shop, order)
    faults = random.choice(len(chance), 40_000, p=chance)
    there = np.ones(faults.size, dtype=bool)
    for step in way.order:
        assert way.needs[step] == pytest.approx(there.mean(), abs=0.01)
        there &= random.random(faults.size) >= shop.cures[step, faults]
    done = set(way.order)
    assert all(n == 0.0 for i, n in enumerate(way.needs) if i not in done)


def _proposed(judged: JobJudgement) -> School:
    return next(s for s in judged.schools if s.id == "proposed")


def test_a_part_is_worth_having_where_fetching_it_costs_more_than_taking_it_back() -> None:
    """Source: the critical ratio (Arrow, Harris, Marschak, Econometrica 19 (1951) 250), one piece."""
    shop, tree = workshop_for(ELECTRONIC), tree_for(ELECTRONIC)
    chance = np.where(
        tree.of("worn_track_1"), 4.0, np.where(tree.of("plug_contact", "sticks"), 0.1, 0.0)
    )
    way = expected_cost(chance / chance.sum(), shop)
    cost, minutes, money, parts = handling(way, shop)
    assert parts
    by_hand, table = 0.0, shop.table
    for part in parts:
        repair = next(r for r in shop.repairs if r.id == part.id)
        assert part.returned == pytest.approx(0.15 * repair.money)
        assert part.fetched == pytest.approx(table.minute * 40.0)
        ahead, later = (1.0 - part.fitted) * part.returned, part.fitted * part.fetched
        assert part.at_hand is (later > ahead)
        by_hand += min(ahead, later)
    assert cost == pytest.approx(by_hand)
    assert money + table.minute * minutes == pytest.approx(cost)
    assert [p.fitted for p in parts] == sorted((p.fitted for p in parts), reverse=True)


def test_what_a_workshop_pays_for_it_decides_and_is_kept(tmp_path: Path) -> None:
    job = Written(ELECTRONIC).told("stumble", when=("place",)).codes("P0121", "P2135").job
    dear = with_prices(AS_SHIPPED, unused_back=0.0, fetch_minutes=1.0, repair=(
        OwnRow(id="renew_cover_sensor", money=4000.0), OwnRow(id="renew_body", money=9000.0),
    ))  # fmt: skip
    write_own_prices(dear, tmp_path / "own.toml")
    assert read_own_prices(tmp_path / "own.toml") == dear
    near = with_prices(AS_SHIPPED, unused_back=1.0, fetch_minutes=200.0)
    assert all(p.at_hand for p in _proposed(judge_job(job, near)).parts)
    assert not any(p.at_hand for p in _proposed(judge_job(job, dear)).parts if p.fitted < 0.9)
    # What it takes is in the sums of each way.
    assert _proposed(judge_job(job, dear)).cost > _proposed(judge_job(job)).cost


def test_parts_are_named_with_what_either_way_costs() -> None:
    job = Written(ELECTRONIC).told("stumble", when=("place",)).codes("P0121", "P2135").job
    judged = judge_job(job)
    words = at_hand_words(judged.schools)
    assert words.startswith("Worth having at hand: renew the sensor in the throttle body's cover")
    assert "14 to return, 44 to fetch" in words
    assert words in judgement_report(job, judged)
    assert at_hand_words(()) == ""

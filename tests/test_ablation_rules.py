"""What the ablation bench takes out is there: a rule that was renamed would end it in the middle."""

import pkgutil

import pytest

from bench_ablation import RULES


@pytest.mark.parametrize("rule", RULES)
def test_each_rule_is_where_it_is_called_from(rule: str) -> None:
    where, name, _ = RULES[rule]
    assert callable(getattr(pkgutil.resolve_name(f"nervus.signal.{where}"), name))

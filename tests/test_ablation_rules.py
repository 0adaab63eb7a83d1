"""What the ablation bench takes out is there: a rule that was renamed would end it in the middle."""

import pkgutil
from inspect import Parameter, signature

import pytest

from bench_ablation import RULES


@pytest.mark.parametrize("rule", RULES)
def test_each_rule_is_where_it_is_called_from(rule: str) -> None:
    """And what stands in for it takes what it is told by name."""
    where, name, instead = RULES[rule]
    real = getattr(pkgutil.resolve_name(f"nervus.signal.{where}"), name)
    assert callable(real)
    taken = signature(instead).parameters.values()
    if not any(p.kind is Parameter.VAR_KEYWORD for p in taken):
        told = {p.name for p in signature(real).parameters.values() if p.kind is Parameter.KEYWORD_ONLY}
        assert told <= {p.name for p in taken}

"""Which parts to have at hand before they are known to be needed.

A part ordered ahead and not fitted goes back at a loss; one that is needed and is not there has to be
fetched. With a chance f of being fitted it pays to have it where f · fetched > (1 - f) · returned: the
critical ratio of an order for one period (K. J. Arrow, T. Harris, J. Marschak, "Optimal inventory
policy", Econometrica 19 (1951) 250-272), for one piece.
"""

from nervus.domain.judgement import PartNeeded
from nervus.judge.costs import Expected, Workshop

# A part that is hardly ever come to is not named. Source: none, what a reader bears.
_NAMED = 0.02


def handling(way: Expected, shop: Workshop) -> tuple[float, float, float, tuple[PartNeeded, ...]]:
    """What the parts of a way cost besides their price: in all, in minutes, in money; and the parts.

    Args:
        way: with the chance that each repair is come to.
        shop: what can be done, and what it costs.
    """
    table = shop.table
    cost, minutes, money, parts = 0.0, 0.0, 0.0, []
    for repair, needed in zip(shop.repairs, way.needs, strict=True):
        if not repair.part or needed < _NAMED:
            continue
        fitted = min(1.0, float(needed))
        returned = (1.0 - table.unused_back) * repair.money
        fetched = table.minute * table.fetch_minutes
        at_hand = fitted * fetched > (1.0 - fitted) * returned
        cost += min(fitted * fetched, (1.0 - fitted) * returned)
        minutes += 0.0 if at_hand else fitted * table.fetch_minutes
        money += (1.0 - fitted) * returned if at_hand else 0.0
        parts.append(PartNeeded(repair.id, repair.text, fitted, at_hand, returned, fetched))
    parts.sort(key=lambda p: (-p.fitted, p.id))
    return cost, minutes, money, tuple(parts)

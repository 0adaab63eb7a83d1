"""What a job cost, beside what each way of going about it would have been expected to cost."""

from dataclasses import dataclass

from nervus.domain.job import Cost, Job, of_kind
from nervus.domain.judgement import JobJudgement
from nervus.judge.words import SCHOOL_NAMES
from nervus.knowledge.own_prices import OwnPrices, repairs_of
from nervus.language import figures, say


@dataclass(frozen=True, slots=True)
class Spent:
    """What was spent in all: minutes of work, money for parts, and both in money."""

    minutes: float
    money: float
    whole: float


def spent(job: Job, own: OwnPrices) -> Spent | None:
    """The sum of a job's costs; `None` where none were written down."""
    costs = of_kind(job.entries, Cost)
    if not costs:
        return None
    minutes, money = sum(c.minutes for c in costs), sum(c.money for c in costs)
    return Spent(minutes, money, money + minutes * repairs_of(own).minute)


def in_money(amount: float, own: OwnPrices) -> str:
    """An amount as the workshop writes money."""
    told = figures("{amount:_.2f} {currency}", amount=amount, currency=own.currency)
    return told.replace("_", "\N{NARROW NO-BREAK SPACE}").strip()


def school_rows(judged: JobJudgement, own: OwnPrices) -> tuple[tuple[str, ...], ...]:
    """Each way: minutes, money for parts, cost in all with its spread, parts in vain, come-backs."""
    return tuple(
        (
            SCHOOL_NAMES.get(s.id, s.id),
            figures("{minutes:.0f}", minutes=s.minutes),
            in_money(s.money, own),
            figures("{in_money} ± {spread:.0f}", in_money=in_money(s.cost, own), spread=s.spread),
            figures("{parts_in_vain:.2f}", parts_in_vain=s.parts_in_vain),
            say("{come_backs:.0f} in 100", come_backs=100 * s.come_backs),
        )
        for s in judged.schools
    )

"""A measured value as it was typed, as an entry of a job."""

from nervus.domain.job import Reading, Source, new_id, now
from nervus.domain.quantity import read_quantity


def reading(text: str) -> Reading:
    """A measured value as it was typed.

    Raises:
        QuantityUnreadable: it is none.
    """
    found = read_quantity(text)
    return Reading(
        id=new_id(),
        at=now(),
        source=Source.TYPED,
        where=found.where[:200],
        value=found.value,
        unit=found.unit,
    )

"""Setting an adjustable sensor, and work that is guided step by step: what is kept of them in a job."""

from typing import Annotated

from msgspec import Meta, field

from nervus.domain.entry import Entry, Instant, Name, Words

Volts = Annotated[float, Meta(ge=-1.0, le=60.0)]


class Setting(Entry, frozen=True, kw_only=True, tag="setting"):
    """One setting of a sensor, from the old one to the new; what is not known yet is `None`.

    Attributes:
        target_v: lowest and highest volts wanted at the closed stop, at `nominal_v`.
        nominal_v: the supply that the target is meant for.
        supply_v: the supply that was measured.
        proof: what showed that the sensor, and not the plate, was off; in words, "" for nothing.
        old_closed_v, old_open_v: as found.
        degrees_span: how far the plate turns from stop to stop.
        reached_v: at the closed stop, as far as the slot lets the sensor turn.
        slot_radius_mm: from the shaft to the middle of the slot.
        loose_v: at the closed stop before the screws were tightened.
        closed_v, open_v: after they were tightened.
        shown_open: what the unit shows wide open, in percent as it was read; "-" where it can't be.
        swept: whether a slow sweep rose without a step back; `None` while nobody swept.
        is_set: whether all that is asked for was seen, and it counts as set.
    """

    target_v: tuple[Volts, Volts]
    nominal_v: Volts = 5.0
    supply_v: Volts | None = None
    proof: Words = ""
    old_closed_v: Volts | None = None
    old_open_v: Volts | None = None
    degrees_span: Annotated[float, Meta(gt=0.0, le=180.0)] | None = None
    reached_v: Volts | None = None
    slot_radius_mm: Annotated[float, Meta(gt=0.0, le=200.0)] | None = None
    loose_v: Volts | None = None
    closed_v: Volts | None = None
    open_v: Volts | None = None
    shown_open: Name = ""
    swept: bool | None = None
    is_set: bool = False


class Guided(Entry, frozen=True, kw_only=True, tag="guided"):
    """A piece of work that is guided by steps.

    Attributes:
        guide: which, by its name in the knowledge.
        done: for each step that was done, what was seen or said.
        waits: for each step that waits, since when.
    """

    guide: Name
    done: dict[Name, Words] = field(default_factory=dict)
    waits: dict[Name, Instant] = field(default_factory=dict)

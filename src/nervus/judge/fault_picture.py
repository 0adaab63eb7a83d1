"""The fault that readings at pins fit best, as the circuit's picture draws it."""

from typing import Final

import numpy as np

from nervus.domain.analysis import CircuitExplanation, NodeReading
from nervus.domain.job import Job
from nervus.domain.plug import PinRole, PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.judge.expected_readings import would_read
from nervus.judge.next_pair import FittingFault, PinFaults
from nervus.judge.plug_state import plug_state
from nervus.judge.reading_words import Measured
from nervus.judge.words import natural_frequency
from nervus.knowledge.tree import tree_for
from nervus.language import say
from nervus.pins.situation import Situation

# From this chance on a fault is drawn; so many are named.
_DRAWN, _NAMED = 0.2, 3
_NODES: Final = {
    "supply": ("supply", PinRole.SUPPLY),
    "ground": ("return", PinRole.GROUND),
    "signal1": ("signal1", PinRole.SIGNAL_1),
    "signal2": ("signal2", PinRole.SIGNAL_2),
}
_CLOSED: Final = Situation("key on", "plug on", "throttle closed")


def picture_of(faults: PinFaults, job: Job) -> CircuitExplanation | None:
    """What is drawn; `None` where the readings point at no place in the circuit."""
    named = [f for f in faults.fitting if f.id != "nothing"]
    if not faults.readings or not named or named[0].chance < _DRAWN:
        return None
    first, throttle = named[0], job.vehicle.throttle
    at = _part(first)
    if not at:
        return None
    told = tuple(
        f"{f.text} ({natural_frequency(f.chance)})" for f in named[:_NAMED] if f.chance >= _DRAWN / 2
    )
    return CircuitExplanation(
        findings=(),
        tracks=1 if throttle is ThrottleKind.CABLE else 2,
        faults=told,
        at=(at,),
        travel_pct=0.0,
        nodes=_nodes(first, job),
        text=say("The readings fit {told}.", told=told[0]),
    )


def _part(fault: FittingFault) -> str:
    """The part of the picture where a fault sits, "" where it is in none."""
    line = fault.line.replace(" ", "")
    if line.startswith("track"):
        return f"wiper{line[-1]}"
    if line in ("supply", "ground"):
        return f"{line}_plug" if fault.stretch == "sensor_plug" else line
    if line.startswith("signal"):
        return f"plug_{line}" if fault.stretch == "sensor_plug" else line
    return ""


def _nodes(fault: FittingFault, job: Job) -> tuple[NodeReading, ...]:
    throttle = job.vehicle.throttle
    row = [f.id for f in tree_for(throttle).faults].index(fault.id)
    state = plug_state(job, PlugEnd.SENSOR, _CLOSED)
    found = []
    for line, (node, role) in _NODES.items():
        asked = Measured(
            line, pedal=False, place="sensor_plug", states=frozenset({"closed"}), unit="V", value=0.0
        )
        would = would_read(asked, throttle)
        if would is None:
            continue
        pin = state.face.of_role(role) if state.face is not None else None
        solved = state.solved.pins.get(pin.label) if pin is not None else None
        found.append(
            NodeReading(
                node,
                float(np.median(would.sound)),
                float(np.median(would.faulty[row])),
                solved.volts if solved is not None and state.solved.against_battery else None,
            )
        )
    return tuple(found)

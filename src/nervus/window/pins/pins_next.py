"""Where probes go next: what a proposal asks for, and what a pin is called on the way there."""

from nervus.domain.plug import Face, PinRole, PlugEnd
from nervus.judge.next_pair import Proposed
from nervus.language import figures, say
from nervus.pins.situation import Situation, situation_of
from nervus.pins.taken import BATTERY

# A resistance above this is an open line, ohms.
_OPEN_OHMS = 1e6
# What a proposal along one line says of its conditions.
_ALONG = "plug to plug"


def fits(proposed: Proposed, now: Situation) -> bool:
    """Whether a proposal can be measured as it is now."""
    said = situation_of(proposed.conditions)
    pairs = ((said.key, now.key), (said.plug, now.plug), (said.throttle, now.throttle))
    return all(not wanted or wanted == there for wanted, there in pairs)


def situation_for(proposed: Proposed, now: Situation) -> Situation:
    """The conditions that a proposal wants, what it says nothing of as it is now."""
    said = situation_of(proposed.conditions)
    for word in (said.key, said.plug, said.throttle):
        now = now.with_word(word) if word else now
    return now


def is_along(proposed: Proposed) -> bool:
    """Whether it is measured along one line, one probe in each plug."""
    return _ALONG in proposed.conditions


def expected_words(proposed: Proposed) -> str:
    """What would be read there with either fault."""
    expected = "; ".join(f"{words} {_valued(v, proposed.unit)}" for words, v in proposed.expected)
    return say("Expected: {expected}.", expected=expected)


def going_words(proposed: Proposed) -> str:
    """Where it is to be measured, for who is elsewhere."""
    return say(
        "{red} to {other}, {conditions}, at the {plug}: Enter goes there",
        red=proposed.red,
        other=proposed.black.value if proposed.black is not None else say("battery negative"),
        conditions=proposed.conditions,
        plug=proposed.plug,
    )


def role_of(face: Face | None, label: str) -> PinRole:
    """What a pin is drawn as."""
    pin = face.pin(label) if face is not None else None
    return pin.role if pin is not None else PinRole.UNKNOWN


def label_of(face: Face | None, role: PinRole | None) -> str | None:
    """The pin of a role, of none battery negative; `None` where it is not drawn."""
    if role is None:
        return BATTERY
    pin = face.of_role(role) if face is not None else None
    return pin.label if pin is not None else None


def line_of(plug: PlugEnd, label: str) -> str:
    """A pin as the simulated meter's probes know it."""
    if label == BATTERY:
        return "battery-"
    end = {PlugEnd.SENSOR: "sensor", PlugEnd.UNIT: "unit"}.get(plug, "")
    return f"{end}.{label}"


def _valued(value: float, unit: str) -> str:
    if unit == "V":
        return figures("{value:.2f} V", value=round(value, 2) + 0.0)
    return say("open") if value > _OPEN_OHMS else figures("{value:.3g} Ω", value=value)

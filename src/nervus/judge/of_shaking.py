"""A wiggle test as an observation: where it let go under the hand, and where it was steady."""

from collections.abc import Callable, Sequence

import numpy as np

from nervus.domain.channel import ChannelKind, FloatArray, Sensor, Unit, tracks_in
from nervus.domain.job import AnyEntry, Job, Shaken, of_kind
from nervus.judge.shaking import Known, chance_seen, place_title
from nervus.judge.weighing import Evidence
from nervus.knowledge.tree import Tree, known_shaking
from nervus.knowledge.tree_shapes import Fault
from nervus.language import say

# How often a wiggle test is done badly and says nothing. Source: "from memory".
_SLIP = 0.05
# Places in the order of the way: what is next to each other pulls at each other.
_WAY = ("tracks", "sensor_plug", "harness", "unit_plug")
# So seldom a fault lets go of other lines than its own, or not of all of them. Source: "from memory".
_OTHER_LINES = 0.05
# Which track shows what a line of its own does.
_SHOWN_BY = {
    f"{of}{line} {number}": (sensor, number)
    for of, sensor in (("", Sensor.THROTTLE), ("pedal ", Sensor.PEDAL))
    for line in ("track", "signal")
    for number in (1, 2)
}


def of_shaking(job: Job, tree: Tree, after: Callable[[AnyEntry], int]) -> list[Evidence]:
    """What all places that were shaken show together, one observation for each state of the vehicle."""
    counted = [(s, after(s)) for s in of_kind(job.entries, Shaken) if s.seconds > 0.0]
    found: list[Evidence] = []
    known = Known()
    for count in sorted({c for _, c in counted}):
        own = [s for s, c in counted if c == count]
        shown = np.ones(len(tree.faults))
        any_drop = np.ones(len(tree.faults))
        for shaken in own:
            drops = _drops(shaken, tree, known)
            shown = shown * (drops * _of_lines(shaken, tree) if shaken.drops else 1.0 - drops)
            any_drop = any_drop * (1.0 - drops)
        sound = float(np.prod([_sound(s) for s in own]))
        if any(s.drops and s.recording for s in own):
            # That it let go at all is told by the recording; here only where.
            shown = shown / np.maximum(1.0 - any_drop, 1e-9)
            sound /= max(1.0 - (1.0 - known_shaking().wrongly) ** len(own), 1e-9)
        ids = tuple(s.id for s in own)
        found.append(
            Evidence(_text(own, count), known_shaking().source, ids, shown, sound, _SLIP, count)
        )
        most = max((s for s in own if s.drops), key=lambda s: s.drops / s.seconds, default=None)
        known = Known(most.drops, most.seconds) if most is not None else known
    return found


def _drops(shaken: Shaken, tree: Tree, known: Known) -> FloatArray:
    """The chance that a signal is seen to let go under the hand, with each fault, shape (F,)."""
    table = known_shaking()
    at_hand = np.asarray([_reach(f.stretch, shaken.place) for f in tree.faults])
    visible = np.asarray([_is_seen(f, shaken.channels) for f in tree.faults])
    seen = chance_seen(shaken.seconds, shaken.caught, known)
    hand = tree.row(table.answers) * at_hand * visible * seen
    itself = 1.0 - np.exp(-shaken.seconds * shaken.caught / table.by_itself_s)
    alone = itself * (1.0 - tree.always) * visible * (tree.row(table.answers) > 0.0)
    both = 1.0 - (1.0 - hand) * (1.0 - alone) * (1.0 - table.wrongly)
    return np.where(tree.sound, table.wrongly, both)


def _of_lines(shaken: Shaken, tree: Tree) -> FloatArray:
    """How well those that let go are those that each fault lets go, shape (F,)."""
    if not shaken.let_go:
        return np.ones(len(tree.faults))
    watched, gone = tracks_in(shaken.channels), tracks_in(shaken.let_go)
    fits = []
    for fault in tree.faults:
        expected = [k for k in watched if _shows(k, fault)]
        others = not all(_shows(k, fault) for k in gone)
        in_volts = {k.number for k in expected if k.unit is Unit.VOLT}
        whole = all(k in gone for k in expected if k.unit is Unit.VOLT or k.number not in in_volts)
        fits.append(1.0 if expected and whole and not others else _OTHER_LINES)
    return np.asarray(fits)


def _sound(shaken: Shaken) -> float:
    wrongly = known_shaking().wrongly
    return wrongly if shaken.drops else 1.0 - wrongly


def _reach(stretch: str, place: str) -> float:
    """The share of what answers at its own place that answers when another one is shaken."""
    if stretch == place:
        return 1.0
    if stretch in _WAY and place in _WAY and abs(_WAY.index(stretch) - _WAY.index(place)) == 1:
        return known_shaking().near
    return 0.0


def _is_seen(fault: Fault, channels: Sequence[str]) -> bool:
    """Whether any of the channels that were watched shows what a fault does to its line."""
    if not channels:
        return True  # by ear or by a meter: whoever wrote it down knows what was watched
    return any(_shows(kind, fault) for kind in tracks_in(channels))


def _shows(track: ChannelKind, fault: Fault) -> bool:
    """Whether a track shows what a fault does: one of its own line, or one that all tracks share."""
    shared = Sensor.PEDAL if fault.stretch == "pedal" else Sensor.THROTTLE
    sensor, number = _SHOWN_BY.get(fault.line, (shared, 0))
    return track.sensor is sensor and number in (0, track.number)


def _text(own: Sequence[Shaken], count: int) -> str:
    answered = [s for s in own if s.drops]
    steady = [place_title(s.place) for s in own if not s.drops]
    parts = [
        say("let go {drops} times at {place_title}", drops=s.drops, place_title=place_title(s.place))
        for s in answered
    ]
    parts += [say("steady at {join}", join=", ".join(dict.fromkeys(steady)))] if steady else []
    when = say(" after the change") if count else ""
    return say("shaken{when}: {join}", when=when, join="; ".join(parts))

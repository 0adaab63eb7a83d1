"""Recordings as observations: what one shows of each fault, and what a clean one could have shown.

A recording shows its fault or it does not; how probable that is depends on the fault and on what the
recording swept. Where it shows it, of each cause one row is seen, or none.
"""

from collections.abc import Sequence
from dataclasses import replace
from functools import cache

import numpy as np
from msgspec import structs

from nervus.domain.channel import FloatArray, Sensor, tracks_in
from nervus.domain.job import Findings, KeptObservation, Recorded
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.judge.verdict import likelihoods
from nervus.judge.weighing import Evidence
from nervus.judge.words import OF_PEDAL, observation_told
from nervus.knowledge import Likelihood, judging
from nervus.knowledge.counted import counted_rows
from nervus.knowledge.tree import Tree, recording_chances, tree_for
from nervus.language import say

# How often what a recording shows is of something else. Source: "from memory".
_SLIP = 0.04
_LEVELS = "the levels "
_CLEAN = ("clean_whole", "clean_part", "clean_still")
# A recording says something of these causes only where it holds what they are seen in.
_NEEDS = {
    "command": ("throttle_cmd_pct",),
    "rest": ("rpm",),
    "idle": ("rpm",),
    "supply": ("vref_v", "sgnd_v"),
    "battery": ("batt_v",),
    "pair": ("tps2_v", "tps2_pct"),
}
# How much of the weight lies on the track, or the line, that the findings are about.
_OF_TRACK = 0.95
_LEAST = 0.001


def of_recording(
    found: Findings, recording: Recorded, tree: Tree, throttle: ThrottleKind | None, after: int
) -> list[Evidence]:
    """What a recording's findings, as they were kept, are worth: for each fault that it shows."""
    return [_of_cause(f, recording, tree, throttle, after) for f in _each_cause(found)]


def _each_cause(found: Findings) -> list[Findings]:
    """The findings once for each fault that must be there by itself, with what is of it alone."""
    told = {s for cause in found.causes for s in cause.says}
    if len(found.causes) < 2 or told != {o.says for o in found.observations}:
        return [found]
    return [
        structs.replace(
            found,
            observations=tuple(o for o in found.observations if o.says in cause.says),
            tracks=cause.tracks,
            feeds=cause.feeds,
        )
        for cause in found.causes
    ]


def _of_cause(
    found: Findings, recording: Recorded, tree: Tree, throttle: ThrottleKind | None, after: int
) -> Evidence:
    rows = _rows(found.observations)
    shows = _shows(tree, {name for _, name, _, _ in rows})
    with_it, without = _where_it_shows(rows, recording, tree, throttle)
    with_it = with_it * _of_lines(found, rows, tree)
    shown = shows * with_it + (1.0 - shows) * without
    shown = shown * _as_the_suspects(found.observations, shown, tree)
    sound = tree.of("nothing")
    as_sound = float(shown[sound].mean())
    says = (
        "; ".join(dict.fromkeys(observation_told(o.says) for o in found.observations)) or found.headline
    )
    text = say("recorded: {says}", says=says)
    entries = (recording.id, found.id)
    return Evidence(text, recording_chances().source, entries, shown, as_sound, 0.0, after)


def mislead_together(evidence: Sequence[Evidence], tree: Tree) -> list[Evidence]:
    """Recordings, of which what misleads one misleads all that were made in the same way.

    That each shows the same is worth less than so many independent ones: with the chance of a slip none
    of them says anything of the fault. Each gets the factor that it adds to those before it.
    """
    told = []
    so_far: dict[int, tuple[FloatArray, float, FloatArray, float]] = {}
    for one in evidence:
        mean = max(float(tree.prior @ one.shown), _LEAST * _LEAST)
        nothing = (np.ones(one.shown.size), 1.0, np.ones(one.shown.size), 1.0)
        shown, sound, before, sound_before = so_far.get(one.after, nothing)
        shown, sound = shown * one.shown / mean, sound * one.sound / mean
        now, sound_now = (1.0 - _SLIP) * shown + _SLIP, (1.0 - _SLIP) * sound + _SLIP
        told.append(replace(one, shown=now / before, sound=sound_now / sound_before))
        so_far[one.after] = (shown, sound, now, sound_now)
    return told


def _as_the_suspects(kept: tuple[KeptObservation, ...], shown: FloatArray, tree: Tree) -> FloatArray:
    """What makes the faults of each suspect together as probable as the kept chances say, shape (F,).

    Those were set and measured on recordings made by another hand; which fault of a suspect it is, the
    tables of single faults say.
    """
    factor = np.ones(len(tree.faults))
    if all(_ids().get(o.says, "") in _CLEAN for o in kept):
        return factor  # what a recording of each fault could have shown is known fault by fault
    wanted = likelihoods(tuple((o.confidence, _row_of(o)) for o in kept))
    for suspect, chance in wanted.items():
        own = tree.of(suspect.value)
        if own.any():
            mean = float(tree.prior[own] @ shown[own] / tree.prior[own].sum())
            factor[own] = chance / max(mean, 1e-12)
    return factor


def _row_of(kept: KeptObservation) -> Likelihood:
    chance = {s: max(kept.chance.get(s, _LEAST), _LEAST) for s in SuspectId}
    return Likelihood(id=kept.cause, says=kept.says, cause=kept.cause, source=kept.source, chance=chance)


Row = tuple[bool, str, float, KeptObservation]
"""Whether it is of the pedal, its row in `judging.toml` ("" if strange), how sure, and as kept."""


def _rows(kept: tuple[KeptObservation, ...]) -> list[Row]:
    rows = []
    for one in kept:
        pedal = one.says.startswith(OF_PEDAL)
        says = one.says.removeprefix(OF_PEDAL)
        name = _ids().get(says, "")
        if not name and says.startswith(_LEVELS):
            name = row_of_levels(says)
        rows.append((pedal, name, one.confidence, one))
    return rows


@cache
def _ids() -> dict[str, str]:
    return {row.says: row.id for row in judging().observation}


def row_of_levels(says: str) -> str:
    """The row that levels, told by the circuit's solution, are most like."""
    if "no single fault" in says:
        return "drop_one_between"
    return "drop_all_tracks" if "supply" in says or "ground" in says else "drop_one_rail"


def _shows(tree: Tree, names: set[str]) -> FloatArray:
    """The chance that the recording shows each fault, by what it swept, shape (F,)."""
    table = recording_chances()
    chance = tree.row(table.shows)
    placed = tree.of(*table.placed)
    for clean, left in (("clean_part", table.swept_part), ("clean_still", table.hardly_moved)):
        if clean in names:
            chance = chance * np.where(placed, left[0], left[1])
    return chance


@cache
def _chances(throttle: ThrottleKind | None, *, pedal: bool) -> dict[str, FloatArray]:
    tree, table = tree_for(throttle), recording_chances()
    rows = {n: tree.row(r).copy() for n, r in (table.pedal if pedal else table.seen).items()}
    if not pedal:
        counted_rows(throttle, tree, rows)
    return rows


def _where_it_shows(
    rows: list[Row], recording: Recorded, tree: Tree, throttle: ThrottleKind | None
) -> tuple[FloatArray, float]:
    """Chance of the rows, and of no others, where each fault shows, (F,), and where none does."""
    mistake = recording_chances().mistake
    cause_of = {row.id: row.cause for row in judging().observation}
    with_it, without = np.ones(len(tree.faults)), 1.0
    for pedal in (False, True):
        chances = _chances(throttle, pedal=pedal)
        seen = [r for r in rows if r[0] is pedal and r[1] not in _CLEAN]
        for cause in dict.fromkeys(cause_of[name] for name in chances):
            of_cause = [name for name in chances if cause_of[name] == cause]
            none = np.clip(1.0 - sum(chances[n] for n in of_cause), 0.08, 1.0)
            told = [(n, sure) for _, n, sure, _ in seen if n in of_cause]
            if told:
                name, sure = max(told, key=lambda row: row[1])
                with_it = with_it * (sure * chances[name] + (1.0 - sure) * none)
                without *= sure * mistake + (1.0 - sure)
            elif _could_show(cause, recording, pedal=pedal):
                with_it = with_it * none
    return with_it, without


def _could_show(cause: str, recording: Recorded, *, pedal: bool) -> bool:
    """Whether a recording of these channels would show such a row."""
    if not recording.channels:
        return False
    of = {kind.sensor for kind in tracks_in(recording.channels)}
    if pedal:
        return Sensor.PEDAL in of
    if cause not in _NEEDS:
        return Sensor.THROTTLE in of or "throttle_pct" in recording.channels
    return any(c in recording.channels for c in _NEEDS[cause])


def _of_lines(found: Findings, rows: list[Row], tree: Tree) -> FloatArray:
    """How well the lines that the findings are about are those of each fault, (F,)."""
    factor = np.ones(len(tree.faults))
    if all(row[1] in _CLEAN or row[0] for row in rows):
        return factor
    if found.tracks and tree.of("of_track_2").any():
        for number in (1, 2):
            factor[tree.of(f"of_track_{number}")] *= _of_share(found.tracks.get(number, 0.0))
    for line, share in found.feeds.items():
        factor[[f.line == line for f in tree.faults]] *= _of_share(share)
    return factor


def _of_share(share: float) -> float:
    """How much likelier a line is to be the one that so much of the weight lies on."""
    return 2.0 * (1.0 - _OF_TRACK + (2.0 * _OF_TRACK - 1.0) * share)

"""Recordings in ASAM MDF (measurement data format), versions 3 and 4, through the reference library."""

import re
import traceback
from dataclasses import dataclass, field
from io import BufferedReader
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, OTHER, Channel, ChannelKind, Recording, other_kind
from nervus.domain.errors import OutsideError, Place, RecordingUnusable
from nervus.knowledge.columns import conversion, named_as, unit_written
from nervus.language import say
from nervus.tables.mapping import MOST_OTHERS
from nervus.tables.wishes import Question, RecordingQuestioned, Wish, first_names

if TYPE_CHECKING:
    from asammdf import MDF

_MAGIC = re.compile(rb"^(MDF|UnFinMF) ")
_ACCEPTED = say("accepted is MDF with channels whose names say throttle, pedal, supply or engine")
_MOST_CHANNELS = 10_000
_AS_IT_IS = Wish()


def is_mdf(path: Path) -> bool:
    """Whether a file begins as such a file does."""
    try:
        with path.open("rb") as file:
            return _MAGIC.match(file.read(8)) is not None
    except OSError:
        return False


@dataclass(frozen=True, slots=True, eq=False)
class Held:
    """What such a file holds.

    Attributes:
        recording: its channels that are ours and what else moves beside, `None` where none is ours.
        remarks: what was taken for what and what was left out, as sentences.
        has_traffic: whether frames of a bus are logged in it.
        names: of each of our channels, as it is called in the file.
    """

    recording: Recording | None
    remarks: tuple[str, ...]
    has_traffic: bool
    names: dict[str, str] = field(default_factory=dict)


def read_mdf(path: Path, wish: Wish = _AS_IT_IS) -> Held:
    """Each channel of the file that can be one of ours, by its name and unit or as was wished.

    Raises:
        RecordingQuestioned: a channel's name is but a guess.
        RecordingUnusable: it is damaged, or no channel is one of ours.
        OutsideError: what was wished names a channel that is not there.
    """
    import logging  # noqa: PLC0415 - only here

    # The library tells each of a damaged file's flaws on its own log; ours is one sentence.
    logging.getLogger("asammdf").setLevel(logging.CRITICAL)
    try:
        # Handed over open, so that it is closed whatever becomes of the library's object.
        with path.open("rb") as file:
            found = _read(path, file, wish)
    except OSError as wrong:
        raise RecordingUnusable(
            Place(path.name),
            say("the file can't be read ({strerror})", strerror=wrong.strerror),
            _ACCEPTED,
        ) from wrong
    if found.questions and not wish.agreed:
        raise RecordingQuestioned(path, found.questions)
    if not found.channels:
        if found.has_traffic:
            return Held(None, (), has_traffic=True)
        raise RecordingUnusable(Place(path.name), say("no channel in it is one of ours"), _ACCEPTED)
    start = min(float(c.time_s[0]) for c in found.channels.values())
    held = (*found.channels.values(), *found.others)
    moved = tuple(Channel(c.kind, c.time_s - start, c.values) for c in held)
    recording = Recording(moved, (), path.name)
    return Held(recording, tuple(found.remarks), found.has_traffic, found.names)


@dataclass(slots=True)
class _Found:
    """What was found so far."""

    channels: dict[str, Channel] = field(default_factory=dict)
    others: list[Channel] = field(default_factory=list)
    names: dict[str, str] = field(default_factory=dict)
    taken: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)
    has_traffic: bool = False


def _read(path: Path, file: BufferedReader, wish: Wish) -> _Found:
    from asammdf import MDF  # noqa: PLC0415 - near a second of import, only where such a file is opened

    try:
        with MDF(file) as mdf:
            return _channels(path, mdf, wish)
    except OutsideError:
        raise
    except Exception as wrong:
        # On damaged bytes the library fails in whatever way they lead it to; all of them mean the same.
        _let_go(wrong)
        raise RecordingUnusable(Place(path.name), say("it is a damaged MDF file"), _ACCEPTED) from wrong


def _let_go(wrong: BaseException) -> None:
    """A half-built object of the library's can't close itself, and would complain when it is freed."""
    context: BaseException | None = wrong
    frames = []
    while context is not None:
        frames += [frame for frame, _line in traceback.walk_tb(context.__traceback__)]
        context = context.__context__
    for frame in frames:
        made = frame.f_locals.get("self")
        ours = made is not None and type(made).__module__.startswith("asammdf.")
        if made is not None and ours and hasattr(made, "_closed"):
            made._closed = True  # noqa: SLF001 - what its own closing asks first
            for held in (getattr(made, name, None) for name in ("_tempfile", "_mapped_file")):
                if held is not None:
                    held.close()


def _channels(path: Path, mdf: "MDF", wish: Wish) -> _Found:
    found = _Found(has_traffic="CAN_DataFrame" in mdf.channels_db)
    names = [n for n in list(mdf.channels_db)[:_MOST_CHANNELS] if not n.startswith("CAN_")]
    wished = {_as_named(path, names, name): said for name, said in wish.columns.items()}
    for name in names:
        group, index = mdf.channels_db[name][0]
        if mdf.masters_db.get(group) == index:
            continue
        unit = unit_written(mdf.get_channel_unit(group=group, index=index))
        channel, guess = named_as(name, unit)
        if name in wished:
            said, channel = wished[name]
            unit, guess = said or unit, False
        if channel in (None, OTHER):
            _keep_other(mdf, name, found, wanted=channel == OTHER)
        elif channel not in CHANNEL_KINDS or channel in found.channels:
            found.left.append(name)
        elif guess and not wish.agreed:
            _ask(name, unit or CHANNEL_KINDS[channel].unit, channel, found)
        else:
            _keep(name, _channel(mdf, group, index, CHANNEL_KINDS[channel], unit), unit, found)
    if found.channels:
        found.questions.clear()  # what is named plainly is enough; the rest is told
        found.remarks.insert(0, say("Read {join}.", join=", ".join(found.taken)))
        if found.others:
            kept = first_names([f"“{c.kind.title}”" for c in found.others])
            found.remarks.append(say("Kept to be looked at, not judged: {names}.", names=kept))
        if found.left:
            found.remarks.append(say("Left out: {names}.", names=first_names(found.left)))
    return found


def _ask(name: str, unit: str, channel: str, found: _Found) -> None:
    option = say('--map "{name}[{value}]={channel}"', name=name, value=unit, channel=channel)
    title = CHANNEL_KINDS[channel].title
    text = say("“{name}” may be {title} in {value}", name=name[:40], title=title, value=unit)
    found.questions.append(Question(None, text, option))
    found.left.append(name)


def _keep(name: str, made: Channel | str, unit: str, found: _Found) -> None:
    if isinstance(made, str):
        found.remarks.append(say("“{name}” was left out: {made}.", name=name[:40], made=made))
        return
    found.channels[made.id] = made
    found.names[made.id] = name
    title, value = made.kind.title, unit or made.kind.unit
    found.taken.append(say("“{name}” as {title} in {value}", name=name[:40], title=title, value=value))


def _keep_other(mdf: "MDF", name: str, found: _Found, *, wanted: bool) -> None:
    """What is nothing of ours is kept by its own name, the first so many, where it is numbers."""
    group, index = mdf.channels_db[name][0]
    made: Channel | str = ""
    if wanted or len(found.others) < MOST_OTHERS:
        kind = other_kind(name, str(mdf.get_channel_unit(group=group, index=index)))
        made = _channel(mdf, group, index, kind, None)
    if isinstance(made, str) or made.id in {c.id for c in found.others}:
        found.left.append(name)
    else:
        found.others.append(made)


def _as_named(path: Path, names: list[str], wished: str) -> str:
    bare = re.sub(r"\s*\[[^\]]*\]$", "", wished)
    for name in (wished, bare):
        if name in names:
            return name
    known = ", ".join(f"“{n[:24]}”" for n in names[:12])
    raise OutsideError(
        say(
            "{name}: --map names “{wished}”, but its channels are {known}.",
            name=path.name,
            wished=wished[:40],
            known=known,
        )
    )


def _channel(mdf: "MDF", group: int, index: int, kind: ChannelKind, unit: str | None) -> Channel | str:
    """A channel, or why it can't be one; without a unit, values stay as they are written."""
    factors = (1.0, 0.0) if unit is None else conversion(unit, kind.unit)
    if factors is None:
        return say("{unit} does not become {unit_}", unit=unit, unit_=kind.unit)
    signal = mdf.get(group=group, index=index)
    values = np.asarray(signal.samples)
    if values.ndim != 1 or values.dtype.kind not in "iuf":
        return say("its values are no numbers")
    times = np.asarray(signal.timestamps, dtype=np.float64)
    numbers = values.astype(np.float64) * factors[0] + factors[1]
    there = np.isfinite(numbers) & np.isfinite(times)
    if not there.any():
        return say("it has no sample")
    if np.any(np.diff(times[there]) < 0):
        return say("its time runs backwards")
    return Channel(kind, times[there].copy(), numbers[there].copy())

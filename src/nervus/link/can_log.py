"""Logs of CAN traffic read back: what the control units told meanwhile, as channels and codes.

The log is listened to as a third party: both sides' frames are put together by the transport's rules
(ISO 15765-2), and the units' answers are read as in a live connection (SAE J1979, ISO 14229-1).
"""

import logging
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType
from typing import Any

import can
import numpy as np
from can.io.player import MESSAGE_READERS

from nervus.codes.notation import Code, CodeStatus
from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.errors import OutsideError, Place, RecordingUnusable
from nervus.domain.job import CodeState, SeenCode
from nervus.knowledge import Parameter, parameters
from nervus.language import say
from nervus.link.addresses import name_of
from nervus.link.errors import Garbled
from nervus.link.listening import Listener
from nervus.link.log_kind import BINARY, SUFFIXES, kind_of_log
from nervus.link.unit_codes import codes_with_status, counted_codes

_NOTHING: Mapping[str, str] = MappingProxyType({})
_ACCEPTED = say("accepted is traffic with answers of control units, as {join}", join=", ".join(SUFFIXES))
_CODE_ANSWERS = {0x43: CodeState.STORED, 0x47: CodeState.PENDING, 0x4A: CodeState.PERMANENT}


@dataclass(frozen=True, slots=True, eq=False)
class Traffic:
    """What a log told.

    Attributes:
        recording: the values that were asked for, `None` where none were.
        codes: all codes that were told, each once for its unit.
        frames: how many frames there were.
        garbled: how many answers made no sense.
        remarks: what is to be said of how it was read, as sentences.
    """

    recording: Recording | None
    codes: tuple[SeenCode, ...]
    frames: int
    garbled: int
    remarks: tuple[str, ...] = ()


def read_can_log(path: Path, names: Mapping[str, str] | None = _NOTHING) -> Traffic:
    """What the control units told in a log.

    Args:
        path: the file; traffic inside an MDF file too.
        names: channels that are to be others, or "-" to be left out; `None` where more was wished.

    Raises:
        RecordingUnusable: it can't be read, or no unit answers in it.
        OutsideError: a name is none of what the log tells.
    """
    # The library tells each flaw of a damaged log on its own; ours is one sentence, or a count.
    logging.getLogger("can.io").setLevel(logging.CRITICAL)
    heard, suffix = _Heard(), kind_of_log(path) or path.suffix.lower()
    remarks: list[str] = []
    try:
        # Opened here: a reader that fails at the head of a file would leave it open.
        reader: Callable[[object], Any] = MESSAGE_READERS[suffix]
        with path.open("rb" if suffix in BINARY else "r") as file, reader(file) as log:
            for message in log:
                heard.take(message)
            whole = int(getattr(log, "file_size", 0))
        if whole > path.stat().st_size:
            remarks.append(_cut(heard.frames))
    except OSError as wrong:
        said = say("the file can't be read ({strerror})", strerror=wrong.strerror)
        raise RecordingUnusable(Place(path.name), said, _ACCEPTED) from wrong
    except Exception as wrong:
        # On damaged text the readers fail in whatever way it leads them to; what came before is kept.
        if not heard.has_told:
            place = Place(path.name, heard.frames + 1)
            raise RecordingUnusable(place, say("this is no log of CAN traffic"), _ACCEPTED) from wrong
        remarks.append(_cut(heard.frames))
    if not heard.has_told:
        said = say("no control unit answers in its {frames} frames", frames=heard.frames)
        raise RecordingUnusable(Place(path.name), said, _ACCEPTED)
    if heard.garbled:
        remarks.append(
            say("{garbled} answers in the log made no sense and were left out.", garbled=heard.garbled)
        )
    told = heard.recording(path.name)
    if told is not None:
        told = _renamed(path, told, names)
    return Traffic(told, heard.codes(), heard.frames, heard.garbled, tuple(remarks))


def _cut(frames: int) -> str:
    return say(
        "The log is cut off or damaged behind its frame {frames}; what came before was read.",
        frames=frames,
    )


def _renamed(path: Path, recording: Recording, names: Mapping[str, str] | None) -> Recording:
    if not names and names is not None:
        return recording
    known = ", ".join(c.id for c in recording.channels)
    unknown = next((n for n in names or () if recording.get(n) is None), None)
    if names is None or unknown is not None:
        asked = (
            say("--map names “{unknown}”", unknown=unknown)
            if unknown is not None
            else say("units and times are the log's own")
        )
        raise OutsideError(
            say(
                "{name}: {asked}; accepted are the log's channels, {known}.",
                name=path.name,
                asked=asked,
                known=known,
            )
        )
    kept = []
    for channel in recording.channels:
        wanted = names.get(channel.id, channel.id)
        if wanted in CHANNEL_KINDS and CHANNEL_KINDS[wanted].unit == channel.kind.unit:
            kept.append(Channel(CHANNEL_KINDS[wanted], channel.time_s, channel.values))
        elif wanted != "-":
            raise OutsideError(
                say(
                    "{name}: {id} is in {unit} and can't be {wanted}.",
                    name=path.name,
                    id=channel.id,
                    unit=channel.kind.unit,
                    wanted=wanted,
                )
            )
    if not kept or len({c.id for c in kept}) < len(kept):
        raise OutsideError(
            say("{name}: --map must leave each channel once, and one at least.", name=path.name)
        )
    return Recording(tuple(kept), recording.marks, recording.name)


class _Heard:
    """Puts answers together and keeps what they say."""

    def __init__(self) -> None:
        self.frames = self.garbled = 0
        self._listener = Listener(lambda _unit, _wrong: self._count_garbled())
        self._known = {p.pid: p for p in parameters()}
        self._times: dict[str, list[float]] = defaultdict(list)
        self._values: dict[str, list[float]] = defaultdict(list)
        self._codes: dict[tuple[int, int, int], SeenCode] = {}
        self.has_told = False

    def _count_garbled(self) -> None:
        self.garbled += 1

    def take(self, message: can.Message) -> None:
        """One frame of the log."""
        self.frames += 1
        if message.is_error_frame or message.is_remote_frame:
            return
        wide = message.is_extended_id
        for unit, answer in self._listener.take(message.arbitration_id, bytes(message.data), wide=wide):
            try:
                self._read(unit, message.timestamp, answer)
            except (Garbled, IndexError):
                self.garbled += 1

    def _read(self, unit: int, at: float, answer: bytes) -> None:
        service = answer[0]
        if service == 0x41:
            self._values_of(at, answer[1:])
        elif service in _CODE_ANSWERS:
            self.has_told = True
            codes, complaint = counted_codes(answer)
            self.garbled += bool(complaint)
            for code in codes:
                self._keep(unit, code, _CODE_ANSWERS[service], None)
        elif service == 0x59 and answer[1:2] == b"\x02":
            self.has_told = True
            for code, status in codes_with_status(answer):
                self._keep(unit, code, None, status)

    def _values_of(self, at: float, data: bytes) -> None:
        while data:
            known = self._known.get(data[0])
            if known is None:
                return  # a value that is not kept here; what follows it can't be told apart
            raw = data[1 : 1 + known.size]
            if len(raw) < known.size:
                raise Garbled(say("a value is cut short"))
            self._value(known, at, raw)
            data = data[1 + known.size :]

    def _value(self, known: Parameter, at: float, raw: bytes) -> None:
        times = self._times[known.channel]
        if times and at < times[-1]:
            raise Garbled(say("the log's time runs backwards"))
        self.has_told = True
        times.append(at)
        self._values[known.channel].append(known.value(raw))

    def _keep(self, unit: int, code: Code, state: CodeState | None, status: int | None) -> None:
        key = self._key(unit, code)
        before = self._codes.get(key)
        states = set(before.states) if before is not None else set()
        if state is not None:
            states.add(state)
        if status is not None:
            bits = CodeStatus(status)
            states |= {CodeState.STORED} if bits.confirmed else set()
            states |= {CodeState.PENDING} if bits.pending else set()
        full = str(code) if code.failure_type is not None or before is None else before.code
        self._codes[key] = SeenCode(
            code=full,
            module=name_of(unit),
            states=tuple(s for s in CodeState if s in states),
            status=status if status is not None else (before.status if before else None),
        )

    def _key(self, unit: int, code: Code) -> tuple[int, int, int]:
        """Where a code is kept: with a failure type in the place of the bare one, others beside it."""
        bare, full = (unit, code.number, -1), (unit, *code.sort_key)
        if code.failure_type is None:
            beside = [k for k in self._codes if k[:2] == bare[:2]]
            return beside[0] if beside else bare
        if bare in self._codes:
            self._codes[full] = self._codes.pop(bare)
        return full

    def codes(self) -> tuple[SeenCode, ...]:
        """All codes, by unit and number."""
        return tuple(self._codes[key] for key in sorted(self._codes))

    def recording(self, name: str) -> Recording | None:
        """All values, counted from the first."""
        if not self._times:
            return None
        start = min(times[0] for times in self._times.values())
        channels = tuple(
            Channel(
                CHANNEL_KINDS[channel],
                np.array(times) - start,
                np.array(self._values[channel], dtype=np.float64),
            )
            for channel, times in self._times.items()
        )
        return Recording(channels, (), name)

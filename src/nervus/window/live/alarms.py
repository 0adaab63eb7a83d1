"""Alarms while something is connected: a value beyond a limit, or a track that lets go."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QSettings

from nervus.domain.channel import CHANNEL_KINDS, FloatArray, Role
from nervus.domain.errors import OutsideError
from nervus.language import say
from nervus.window.sounds.wiggle_tone import BreakWatch

_KEY = "alarms"
# After an alarm its channel is quiet for so long: one bout is one alarm.
_QUIET_S = 2.0


@dataclass(frozen=True, slots=True)
class Limits:
    """Between which values a channel may be.

    Attributes:
        low, high: in the channel's unit; `None` where there is no limit.
    """

    low: float | None = None
    high: float | None = None


class Alarms:
    """What is watched, and what has gone off.

    Attributes:
        limits: by channel.
        on_drop: whether a track that lets go is an alarm.
        ringing: what is beyond its limit now, by channel, in words.
    """

    def __init__(self) -> None:
        self.limits: dict[str, Limits] = {}
        self.on_drop = False
        self.ringing: dict[str, str] = {}
        self._watches: dict[str, BreakWatch] = {}
        self._quiet_until: dict[str, float] = {}

    def begin(self) -> None:
        """Another connection: its clock begins anew."""
        self.ringing, self._watches, self._quiet_until = {}, {}, {}

    def feed(self, channel: str, time_s: FloatArray, values: FloatArray) -> str:
        """New samples of a channel; returns what has just gone off, in words, "" for nothing."""
        if not values.size:
            return ""
        told = self._beyond(channel, values) or self._let_go(channel, time_s, values)
        now = float(time_s[-1])
        if not told or now < self._quiet_until.get(channel, -np.inf):
            return ""
        self._quiet_until[channel] = now + _QUIET_S
        return told

    def _beyond(self, channel: str, values: FloatArray) -> str:
        limits = self.limits.get(channel)
        if limits is None:
            return ""
        kind, worst = CHANNEL_KINDS[channel], ""
        if limits.low is not None and float(values.min()) < limits.low:
            worst = say("{title} below {low:g} {unit}", title=kind.title, low=limits.low, unit=kind.unit)
        elif limits.high is not None and float(values.max()) > limits.high:
            worst = say(
                "{title} above {high:g} {unit}", title=kind.title, high=limits.high, unit=kind.unit
            )
        was = channel in self.ringing
        if worst:
            self.ringing[channel] = worst
        else:
            self.ringing.pop(channel, None)
        return "" if was else worst

    def _let_go(self, channel: str, time_s: FloatArray, values: FloatArray) -> str:
        kind = CHANNEL_KINDS[channel]
        if not self.on_drop or kind.role is not Role.TRACK:
            return ""
        watch = self._watches.setdefault(channel, BreakWatch())
        full = 100.0 if channel.endswith("_pct") else 5.0
        return say("{title} let go", title=kind.title) if watch.feed(time_s, values / full) else ""


def read_limits(low: str, high: str, channel: str) -> Limits | None:
    """Limits as they were typed; `None` where neither is.

    Raises:
        OutsideError: one is no number, or both are the wrong way round.
    """
    ends = [_number(text, channel) for text in (low, high)]
    if ends == [None, None]:
        return None
    if ends[0] is not None and ends[1] is not None and ends[0] >= ends[1]:
        raise OutsideError(
            say(
                "“{strip}” is not below “{strip_}”; nothing would be left between.",
                strip=low.strip(),
                strip_=high.strip(),
            )
        )
    return Limits(*ends)


def _number(text: str, channel: str) -> float | None:
    unit = str(CHANNEL_KINDS[channel].unit)
    written = text.strip().removesuffix(unit).strip().replace(",", ".")
    if not written:
        return None
    try:
        value = float(written)
    except ValueError:
        value = np.nan
    if not np.isfinite(value):
        raise OutsideError(
            say(
                "“{strip}” is no limit; accepted is such as 0.4 {unit}, or nothing.",
                strip=text.strip()[:20],
                unit=unit,
            )
        )
    return float(value)


def load(alarms: Alarms, settings: QSettings) -> None:
    """Alarms as they were left; what can't be read is left out."""
    alarms.on_drop = settings.value(f"{_KEY}/drop", "no") == "yes"
    alarms.limits = {}
    for channel in CHANNEL_KINDS:
        low, high = (str(settings.value(f"{_KEY}/{channel}/{end}", "")) for end in ("low", "high"))
        try:
            limits = read_limits(low, high, channel)
        except OutsideError:
            settings.remove(f"{_KEY}/{channel}")  # written by hand: it is no limit, so there is none
            continue
        if limits is not None:
            alarms.limits[channel] = limits


def save(alarms: Alarms, settings: QSettings) -> None:
    """Keep alarms for the next connection."""
    settings.remove(_KEY)
    settings.setValue(f"{_KEY}/drop", "yes" if alarms.on_drop else "no")
    for channel, limits in alarms.limits.items():
        for end, value in (("low", limits.low), ("high", limits.high)):
            if value is not None:
                settings.setValue(f"{_KEY}/{channel}/{end}", f"{value:g}")

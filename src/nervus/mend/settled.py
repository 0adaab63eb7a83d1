"""When what was learned has settled, computed from the data and not waited for by the clock."""

from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np

from nervus.domain.channel import Channel, Recording
from nervus.language import say

WINDOW_S = 20.0
"""Over so long it has to stand still, in seconds: common practice, no published source."""
# Opposite tracks add up to this within so much, in percent: common practice, no published source.
_SUM, _SUM_WITHIN = 100.0, 0.5
# What is told to a tenth of a percent is no further off for its rounding.
_ROUNDED = 1e-9
# Fewer values in the window tell nothing.
_FEWEST = 8
# A drift is seen where it is more than this many times as large as noise makes by chance.
_SURE = 2.6
# Where noise alone could move it by so many times what matters, nothing can be told.
_TOO_NOISY = 3.0
# The coolant of a warm engine; below it idle is not where it will stay. Common practice.
_WARM_C = 75.0


@dataclass(frozen=True, slots=True)
class Settled:
    """How far it has settled.

    Attributes:
        is_settled: whether all of it has.
        told: each thing that was looked at, with its number, in a sentence.
        unknown: what could not be looked at.
    """

    is_settled: bool
    told: tuple[str, ...]
    unknown: tuple[str, ...] = ()


def settled(recording: Recording) -> Settled:
    """Whether the last `WINDOW_S` of what was recorded stand still, and tracks add up to 100 %.

    A drift is a slope of the least-squares line that noise alone makes in less than one of a hundred
    such windows; with it, what the window moves has to be more than the value is read to.
    """
    look = _Look(recording)
    look.at_tracks()
    look.at_drift("rpm", say("engine speed"), 30.0)
    look.at_drift("ect_c", say("coolant"), 2.0)
    coolant = recording.get("ect_c")
    if coolant is not None and float(coolant.values[-1]) < _WARM_C:
        look.say(
            say(
                "coolant {values:.0f} °C: not warm, {warm_c:.0f} °C is",
                values=coolant.values[-1],
                warm_c=_WARM_C,
            ),
            fine=False,
        )
    return Settled(bool(look.good) and all(look.good), tuple(look.told), tuple(look.unknown))


class _Look:
    """What was looked at so far, and how it was found."""

    def __init__(self, recording: Recording) -> None:
        self._recording = recording
        self.told: list[str] = []
        self.good: list[bool] = []
        self.unknown: list[str] = []

    def say(self, words: str, *, fine: bool) -> None:
        """Tell one thing."""
        self.told.append(words)
        self.good.append(fine)

    def at_tracks(self) -> None:
        """Both tracks together, or the one that there is."""
        first, second = self._recording.get("tps1_pct"), self._recording.get("tps2_pct")
        if first is None or second is None:
            volts = self._recording.get("tps1_pct") is None
            self.at_drift("tps1_v" if volts else "tps1_pct", say("track 1"), 0.02 if volts else 0.5)
            return
        total = first.values + np.interp(first.time_s, second.time_s, second.values)
        recent = total[first.time_s >= self._recording.end_s - WINDOW_S]
        if recent.size >= _FEWEST:
            off = float(np.median(recent)) - _SUM
            fine = abs(off) <= _SUM_WITHIN + _ROUNDED
            beyond = "" if fine else say(": not within {sum_within:g}", sum_within=_SUM_WITHIN)
            self.say(
                say(
                    "the tracks add up to {off:.1f} %, {abs:.1f} from 100{beyond}",
                    off=_SUM + off,
                    abs=abs(off),
                    beyond=beyond,
                ),
                fine=fine,
            )
        self._drift(Channel(first.kind, first.time_s, total), say("sum of both tracks"), 0.3)

    def at_drift(self, channel_id: str, name: str, least: float) -> None:
        """Whether a channel moves over the window."""
        channel = self._recording.get(channel_id)
        if channel is None:
            self.unknown.append(name)
        else:
            self._drift(channel, name, least)

    def _drift(self, channel: Channel, name: str, least: float) -> None:
        """Whether a value moves over the window by more than `least`, and by more than noise."""
        recent = channel.time_s >= self._recording.end_s - WINDOW_S
        t, y = channel.time_s[recent], channel.values[recent]
        if t.size < _FEWEST or float(np.ptp(t)) < WINDOW_S / 2.0:
            self.unknown.append(name)
            return
        centred = t - t.mean()
        slope = float(centred @ (y - y.mean()) / (centred @ centred))
        rest = y - y.mean() - slope * centred
        unsure = float(np.sqrt(rest @ rest / (t.size - 2))) / sqrt(float(centred @ centred))
        moved, by_noise = slope * WINDOW_S, _SURE * unsure * WINDOW_S
        if by_noise > _TOO_NOISY * least:
            self.unknown.append(say("{name} (too noisy to tell)", name=name))
            return
        fine = abs(moved) <= hypot(least, by_noise)
        still = say("stands") if fine else say("still moves")
        unit = channel.kind.unit
        self.say(
            say(
                "{name} {still}: {moved:+.3g} {unit} in {seconds:.0f} s",
                name=name,
                still=still,
                moved=moved,
                unit=unit,
                seconds=WINDOW_S,
            ),
            fine=fine,
        )

"""Under what conditions a reading was taken: what must be the same to solve readings together."""

import re
from dataclasses import dataclass, replace
from typing import Final

KEYS: Final = ("key on", "key off", "engine running")
PLUGS: Final = ("plug on", "plug off")
THROTTLES: Final = ("throttle closed", "throttle half open", "throttle wide open")
WARMTHS: Final = ("cold", "hot")
CHOSEN: Final = frozenset({*KEYS, *PLUGS, *THROTTLES, *WARMTHS, "on a charger"})
"""Every condition that can be chosen."""
_BATTERY = re.compile(r"battery (\d+(?:\.\d+)?) V")


@dataclass(frozen=True, slots=True)
class Situation:
    """Conditions, each as one of the words above; "" where it was not said.

    Attributes:
        battery_v: what the battery had, where it was measured.
        charger: whether a charger was on it.
    """

    key: str = ""
    plug: str = ""
    throttle: str = ""
    warmth: str = ""
    battery_v: float | None = None
    charger: bool = False

    def words(self) -> str:
        """As it is kept with a reading."""
        parts = [self.key, self.plug, self.throttle, self.warmth]
        if self.battery_v is not None:
            parts.append(f"battery {self.battery_v:g} V")
        if self.charger:
            parts.append("on a charger")
        return ", ".join(part for part in parts if part)

    def with_word(self, word: str) -> "Situation":
        """The same with one condition changed to one of the words above."""
        if word in KEYS:
            return replace(self, key=word)
        if word in PLUGS:
            return replace(self, plug=word)
        return replace(self, throttle=word) if word in THROTTLES else replace(self, warmth=word)

    @property
    def solved_with(self) -> "Situation":
        """What has to be the same: a signal depends on the throttle, and nothing here on the warmth."""
        return replace(self, warmth="", battery_v=None, charger=False)


def situation_of(words: str) -> Situation:
    """The conditions that such words say; what they do not say stays open."""
    said = words.casefold()
    battery = _BATTERY.search(words)
    key, plug, throttle, warmth = (
        next((word for word in choices if word in said), "")
        for choices in (KEYS, PLUGS, THROTTLES, WARMTHS)
    )
    return Situation(
        key,
        plug,
        throttle,
        warmth,
        battery_v=float(battery[1]) if battery is not None else None,
        charger="on a charger" in said,
    )

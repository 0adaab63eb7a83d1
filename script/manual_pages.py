"""Writes what of the manual is made: pictures of findings, the page of keys. See script/manual."""

import sys
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.judge.analyse import analyse
from nervus.report.charts import Drawn, over_time, over_travel
from nervus.standin.capture import CABLE, OPPOSITE, Sampler, simulate
from nervus.standin.demo import case_named
from nervus.standin.hard_cases import hard_case
from nervus.standin.motion import Stroke
from nervus.window.actions import ACTIONS

_SWEEPS = (Stroke(100.0, 2.0, 0.5), Stroke(0.0, 2.0, 0.5)) * 4


def _demo(name: str) -> Recording:
    return case_named(name).make()


def _rests_high() -> Recording:
    """Three releases that come to rest, and three that stay a little open."""
    strokes = []
    for rest in (0.0, 0.0, 0.0, 6.0, 6.0, 6.0):
        strokes += [Stroke(60.0, 1.0, 0.5), Stroke(rest, 0.15, 2.0)]
    return simulate(CABLE, tuple(strokes), Sampler(), seed=91).recording


def _at_the_ground() -> Recording:
    """Track 2 stays at the ground while its sister moves."""
    made = simulate(OPPOSITE, _SWEEPS, Sampler(), seed=92).recording
    channels = [
        Channel(c.kind, c.time_s, np.full(c.samples, 0.02)) if c.id == "tps2_v" else c
        for c in made.channels
    ]
    return replace(made, channels=tuple(channels))


def _not_straight() -> Recording:
    """A track that bends against the position that is told beside it."""
    made = simulate(CABLE, _SWEEPS * 2, Sampler(rate_hz=50.0), seed=93)
    place = np.round(made.percent, 1)
    bent = made.recording.channels[0]
    values = bent.values + 0.35 * np.sin(np.pi * np.interp(bent.time_s, made.time_s, place) / 100.0)
    told = Channel(CHANNEL_KINDS["throttle_pct"], made.time_s, place)
    return Recording((Channel(bent.kind, bent.time_s, values), told), (), "")


@dataclass(frozen=True, slots=True)
class Picture:
    """One picture of the chapter on findings.

    Attributes:
        kind: of the finding that it shows.
        make: makes the recording.
        words: what stands above it.
        travel: whether over travel, else over time.
    """

    kind: str
    make: Callable[[], Recording]
    words: str
    travel: bool = False


PICTURES = {
    "drop": Picture("drop", lambda: _demo("loose-wire"), "a loose wire, harness shaken"),
    "dead-spot": Picture(
        "dead_spot", lambda: _demo("dead-spot"), "a worn place, nine sweeps", travel=True
    ),
    "flat": Picture(
        "dead_spot", lambda: hard_case("dead spot, flat", 1).recording, "a flat", travel=True
    ),
    "rough": Picture("noise", lambda: _demo("rough-track"), "a rough stretch near closed", travel=True),
    "differ": Picture("disagreement", lambda: _demo("bent-track"), "one track bent"),
    "rest": Picture("off_rest", _rests_high, "the last releases stay open"),
    "range": Picture("out_of_range", _at_the_ground, "track 2 stays at the ground"),
    "bent": Picture("nonlinear", _not_straight, "against the reported position", travel=True),
    "supply": Picture("drop", lambda: _demo("open-ground"), "the ground opens"),
}


def pictures() -> dict[str, bytes]:
    """Each picture by its name; each shows what its chapter speaks of."""
    made = {}
    for name, one in PICTURES.items():
        recording = one.make()
        drawn = Drawn(one.words, recording, analyse(recording))
        svg = over_travel([drawn]) if one.travel else over_time(drawn)
        assert svg is not None  # noqa: S101 - all of them move
        made[name] = svg
    return made


def keys_page() -> str:
    """All keys, menu by menu."""
    lines = ["# Keys", "", "Everything that the mouse can do, the keyboard can.", ""]
    for menu in dict.fromkeys(a.menu for a in ACTIONS):
        lines += [f"## {menu}", "", "| does | keys |", "|---|---|"]
        lines += [f"| {a.text} | {_keys(a.keys)} |" for a in ACTIONS if a.menu == menu]
        lines.append("")
    return "\n".join(lines)


def _keys(keys: tuple[str, ...]) -> str:
    return ", ".join(k.replace("+", " ").replace("  ", " +") for k in keys) or "in the menu"


def main(folder: Path) -> None:
    """Write all of it into the manual's folder."""
    for name, svg in pictures().items():
        (folder / "pictures" / f"{name}.svg").write_bytes(svg)
    (folder / "keys.md").write_text(keys_page(), encoding="utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]))

"""Ten thousand mangled tables of other programs: read, asked about, or refused in one sentence.

    bench/bench_mangled_tables.py [--count 10000] [--seed 1]

Each is a file of the zoo (`bench_zoo.py`) with bytes, cells or lines changed, lost, doubled or moved.
Whatever is proposed is agreed to. There may be no traceback, reading and judging may each take five
seconds at most, and of what is read no channel's bulk may be what a vehicle can't show; one in twenty is
judged too.
"""

import argparse
import random
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np

from bench_mangled_formats import mangled as mangled_bytes
from bench_zoo import _SUFFIXES, SHAPES, Drive
from nervus.domain.channel import Recording
from nervus.domain.errors import OutsideError
from nervus.judge.analyse import analyse
from nervus.link.reading import read_any
from nervus.tables.wishes import Wish

LONGEST_S = 5.0
# Physics, wider than what the program itself allows: volts on a line, percent, turns, pressure, degrees.
_CAN_BE = {"V": (-5.0, 45.0), "%": (-60.0, 300.0), "1/min": (-200.0, 30_000.0), "°C": (-80.0, 500.0)}
_WORDS = (
    "NaN",
    "",
    "---",
    "x1",
    "1e9",
    "-7777",
    "#REF!",
    "12:61:00",
    "0x1F",
    "9" * 40,
    "1,2,3",
    "∞",
    "\0",
)


def mangled(sound: bytes, chance: random.Random) -> bytes:
    """Bytes or whole cells and lines done something to."""
    if chance.random() < 0.4:
        return mangled_bytes(sound, chance)
    lines = sound.split(b"\n")
    for _ in range(chance.randint(1, 6)):
        at = chance.randrange(len(lines))
        match chance.randrange(6):
            case 0:
                del lines[at]
            case 1:
                lines.insert(at, lines[chance.randrange(len(lines))])
            case 2:
                lines[at] = lines[at] + chance.choice([b",", b";", b"\t", b" ", b'"'])
            case 3:
                lines[at : at + 30] = lines[at : at + 30][::-1]
            case 4:
                lines[at] = lines[at].replace(chance.choice([b",", b";", b"."]), b"", 1)
            case _:
                mark = next((m for m in (b";", b"\t", b",") if m in lines[at]), b",")
                cells = lines[at].split(mark)
                cells[chance.randrange(len(cells))] = chance.choice(_WORDS).encode()
                lines[at] = mark.join(cells)
        if not lines:
            return b""
    return b"\n".join(lines)


def impossible(recording: Recording) -> str:
    """What can't be in a recording, "" if nothing."""
    for channel in recording.channels:
        low, high = _CAN_BE.get(str(channel.kind.unit), (-1e6, 1e6))
        bulk = np.quantile(channel.values, (0.05, 0.95))
        if bulk[0] < low or bulk[1] > high or not np.all(np.isfinite(channel.values)):
            return f"{channel.id} {bulk[0]:.4g} to {bulk[1]:.4g} {channel.kind.unit}"
        if np.any(np.diff(channel.time_s) < 0) or not np.all(np.isfinite(channel.time_s)):
            return f"{channel.id}: its time runs backwards"
    return ""


def main() -> int:
    """Mangle, read, judge some."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    wanted = parser.parse_args()
    chance, outcomes = random.Random(wanted.seed), Counter[str]()  # noqa: S311 - no secret
    wrong, longest, agreed = 0, 0.0, Wish(agreed=True)
    texts = [n for n in SHAPES if _SUFFIXES.get(n, ".csv") in (".csv", ".log")]
    with tempfile.TemporaryDirectory() as folder:
        sources = []
        for number, name in enumerate(texts):
            path = (Path(folder) / f"sound-{number}").with_suffix(_SUFFIXES.get(name, ".csv"))
            SHAPES[name](Drive.made(wanted.seed * 1000 + number), path)
            sources.append(path)
        warm = read_any(sources[0], agreed).recording
        assert warm is not None  # noqa: S101 - it is sound
        analyse(warm)  # imports
        sound = [(path.read_bytes(), path.suffix) for path in sources]
        for number in range(wanted.count):
            raw, suffix = chance.choice(sound)
            path = Path(folder) / f"mangled{suffix}"
            path.write_bytes(mangled(raw, chance))
            began = time.perf_counter()
            try:
                recording = read_any(path, agreed).recording
                told = impossible(recording) if recording is not None else ""
                outcomes["read" if not told else f"impossible: {told}"] += 1
                wrong += bool(told)
                longest = max(longest, time.perf_counter() - began)
                if recording is not None and number % 20 == 0:
                    began = time.perf_counter()
                    analyse(recording)
            except OutsideError as refused:
                outcomes["told in a sentence"] += 1
                wrong += "\n" in str(refused) or len(str(refused)) > 2000
            except Exception as bug:  # noqa: BLE001 - what must not happen is what is looked for
                outcomes[f"{type(bug).__name__}: {str(bug)[:90]}"] += 1
                wrong += 1
                path.rename(Path(folder) / f"bug-{number}{suffix}")
                if wrong < 5:
                    (Path.cwd() / f"bug-{number}{suffix}").write_bytes(
                        (Path(folder) / f"bug-{number}{suffix}").read_bytes()
                    )
            longest = max(longest, time.perf_counter() - began)
    for outcome, count in outcomes.most_common(20):
        print(f"{count} {outcome}")
    print(f"longest {longest:.2f} s (bar {LONGEST_S:g}); wrong {wrong} (bar 0)")
    return int(wrong > 0 or longest > LONGEST_S)


if __name__ == "__main__":
    sys.exit(main())

"""What the analysis says of some 300 recordings, in figures: a change of any is seen.

    python tests/analysis_fingerprints.py > tests/data/analysis-fingerprints.json

after a change that was meant. Read the difference of the file before it is kept: each line is something
that technicians would be told otherwise. Figures, not bytes: another processor may round the last bit
otherwise.
"""

import json
import re
import sys
import tempfile
import zipfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

from nervus.domain.channel import Recording
from nervus.files.answer import answer
from nervus.files.recording_csv import read_recording
from nervus.judge.analyse import analyse
from nervus.judge.profiles import chosen_profile
from nervus.knowledge import profile_ids
from nervus.standin.demo import CASES
from nervus.standin.hard_cases import MAKERS, hard_case

DATA = Path(__file__).parent / "data"
ZIPPED = tuple(
    DATA / f"{name}.zip"
    for name in ("other-hand", "slow-by-another-hand", "slow-by-a-third", "what-decides")
)
"""Recordings by two other hands: what wires, sensors, plates, pedals and feeds do, also read slowly.

Those of what decides were chosen from 2 400: at each of them a condition comes out as at no other.
"""
SEEDS = (5, 31, 67)
"""Of each hard case."""
Told = dict[str, list[float]]
# A list longer than this is told by its ends and its sum.
_MANY = 6


def recordings() -> dict[str, Callable[[], Recording]]:
    """How each of them is had, by its name."""
    files = sorted((*(DATA / "samples").glob("*.csv"), *(DATA / "other-hand").glob("*.csv")))
    made: dict[str, Callable[[], Recording]] = {p.stem: partial(read_recording, p) for p in files}
    for path in ZIPPED:
        with zipfile.ZipFile(path) as bundle:
            made |= {n.removesuffix(".csv"): partial(_zipped, path, n) for n in bundle.namelist()}
    made |= {f"demo {case.id}": case.make for case in CASES}
    held = [(case, profile) for case in CASES for profile in profile_ids()]
    made |= {f"demo {case.id} against {profile}": case.make for case, profile in held}
    made |= {f"{kind} {seed}": partial(_hard, kind, seed) for kind in MAKERS for seed in SEEDS}
    return made


def against(name: str) -> str:
    """The profile that a recording is held against, "" for none."""
    return name.partition(" against ")[2]


def _zipped(path: Path, name: str) -> Recording:
    with tempfile.TemporaryDirectory() as folder, zipfile.ZipFile(path) as bundle:
        return read_recording(Path(bundle.extract(name, folder)))


def _hard(kind: str, seed: int) -> Recording:
    return hard_case(kind, seed).recording


def told(recording: Recording, profile: str = "") -> Told:
    """All that is answered, key by key and finding by finding, and what is behind it."""
    analysis = analyse(recording, chosen_profile(profile))
    seen, plain = analysis.examination, answer(analysis)
    figures: Told = {
        "swept": [x for span in seen.coverage.swept_pct for x in span],
        "measured": [
            x for c in seen.channels for x in (c.noise, c.step, c.lag_s, c.smoothed_s or 0.0, c.rows)
        ],
        "circuit": [
            x
            for e in analysis.circuit.explanations
            for x in (e.travel_pct, *(v for n in e.nodes for v in (n.sound_v, n.faulty_v)))
        ],
        "levels": [x for _, x in sorted(analysis.circuit.likelihood.items())],
    }
    for number, row in enumerate(plain.pop("findings")):
        name = f"{number} {row['kind']} {'+'.join(row['channels'])} {row.get('shape', '')}"
        figures[f"{name} {row.get('floor', '')} {row['group']}"] = _figures(row)
    plain["suspects"] = sorted(plain["suspects"], key=lambda s: str(s["id"]))
    return figures | {key: _figures(value) for key, value in plain.items()}


def _figures(value: object) -> list[float]:
    """All numbers in it, in sentences too; of many alike their count, ends and sum; a word's letters."""
    match value:
        case str():
            numbers = re.findall(r"[0-9]+(?:[.][0-9]+)?", value)
            return [float(x) for x in numbers] if " " in value else [float(sum(map(ord, value)))]
        case dict():
            return [x for inner in value.values() for x in _figures(inner)]
        case list() | tuple():
            every = [_figures(inner) for inner in value]
            plain = [x for inner in every for x in inner]
            many = len(every) > _MANY
            return [float(len(every)), *every[0], *every[-1], sum(plain)] if many else plain
        case bool() | int() | float():
            return [float(value)]
        case _:
            return [-1.0]


def main() -> None:
    """Write what is said of all of them."""
    every = {name: told(make(), against(name)) for name, make in recordings().items()}
    lines = []
    for name, of in sorted(every.items()):
        rows = (
            f"  {json.dumps(key)}: {json.dumps([float(f'{x:.6g}') for x in values])}"
            for key, values in sorted(of.items())
        )
        lines.append(f"{json.dumps(name)}: {{\n" + ",\n".join(rows) + "\n}")
    sys.stdout.write("{\n" + ",\n".join(lines) + "\n}\n")


if __name__ == "__main__":
    main()

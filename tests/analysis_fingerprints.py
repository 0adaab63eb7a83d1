"""What the analysis says of some 300 recordings, in figures: a change of any is seen.

    python tests/analysis_fingerprints.py > tests/data/analysis-fingerprints.json

after a change that was meant. Read the difference of the file before it is kept: each line is something
that technicians would be told otherwise. Figures, not bytes: another processor may round the last bit
otherwise.
"""

import json
import sys
import tempfile
import zipfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

from nervus.domain.channel import Recording
from nervus.domain.finding import Finding
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
_FIGURES = (
    "confidence", "level", "level_v", "worst_pct", "rms_v", "usual_rms_v", "seen_in", "crossed",
    "rest_pct", "usual_rest_pct", "limit_v",
)  # fmt: skip


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
    """What is said of it: each finding with when, where and how much, the passes, the suspects."""
    analysis = analyse(recording, chosen_profile(profile))
    seen, plain = analysis.examination, answer(analysis)
    figures: Told = {
        "suspects": [s["probability"] for s in sorted(plain["suspects"], key=lambda s: str(s["id"]))],
        "locality": [plain["locality"]["events"], plain["locality"]["p_value"] or 0.0],
        "passes": [
            len(seen.passes),
            *(x for p in seen.passes[:3] for x in (p.start_s, p.end_s, p.to_pct)),
        ],
        "tracks": [seen.tracks.slope or 0.0, seen.tracks.offset_v or 0.0],
        "swept": [x for span in seen.coverage.swept_pct for x in span],
        "reached": [*(seen.coverage.travel_pct_seen or ()), seen.coverage.shortest_event_s],
        "measured": [
            x for c in seen.channels for x in (c.noise, c.step, c.lag_s, c.smoothed_s or 0.0, c.repeats)
        ],
        "circuit": [
            x
            for e in analysis.circuit.explanations
            for x in (e.travel_pct, *(v for n in e.nodes for v in (n.sound_v, n.faulty_v)))
        ],
    }
    engine = seen.engine
    flags = (engine.hunts, engine.rough, engine.high, engine.low, engine.low_battery)
    figures["engine"] = [engine.idle_rpm or 0.0, *map(float, flags)]
    figures["levels"] = [x for _, x in sorted(analysis.circuit.likelihood.items())]
    for number, (finding, row) in enumerate(zip(seen.findings, plain["findings"], strict=True)):
        name = f"{number} {finding.kind} {'+'.join(finding.channels)} {row.get('shape', '')}"
        figures[f"{name} {row.get('floor', '')} {finding.group}"] = _of_finding(finding, row)
    return figures


def _of_finding(finding: Finding, row: dict[str, object]) -> list[float]:
    spans = finding.times_s
    where = row.get("travel_pct")
    place = [float(x) for x in where] if isinstance(where, list) else []
    amounts = [float(v) for k in _FIGURES if isinstance(v := row.get(k), int | float)]
    when = [spans[0][0], spans[-1][1], sum(b - a for a, b in spans)] if spans else []
    return [len(spans), *when, *place, *amounts]


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

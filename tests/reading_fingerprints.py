"""What a meter is expected to show with each fault, in figures: a change of any is seen.

    python tests/reading_fingerprints.py > tests/data/reading-fingerprints.json

after a change that was meant; read the difference before it is kept. Of all vehicles drawn the middle
one and the quartiles, fault by fault, and the sound ones' last.
"""

import json
import sys
from pathlib import Path

import numpy as np

from jobs import Written
from nervus.domain.job import Reading, of_kind
from nervus.domain.profile import ThrottleKind
from nervus.judge.expected_readings import would_read
from nervus.judge.reading_words import Measured, understand

KEPT = Path(__file__).parent / "data" / "reading-fingerprints.json"
_ON, _OFF = "plug on, key on, ", "plug off, key on"
_READINGS = (
    *((f"{line} at the {plug} plug", "V", f"{_ON}throttle {position}")
      for line in ("signal 1", "signal 2") for plug in ("sensor", "control unit")
      for position in ("closed", "wide open")),
    *((f"{line} at the sensor plug", "V", state)
      for line in ("5 V supply", "ground", "signal 1") for state in (f"{_ON}throttle closed", _OFF)),
    ("5 V supply to ground at the control unit plug", "V", f"{_ON}throttle closed"),
    ("signal 1 from plug to plug", "V", f"{_ON}throttle wide open"),
    ("ground from plug to plug", "V", f"{_ON}throttle closed"),
    *((f"{line} from plug to plug", "Ω", "both off, key off") for line in ("signal 1", "ground")),
    *((f"{line} to battery negative", "Ω", "both off, key off") for line in ("signal 1", "5 V supply")),
    ("pedal signal 1 at the control unit plug", "V", f"{_ON}released"),
    ("battery", "V", "engine running"),
    ("motor", "Ω", "plug off, key off"),
)  # fmt: skip


def asked() -> dict[str, tuple[Measured, ThrottleKind]]:
    """Each reading of each kind of throttle, by its words."""
    found: dict[str, tuple[Measured, ThrottleKind]] = {}
    for place, unit, state in _READINGS:
        (reading,) = of_kind(Written().read(place, 1.0, unit, state).job.entries, Reading)
        measured = understand(reading)
        assert isinstance(measured, Measured), measured
        found |= {f"{kind}: {place}, {unit}, {state}": (measured, kind) for kind in ThrottleKind}
    return found


def expected(measured: Measured, throttle: ThrottleKind) -> list[list[float]]:
    """Three figures for each fault, those of a sound vehicle last; none where nothing is expected."""
    read = would_read(measured, throttle)
    if read is None:
        return []
    every = np.vstack((read.faulty, read.sound[None, :]))
    return [[float(f"{x:.5g}") for x in row] for row in np.quantile(every, (0.25, 0.5, 0.75), axis=1).T]


if __name__ == "__main__":
    rows = (f"{json.dumps(n)}: {json.dumps(expected(*of))}" for n, of in sorted(asked().items()))
    sys.stdout.write("{\n" + ",\n".join(rows) + "\n}\n")

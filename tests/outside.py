"""Matching an answer against the truth beside a sample, as strictly for every kind."""

import json
from pathlib import Path
from typing import Any

Json = dict[str, Any]

# A dead spot must be placed this well, percent of travel; events must be found within this time.
PLACE_PCT, TIME_S = 1.5, 0.06


def truth_of(recording: Path) -> Json:
    """What is true in a sample."""
    loaded: Json = json.loads(recording.with_suffix("").with_suffix(".truth.json").read_text())
    return loaded


def found(true: Json, findings: list[Json]) -> bool:
    """Whether one true finding is among the findings."""
    return any(_matches(true, f) for f in findings if f["kind"] == true["kind"])


def _matches(true: Json, finding: Json) -> bool:
    if true["kind"] == "drop":
        same = set(finding["channels"]) == set(true["channels"])
        return same and _same_time(true, finding)
    if true["kind"] == "off_rest":
        close = abs(finding["rest_pct"] - true["rest_pct"]) < 1.0
        return bool(close and finding["cause"] == true["cause"])
    if true["kind"] == "disagreement":
        close = abs(finding["worst_pct"] - true["worst_pct"]) < 1.5
        suspect = true.get("suspect_track")
        return bool(close and (suspect is None or str(finding["suspect"]).startswith(suspect)))
    if finding["channel"] not in true["channels"]:
        return False
    a, b = true["travel_pct"], finding["travel_pct"]
    if true["kind"] == "noise":
        return bool(min(a[1], b[1]) - max(a[0], b[0]) > 0.6 * (a[1] - a[0]))
    middle = abs(sum(a) - sum(b)) / 2
    return bool(middle < PLACE_PCT and finding["shape"] == true["shape"])


def _same_time(true: Json, finding: Json) -> bool:
    start, end = true["times_s"][0]
    return bool(abs(finding["start_s"] - start) < TIME_S and abs(finding["end_s"] - end) < TIME_S)


def allowed(finding: Json, truth: Json) -> bool:
    """Whether a finding is true, or a consequence that may be reported."""
    if any(_matches(t, finding) for t in truth["true_findings"] if t["kind"] == finding["kind"]):
        return True
    return any(_covers(also, finding) for also in truth["also_true"])


def _covers(also: Json, finding: Json) -> bool:
    if finding["kind"] not in also["kinds"]:
        return False
    if also["channels"] != "*" and not set(finding["channels"]) <= set(also["channels"]):
        return False
    if also["times_s"] is not None:
        return all(
            any(a - 0.1 <= s and e <= b + 0.1 for a, b in also["times_s"]) for s, e in finding["times_s"]
        )
    if also["travel_pct"] is not None:
        a, b = also["travel_pct"]
        return bool(a - 2 <= finding["travel_pct"][0] and finding["travel_pct"][1] <= b + 2)
    return True

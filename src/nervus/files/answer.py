"""The answer of an analysis for machines (`nervus.analysis/1`) and, in short, for people."""

import json
from collections.abc import Callable
from importlib import resources
from typing import Any, Final

from nervus.domain.analysis import Analysis, Cause, Judgement, Locality
from nervus.domain.channel import CHANNEL_KINDS, Unit
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Noise,
    Nonlinear,
    OffRest,
    OutOfRange,
    SupplyFault,
)
from nervus.judge.words import SUSPECT_NAMES, how_measured, natural_frequency
from nervus.language import say

SCHEMA: Final = "nervus.analysis/1"

Json = dict[str, Any]


def answer_schema() -> Json:
    """The published JSON Schema that every answer obeys."""
    text = resources.files("nervus.files").joinpath("analysis.schema.json").read_text("utf-8")
    loaded: Json = json.loads(text)
    return loaded


def answer(analysis: Analysis) -> Json:
    """The whole answer as plain JSON values."""
    seen = analysis.examination
    return {
        "schema": SCHEMA,
        "recording": {
            "duration_s": seen.duration_s,
            "channels": [
                {
                    "id": c.id,
                    "unit": c.unit,
                    "samples": c.samples,
                    "rate_hz": c.rate_hz,
                    "shortest_event_s": c.shortest_event_s,
                }
                for c in seen.channels
            ],
        },
        "tracks": {
            "relation": str(seen.tracks.relation),
            "slope": seen.tracks.slope,
            "offset_v": seen.tracks.offset_v,
            "learned": seen.tracks.learned,
        },
        "passes": [
            {
                "start_s": p.start_s,
                "end_s": p.end_s,
                "direction": str(p.direction),
                "from_pct": p.from_pct,
                "to_pct": p.to_pct,
            }
            for p in seen.passes
        ],
        "findings": [finding_row(f) for f in seen.findings],
        "locality": _locality(seen.locality),
        "coverage": {
            "travel_pct_seen": _pair(seen.coverage.travel_pct_seen),
            "travel_pct_swept": [list(s) for s in seen.coverage.swept_pct],
            "shortest_event_s": seen.coverage.shortest_event_s,
            "text": seen.coverage.text,
        },
        "suspects": _suspects(analysis.judgement),
        "causes": [_cause(c) for c in analysis.causes if c.examination.findings],
    }


def _locality(told: Locality) -> Json:
    return {
        "events": told.events,
        "verdict": str(told.verdict),
        "p_value": told.p_value,
        "text": told.text,
    }


def _suspects(judged: Judgement) -> list[Json]:
    return [{"id": str(s.id), "probability": s.probability} for s in judged.suspects]


def _cause(cause: Cause) -> Json:
    """One fault that must be there, by the groups of its findings."""
    return {
        "groups": list(dict.fromkeys(f.group for f in cause.examination.findings)),
        "locality": _locality(cause.examination.locality),
        "suspects": _suspects(cause.judgement),
        "text": cause.judgement.headline,
    }


def finding_row(finding: Finding) -> Json:
    """One finding with the fields of its kind."""
    row: Json = {
        "kind": finding.kind,
        "channels": list(finding.channels),
        "confidence": finding.confidence,
        "text": finding.text,
        "times_s": [list(span) for span in finding.times_s],
        "group": finding.group,
    }
    row.update(_FIELDS[type(finding)](finding))
    return row


def _pair(span: tuple[float, float] | None) -> list[float] | None:
    return list(span) if span is not None else None


def _in_unit(name: str, value: float, unit: Unit) -> Json:
    """Volts under a name that says so, a percentage with its unit beside it."""
    return {f"{name}_v": value} if unit is Unit.VOLT else {name: value, f"{name}_unit": str(unit)}


def _dead_spot(f: DeadSpot) -> Json:
    return {
        "channel": f.channels[0],
        "travel_pct": list(f.travel_pct),
        "shape": str(f.shape),
        "seen_in": f.seen_in,
        "crossed": f.crossed,
    }


def _drop(f: Drop) -> Json:
    return {
        "start_s": f.times_s[0][0],
        "end_s": f.times_s[0][1],
        **_in_unit("level", f.level, f.unit),
        "floor": str(f.floor),
        "shared": str(f.shared),
        "at_travel_pct": f.at_travel_pct,
        "marks": list(f.marks),
    }


def _noise(f: Noise) -> Json:
    return {
        "channel": f.channels[0],
        "travel_pct": list(f.travel_pct),
        **_in_unit("rms", f.rms, f.unit),
        **_in_unit("usual_rms", f.usual_rms, f.unit),
    }


def _disagreement(f: Disagreement) -> Json:
    row: Json = {
        "start_s": f.times_s[0][0],
        "end_s": f.times_s[-1][1],
        "travel_pct": list(f.travel_pct),
        "worst_pct": f.worst_pct,
        "suspect": f.suspect,
    }
    if f.would_set_code is not None:
        row["would_set_code"] = f.would_set_code
    return row


def _off_rest(f: OffRest) -> Json:
    row: Json = {
        "rest_pct": f.rest_pct,
        "usual_rest_pct": f.usual_rest_pct,
        "cause": str(f.cause),
    }
    if f.ect_c is not None:
        row["ect_c"] = f.ect_c
    return row


def _out_of_range(f: OutOfRange) -> Json:
    return {
        "start_s": f.times_s[0][0],
        "end_s": f.times_s[-1][1],
        "level_v": f.level_v,
        "limit_v": f.limit_v,
    }


def _nonlinear(f: Nonlinear) -> Json:
    return {"travel_pct": list(f.travel_pct), "worst_pct": f.worst_pct}


def _supply(f: SupplyFault) -> Json:
    return {
        "start_s": f.times_s[0][0],
        "end_s": f.times_s[-1][1],
        "level_v": f.level_v,
        "where": str(f.where),
    }


_FIELDS: Final[dict[type[Finding], Callable[[Any], Json]]] = {
    DeadSpot: _dead_spot,
    Drop: _drop,
    Noise: _noise,
    Disagreement: _disagreement,
    OffRest: _off_rest,
    OutOfRange: _out_of_range,
    SupplyFault: _supply,
    Nonlinear: _nonlinear,
}


def plain_report(name: str, analysis: Analysis) -> str:
    """A short report that a person reads in a terminal."""
    seen, judged = analysis.examination, analysis.judgement
    lines = [f"{name}: {judged.headline}", ""]
    lines += [f"  {finding.text}" for finding in seen.findings] or [say("  No finding.")]
    ties = (c.examination.locality for c in analysis.causes)
    lines += [f"  {tie.text}" for tie in ties if tie.events]
    lines += [f"  {seen.coverage.text}", "", say("Measured")]
    tracks = [c for c in seen.channels if CHANNEL_KINDS[c.id].sensor is not None]
    lines += [f"  {how_measured(c)}" for c in tracks or seen.channels]
    lines += ["", say("Suspects")]
    for suspect in judged.suspects:
        if suspect.probability >= 0.01:
            share = natural_frequency(suspect.probability)
            lines.append(f"  {SUSPECT_NAMES[suspect.id]:<18} {share}")
    if judged.next_test is not None:
        test = judged.next_test
        lines += [
            "",
            say("Next, about {minutes} minutes: {title}", minutes=test.minutes, title=test.title),
        ]
        lines += [f"  {test.tells}.", f"  {test.caution}"]
    return "\n".join(lines)

"""A finding, or drops of one cause, as short lines and as a sentence for a list."""

from nervus.domain.analysis import Analysis
from nervus.domain.channel import CHANNEL_KINDS, Sensor, Unit
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
    SupplyLine,
)
from nervus.language import figures, say


def short(finding: Finding) -> tuple[str, str]:  # noqa: PLR0911 - one for each kind
    """What a finding is, and where it is, as two short lines."""
    who, when = _tracks(finding.channels), _first_time(finding)
    match finding:
        case DeadSpot():
            return say("Dead spot, {who}", who=who), _place_of_spot(finding)
        case Noise(travel_pct=(a, b)):
            small = _small(finding.rms, finding.unit)
            return say("Rough, {who}", who=who), say(
                "{a:.0f} to {b:.0f} %, {small}", a=a, b=b, small=small
            )
        case Drop(times_s=((start, end),)):
            value = _value(finding.level, finding.unit)
            length = (
                figures("{start:.0f} ms", start=1000 * (end - start))
                if end > start
                else say("one sample")
            )
            return say("Drop, {who}", who=who), say(
                "{when}, {length}, to {value}", when=when, length=length, value=value
            )
        case Nonlinear(travel_pct=(a, b), worst_pct=worst):
            return say("Not straight, {who}", who=who), say(
                "{a:.0f} to {b:.0f} %, off by {worst_pct:.1f} %", a=a, b=b, worst_pct=worst
            )
        case Disagreement(worst_pct=worst):
            alone = "throttle_cmd_pct" in finding.channels
            return say("Command not followed") if alone else say("Tracks disagree"), say(
                "by up to {worst_pct:.1f} %, from {when}", worst_pct=worst, when=when
            )
        case OffRest():
            usual = say("usually {usual_rest_pct:.1f} %", usual_rest_pct=finding.usual_rest_pct)
            return say("Off its rest"), figures(
                "{rest_pct:.1f} %, {usual}", rest_pct=finding.rest_pct, usual=usual
            )
        case SupplyFault(where=where):
            either = where is SupplyLine.EITHER
            title = say("Supply or ground off") if either else say("Sensor {where} off", where=where)
            return title, say("{level_v:.2f} V, from {when}", level_v=finding.level_v, when=when)
        case OutOfRange():
            return say("Out of range, {who}", who=who), say(
                "{level_v:.2f} V, from {when}", level_v=finding.level_v, when=when
            )
    return finding.kind, when


def _first_time(finding: Finding) -> str:
    return figures("{times_s:.2f} s", times_s=finding.times_s[0][0]) if finding.times_s else ""


def _place_of_spot(spot: DeadSpot) -> str:
    a, b = spot.travel_pct
    place = say("{a:.1f} to {b:.1f} %", a=a, b=b) if round(b - a, 1) else say("at {a:.1f} %", a=a)
    seen = say("{seen_in} of {crossed} passes", seen_in=spot.seen_in, crossed=spot.crossed)
    return f"{place}, {seen}"


def _tracks(channels: tuple[str, ...]) -> str:
    kinds = [CHANNEL_KINDS[c] for c in channels]
    if len({k.sensor for k in kinds if k.sensor is not None}) > 1:
        return say("throttle and pedal")
    if len(kinds) > 1:
        return say("both pedal tracks") if kinds[0].sensor is Sensor.PEDAL else say("both tracks")
    return kinds[0].track


def _value(value: float, unit: Unit) -> str:
    return (
        figures("{value:z.2f} V", value=value)
        if unit is Unit.VOLT
        else figures("{value:.1f} %", value=value)
    )


def _small(value: float, unit: Unit) -> str:
    return (
        figures("{value:.0f} mV", value=1000 * value)
        if unit is Unit.VOLT
        else figures("{value:.1f} %", value=value)
    )


def most_telling(analysis: Analysis) -> int:
    """The finding that one would look at first: the surest, longest-lasting kind before the rest."""
    findings = analysis.examination.findings
    return max(
        range(len(findings)),
        key=lambda n: (findings[n].kind == "dead_spot", findings[n].confidence, -n),
    )


def of_moments(drops: tuple[Finding, ...], at: int) -> tuple[str, str]:
    """Drops of one cause as two short lines, the moment that is looked at among them."""
    spans = [f.times_s[0] for f in drops]
    lengths = [1000.0 * (end - start) for start, end in spans]
    now, length = spans[at][0], lengths[at]
    of = say("{at} of {len}", at=at + 1, len=len(drops))
    shown = figures("{length:.0f} ms", length=length) if length > 0 else say("one sample")
    return say("{len} drops, {tracks}", len=len(drops), tracks=_tracks(drops[0].channels)), figures(
        "{of}: {now:.2f} s, {shown}", of=of, now=now, shown=shown
    )


def all_moments(drops: tuple[Finding, ...]) -> str:
    """What many drops of one cause have in common, for who wants to know before looking at each."""
    spans = [f.times_s[0] for f in drops]
    lengths = [1000.0 * (end - start) for start, end in spans]
    places = [f.at_travel_pct for f in drops if isinstance(f, Drop) and f.at_travel_pct is not None]
    marks = sorted({m for f in drops if isinstance(f, Drop) for m in f.marks})
    text = say(
        "{len} drops of one cause, {spans:.2f} to {spans_:.2f} s, {min:.0f} to {max:.0f} ms long",
        len=len(drops),
        spans=spans[0][0],
        spans_=spans[-1][1],
        min=min(lengths),
        max=max(lengths),
    )
    if places:
        text += say(", {min:.0f} to {max:.0f} % of the travel", min=min(places), max=max(places))
    if marks:
        text += say(", near {join}", join=", ".join(f"“{m}”" for m in marks))
    return text + say(". Left and right go from one to the next.")

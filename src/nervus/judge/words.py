"""Words of the trade for what the numbers say, as one would say it to a colleague."""

from nervus.domain.analysis import (
    ChannelSummary,
    Coverage,
    EngineState,
    Examination,
    StretchSuspicion,
    Suspect,
    SuspectId,
)

SUSPECT_NAMES = {
    SuspectId.SENSOR: "sensor",
    SuspectId.WIRING: "wiring",
    SuspectId.THROTTLE_BODY: "throttle body",
    SuspectId.PEDAL_SENSOR: "pedal sensor",
    SuspectId.SUPPLY_GROUND: "supply or ground",
    SuspectId.CONTROL_UNIT: "control unit",
    SuspectId.ELSEWHERE: "elsewhere",
    SuspectId.NONE: "no fault",
}

SCHOOL_NAMES = {
    "cheapest_first": "cheapest first",
    "likeliest_first": "most likely first",
    "proof_first": "proof before parts",
    "proposed": "proposed",
}

STRETCH_NAMES = {
    "plate": "plate",
    "tracks": "sensor tracks",
    "sensor_plug": "sensor plug",
    "harness": "harness",
    "unit_plug": "unit plug",
    "unit": "control unit",
    "pedal": "pedal",
}

# Below this naming one part would mislead: the two most suspected are named instead.
LIKELY, NEARLY_SURE = 0.60, 0.85
# A line that holds this share of its suspect's probability is named.
_STANDS_OUT = 0.7
# Swept from below this to above that is the whole travel, as far as a clean recording can claim.
WHOLE_PCT = (8.0, 92.0)


def natural_frequency(probability: float) -> str:
    """A probability as people count: "7 in 10", "4 in 100", "< 1 in 100"."""
    if probability >= 0.985:
        return "over 98 in 100"
    if probability >= 0.095:
        tenths = round(probability * 10)
        return f"{tenths} in 10" if tenths < 10 else f"{round(probability * 100)} in 100"
    if probability >= 0.01:
        return f"{round(probability * 100)} in 100"
    return "< 1 in 100"


def headline(
    suspects: tuple[Suspect, ...],
    stretches: tuple[StretchSuspicion, ...],
    examination: Examination,
) -> str:
    """One sentence: who is suspected, where, and how sure."""
    if not examination.findings:
        return _of_clean(examination.coverage) + _of_engine(examination.engine)
    return of_suspects(suspects, stretches)


def _of_engine(engine: EngineState) -> str:
    """What the engine does meanwhile, as a sentence of its own, "" where nothing of note."""
    told = (
        ("the idle hunts", engine.hunts),
        ("the idle is rough, it dips at random", engine.rough),
        ("the idle is too fast", engine.high and not engine.hunts),
        ("the idle is too slow", engine.low and not engine.hunts),
        ("the battery is low", engine.low_battery),
    )
    said = " and ".join(text for text, so in told if so)
    return f" But {said}." if said else ""


def of_suspects(suspects: tuple[Suspect, ...], stretches: tuple[StretchSuspicion, ...]) -> str:
    """Who is suspected, where, and how sure, or which two can't be told apart."""
    first = suspects[0]
    if first.probability < LIKELY:
        second = SUSPECT_NAMES[suspects[1].id]
        return f"Nothing can be decided yet: {SUSPECT_NAMES[first.id]} and {second} both fit."
    how = "Almost surely" if first.probability >= NEARLY_SURE else "Most likely"
    return f"{how} {_who(first.id, stretches)}."


def _of_clean(coverage: Coverage) -> str:
    if not coverage.swept_pct:
        return "Nothing can be decided yet: the throttle was hardly moved."
    low, high = coverage.swept_pct[0][0], coverage.swept_pct[-1][1]
    if len(coverage.swept_pct) == 1 and low <= WHOLE_PCT[0] and high >= WHOLE_PCT[1]:
        return "Nothing wrong shows over the whole travel."
    return f"Nothing wrong shows, but only {max(0.0, low):.0f} to {high:.0f} % was swept."


def _who(suspect: SuspectId, stretches: tuple[StretchSuspicion, ...]) -> str:
    own = [s for s in stretches if s.suspect is suspect and s.line]
    if suspect in (SuspectId.WIRING, SuspectId.SUPPLY_GROUND):
        line = _outstanding(own)
        where = {"": "one of the signals", "supply": "the sensor supply", "ground": "the sensor ground"}
        return f"the wiring of {where.get(line, line)}, first at the sensor plug"
    if suspect is SuspectId.SENSOR:
        return f"the sensor, {_outstanding(own) or 'one of its tracks'}"
    return {
        SuspectId.THROTTLE_BODY: "the throttle body: the plate itself stays open",
        SuspectId.PEDAL_SENSOR: "the pedal sensor",
        SuspectId.CONTROL_UNIT: "the control unit",
        SuspectId.ELSEWHERE: "something that is not the throttle",
        SuspectId.NONE: "nothing: what was seen is within what a sound throttle shows",
    }[suspect]


def _outstanding(own: list[StretchSuspicion]) -> str:
    """The line that holds most of a suspect's probability, or "" where none stands out."""
    shares: dict[str, float] = {}
    for suspicion in own:
        shares[suspicion.line] = shares.get(suspicion.line, 0.0) + suspicion.probability
    total = sum(shares.values())
    line = max(shares, key=lambda name: shares[name], default="")
    return line if total and shares[line] >= _STANDS_OUT * total else ""


def how_measured(channel: ChannelSummary) -> str:
    """What a channel can show, in a line: its updates, steps, noise, and its lag behind its sister."""

    def small(value: float) -> str:
        if channel.unit == "V":
            return f"{1000.0 * value:.1f} mV"
        return f"{value:.2g} {channel.unit}".rstrip()

    said = [f"{channel.id}: a value each {1000.0 * channel.shortest_event_s:.3g} ms"]
    if channel.repeats > 1:
        said.append(f"written {channel.repeats} times")
    said.append(f"steps of {small(channel.step)}" if channel.step else "no steps seen")
    said.append(f"noise {small(channel.noise)}")
    if round(channel.lag_s, 4):
        said.append(f"{1000.0 * channel.lag_s:.1f} ms behind its sister")
    if round(channel.drift, 6):
        said.append(f"its clock off by {1e6 * channel.drift:.0f} millionths")
    return ", ".join(said)

"""Words of the trade for what the numbers say, as one would say it to a colleague."""

from typing import TYPE_CHECKING

from nervus.domain.suspect import SuspectId
from nervus.language import figures, say

if TYPE_CHECKING:
    from nervus.domain.analysis import (
        ChannelSummary,
        Coverage,
        EngineState,
        Examination,
        StretchSuspicion,
        Suspect,
    )

SUSPECT_NAMES = {
    SuspectId.SENSOR: say("sensor"),
    SuspectId.WIRING: say("wiring"),
    SuspectId.THROTTLE_BODY: say("throttle body"),
    SuspectId.PEDAL_SENSOR: say("pedal sensor"),
    SuspectId.SUPPLY_GROUND: say("supply or ground"),
    SuspectId.CONTROL_UNIT: say("control unit"),
    SuspectId.ELSEWHERE: say("elsewhere"),
    SuspectId.NONE: say("no fault"),
}

SCHOOL_NAMES = {
    "cheapest_first": say("cheapest first"),
    "likeliest_first": say("most likely first"),
    "proof_first": say("proof before parts"),
    "proposed": say("proposed"),
}

STRETCH_NAMES = {
    "plate": say("plate"),
    "tracks": say("sensor tracks"),
    "sensor_plug": say("sensor plug"),
    "harness": say("harness"),
    "unit_plug": say("unit plug"),
    "unit": say("control unit"),
    "pedal": say("pedal"),
}

# Below this naming one part would mislead: the two most suspected are named instead.
LIKELY, NEARLY_SURE = 0.60, 0.85
# A line that holds this share of its suspect's probability is named.
_STANDS_OUT = 0.7
# Rows a reading that are told; nearer to one the odd row was lost.
_OFTENER = 1.05
# Swept from below this to above that is the whole travel, as far as a clean recording can claim.
WHOLE_PCT = (8.0, 92.0)
# What begins an observation of the pedal's tracks.
OF_PEDAL = "pedal: "


def observation_told(says: str) -> str:
    """An observation in the language of the people; kept and looked up it stays as it is in English."""
    if says.startswith(OF_PEDAL):
        return say("pedal: {what}", what=say(says.removeprefix(OF_PEDAL)))
    return say(says)


def natural_frequency(probability: float) -> str:
    """A probability as people count: "7 in 10", "4 in 100", "< 1 in 100"."""
    if probability >= 0.985:
        return say("over 98 in 100")
    if probability >= 0.095:
        tenths = round(probability * 10)
        return (
            say("{tenths} in 10", tenths=tenths)
            if tenths < 10
            else say("{round} in 100", round=round(probability * 100))
        )
    if probability >= 0.01:
        return say("{round} in 100", round=round(probability * 100))
    return say("< 1 in 100")


def headline(
    suspects: tuple["Suspect", ...],
    stretches: tuple["StretchSuspicion", ...],
    examination: "Examination",
) -> str:
    """One sentence: who is suspected, where, and how sure."""
    if not examination.findings:
        return _of_clean(examination.coverage) + _of_engine(examination.engine)
    return of_suspects(suspects, stretches)


def _of_engine(engine: "EngineState") -> str:
    """What the engine does meanwhile, as a sentence of its own, "" where nothing of note."""
    told = (
        (say("the idle hunts"), engine.hunts),
        (say("the idle is rough, it dips at random"), engine.rough),
        (say("the idle is too fast"), engine.high and not engine.hunts),
        (say("the idle is too slow"), engine.low and not engine.hunts),
        (say("the battery is low"), engine.low_battery),
    )
    said = say(" and ").join(text for text, so in told if so)
    return say(" But {said}.", said=said) if said else ""


def of_suspects(suspects: tuple["Suspect", ...], stretches: tuple["StretchSuspicion", ...]) -> str:
    """Who is suspected, where, and how sure, or which two can't be told apart."""
    first = suspects[0]
    if first.probability < LIKELY:
        second = SUSPECT_NAMES[suspects[1].id]
        return say(
            "Nothing can be decided yet: {suspect_names} and {second} both fit.",
            suspect_names=SUSPECT_NAMES[first.id],
            second=second,
        )
    how = say("Almost surely") if first.probability >= NEARLY_SURE else say("Most likely")
    return f"{how} {_who(first.id, stretches)}."


def _of_clean(coverage: "Coverage") -> str:
    if not coverage.swept_pct:
        return say("Nothing can be decided yet: the throttle was hardly moved.")
    low, high = coverage.swept_pct[0][0], coverage.swept_pct[-1][1]
    if len(coverage.swept_pct) == 1 and low <= WHOLE_PCT[0] and high >= WHOLE_PCT[1]:
        return say("Nothing wrong shows over the whole travel.")
    return say(
        "Nothing wrong shows, but only {max:.0f} to {high:.0f} % was swept.",
        max=max(0.0, low),
        high=high,
    )


def _who(suspect: SuspectId, stretches: tuple["StretchSuspicion", ...]) -> str:
    own = [s for s in stretches if s.suspect is suspect and s.line]
    if suspect in (SuspectId.WIRING, SuspectId.SUPPLY_GROUND):
        line = _outstanding(own)
        where = {
            "": say("one of the signals"),
            "supply": say("the sensor supply"),
            "ground": say("the sensor ground"),
        }
        return say("the wiring of {get}, first at the sensor plug", get=where.get(line) or say(line))
    if suspect is SuspectId.SENSOR:
        return say("the sensor, {value}", value=say(_outstanding(own) or "one of its tracks"))
    return {
        SuspectId.THROTTLE_BODY: say("the throttle body: the plate, or what moves it"),
        SuspectId.PEDAL_SENSOR: say("the pedal sensor"),
        SuspectId.CONTROL_UNIT: say("the control unit"),
        SuspectId.ELSEWHERE: say("something that is not the throttle"),
        SuspectId.NONE: say("nothing: what was seen is within what a sound throttle shows"),
    }[suspect]


def _outstanding(own: list["StretchSuspicion"]) -> str:
    """The line that holds most of a suspect's probability, or "" where none stands out."""
    shares: dict[str, float] = {}
    for suspicion in own:
        shares[suspicion.line] = shares.get(suspicion.line, 0.0) + suspicion.probability
    total = sum(shares.values())
    line = max(shares, key=lambda name: shares[name], default="")
    return line if total and shares[line] >= _STANDS_OUT * total else ""


def how_measured(channel: "ChannelSummary") -> str:
    """What a channel can show, in a line: its updates, steps, noise, and its lag behind its sister."""

    def small(value: float) -> str:
        if channel.unit == "V":
            return figures("{value:.1f} mV", value=1000.0 * value)
        return figures("{value:.2g} {unit}", value=value, unit=channel.unit).rstrip()

    said = [
        say(
            "{id}: a value each {shortest_event_s:.3g} ms",
            id=channel.id,
            shortest_event_s=1000.0 * channel.shortest_event_s,
        )
    ]
    if channel.rows >= _OFTENER:
        said.append(say("{rows:.3g} rows a reading", rows=channel.rows))
    elif channel.rows <= 1.0 / _OFTENER:
        said.append(say("not written while nothing was new"))
    said.append(
        say("steps of {small}", small=small(channel.step)) if channel.step else say("no steps seen")
    )
    said.append(say("noise {small}", small=small(channel.noise)))
    if channel.smoothed_s is not None:
        said.append(say("smoothed over {smoothed:.2g} ms", smoothed=1000.0 * channel.smoothed_s))
    if round(channel.lag_s, 4):
        said.append(say("{lag_s:.1f} ms behind its sister", lag_s=1000.0 * channel.lag_s))
    if round(channel.drift, 6):
        said.append(say("its clock off by {drift:.0f} millionths", drift=1000000.0 * channel.drift))
    return ", ".join(said)

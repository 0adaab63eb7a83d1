"""A whole job's judgement in words: outcome, headline, and what is missing."""

from collections.abc import Sequence

from nervus.domain.judgement import FaultSuspicion, Outcome, PartNeeded, RankedTest, School
from nervus.domain.suspect import SuspectId
from nervus.judge.words import LIKELY, NEARLY_SURE, SUSPECT_NAMES, natural_frequency
from nervus.language import say

# Clear is what one would act on; between two, both of which have to be had in mind.
CLEAR, BETWEEN = LIKELY, 0.75
# A fault that holds this share of its suspect's probability is named.
_STANDS_OUT = 0.6
_CURED = 0.8
# Two suspects of which both are at fault as probably as that are named together.
_TOGETHER = 0.5
# So many parts are named of either kind: at hand, and to be fetched.
_NAMED_PARTS = 3


def outcome_of(suspects: Sequence[tuple[SuspectId, float]], observed: int) -> Outcome:
    """How far a judgement came: suspects with their probability, most probable first."""
    first, second = suspects[0][1], suspects[1][1]
    if observed and first >= CLEAR:
        return Outcome.CLEAR
    if observed and first + second >= BETWEEN:
        return Outcome.BETWEEN
    return Outcome.NOT_ENOUGH


def headline_of(
    outcome: Outcome,
    suspects: Sequence[tuple[SuspectId, float]],
    faults: Sequence[FaultSuspicion],
    cured: float | None,
    both: tuple[SuspectId, SuspectId, float] | None = None,
) -> str:
    """One sentence that one would say to a colleague."""
    first, probability = suspects[0]
    if both is not None and both[2] >= _TOGETHER and (cured is None or cured < _CURED):
        one, two = (_named(s, faults) for s, _ in suspects if s in both[:2])
        return say("Two faults at once: {one}, and {two}.", one=one, two=two)
    if outcome is Outcome.BETWEEN:
        second = suspects[1][0]
        told = say(
            "It lies between {suspect_names} and {suspect_names_}.",
            suspect_names=SUSPECT_NAMES[first],
            suspect_names_=SUSPECT_NAMES[second],
        )
        if {first, second} == {SuspectId.SENSOR, SuspectId.WIRING}:
            told = say("It lies between the sensor and its wiring; a wiper and its wire can look alike.")
        return told
    if outcome is Outcome.NOT_ENOUGH:
        return say(
            "Not enough is known yet: {suspect_names} is no more than the first guess.",
            suspect_names=SUSPECT_NAMES[first],
        )
    what = _named(first, faults)
    if cured is not None and cured >= _CURED:
        return say("It was {what}, and it is cured.", what=what)
    how = say("Almost surely") if probability >= NEARLY_SURE else say("Most likely")
    return f"{how} {what}."


def _named(suspect: SuspectId, faults: Sequence[FaultSuspicion]) -> str:
    own = [f for f in faults if f.suspect is suspect]
    total = sum(f.probability for f in own)
    if own and own[0].probability >= _STANDS_OUT * total:
        return own[0].text
    general = {
        SuspectId.SENSOR: say("the sensor"),
        SuspectId.WIRING: say("the wiring of the throttle"),
        SuspectId.SUPPLY_GROUND: say("the sensor's supply or ground"),
        SuspectId.THROTTLE_BODY: say("the throttle body itself"),
        SuspectId.PEDAL_SENSOR: say("the pedal's sensor"),
        SuspectId.CONTROL_UNIT: say("the control unit"),
        SuspectId.ELSEWHERE: say("something that is not the throttle"),
        SuspectId.NONE: say("nothing: what was seen is within what a sound throttle shows"),
    }[suspect]
    if suspect is SuspectId.NONE or not own:
        return general
    # The line that they have in common, where they have one.
    half = [f for f in own if f.probability >= 0.1 * total]
    lines = {f.line for f in half}
    if len(lines) == 1 and half[0].line and suspect in (SuspectId.WIRING, SuspectId.SUPPLY_GROUND):
        return (
            say("the wiring of {line}", line=say(half[0].line))
            if suspect is SuspectId.WIRING
            else say("the sensor's {line}", line=say(half[0].line))
        )
    return (
        say("{general}, first of all {text}", general=general, text=own[0].text)
        if suspect is SuspectId.ELSEWHERE
        else general
    )


def at_hand_words(schools: Sequence[School]) -> str:
    """Which parts of the proposed way to have at hand, which to fetch when needed; "" for none."""
    parts = next((s.parts for s in schools if s.id == "proposed"), ())
    ahead = _parts_in_words([p for p in parts if p.at_hand])
    later = _parts_in_words([p for p in parts if not p.at_hand])
    told = (
        say("Worth having at hand: {ahead}.", ahead=ahead) if ahead else "",
        say("To be fetched when it is needed: {later}.", later=later) if later else "",
    )
    return " ".join(t for t in told if t)


def _parts_in_words(parts: Sequence[PartNeeded]) -> str:
    return "; ".join(
        say(
            "{text} (fitted: {fitted}; {returned:.0f} to return, {fetched:.0f} to fetch)",
            text=p.text,
            fitted=natural_frequency(p.fitted),
            returned=p.returned,
            fetched=p.fetched,
        )
        for p in parts[:_NAMED_PARTS]
    )


def turning_of(first: SuspectId, tests: Sequence[RankedTest]) -> str:
    """The outcome of a test that would most probably put another suspect first; "" where none would."""
    turning = [
        (outcome.probability, test.text, outcome)
        for test in tests
        for outcome in test.outcomes
        if max(outcome.suspects, key=lambda s: outcome.suspects[s]) is not first
    ]
    if not turning:
        return ""
    chance, text, outcome = max(turning, key=lambda row: row[0])
    other = max(outcome.suspects, key=lambda s: outcome.suspects[s])
    return say(
        "What would change it most: “{text}” ({lower}{text_}), {natural_frequency}; "
        "then {suspect_names} would be first.",
        text=outcome.text,
        lower=text[0].lower(),
        text_=text[1:],
        natural_frequency=natural_frequency(chance),
        suspect_names=SUSPECT_NAMES[other],
    )


def missing_of(outcome: Outcome, next_text: str, kinds: set[str]) -> str:
    """What would have to be known; "" where it is clear."""
    if outcome is Outcome.CLEAR:
        return ""
    wanted = [
        what
        for kind, what in (
            ("told", say("what it does and when")),
            ("codes", say("the codes of all modules")),
            ("looks", say("a look at plug, harness and plate")),
            ("recordings", say("a recording of the tracks")),
        )
        if kind not in kinds
    ]
    if outcome is Outcome.BETWEEN or not wanted:
        return say("What would part them: {next_text}.", next_text=next_text) if next_text else ""
    return say("Missing: {join}.", join=", ".join(wanted[:3]))

"""An entry of a job in one line."""

from nervus.domain.job import (
    UNFINISHED,
    AnyEntry,
    Change,
    CodeSet,
    Compared,
    Complaint,
    Cost,
    Decision,
    Face,
    Findings,
    Guided,
    Identified,
    KnownGood,
    Look,
    Marked,
    MeterUsed,
    Moved,
    Noted,
    Reading,
    Recorded,
    Seen,
    Setting,
    Shaken,
    Stayed,
    TakenOff,
    Watch,
)
from nervus.judge.shaking import place_title
from nervus.knowledge import look_items, told_in_words
from nervus.knowledge.known_procedures import procedure_named
from nervus.language import figures, say, say_many
from nervus.pins.situation import CHOSEN


def told(entry: AnyEntry) -> str:  # noqa: C901, PLR0911, PLR0912 - one line for each kind
    """An entry in one line."""
    match entry:
        case Complaint():
            return say("told: {value}", value=told_in_words(entry) or say("nothing yet"))
        case CodeSet():
            return _codes_told(entry)
        case Identified():
            parts = (entry.vehicle, entry.calibration, entry.name)
            return say("{module} is {join}", module=entry.module, join=", ".join(p for p in parts if p))
        case Look():
            return _look_told(entry)
        case Reading():
            return _reading_told(entry)
        case Face():
            return say("{plug} drawn: {len} pins", plug=entry.plug, len=len(entry.pins))
        case MeterUsed():
            return _meter_told(entry)
        case Setting():
            return _setting_told(entry)
        case Guided():
            procedure = procedure_named(entry.guide)
            title = procedure.title if procedure is not None else entry.guide.replace("_", " ")
            return say("{title}: {len} steps done", title=title, len=len(entry.done))
        case Recorded():
            return _recording_told(entry)
        case Findings():
            return _findings_told(entry)
        case Shaken():
            return _shaken_told(entry)
        case Marked():
            return say("marks put right: {len}", len=len(entry.marks))
        case KnownGood():
            return say("known good{value}", value=f": {entry.name}" if entry.name else "")
        case Noted():
            return say("remark: {words}", words=entry.words)
        case Change():
            return say("done: {done}", done=done_told(entry))
        case TakenOff():
            return _off_and_on_told(entry)
        case Compared():
            return say("parts side by side: {compared}", compared=_compared(entry))
        case Watch():
            return _watch_told(entry)
        case Stayed():
            return _stayed_told(entry)
        case Cost():
            return _cost_told(entry)
        case Decision():
            return say("decided: {words}", words=entry.words)
        case Moved():
            return _moved_told(entry)


def done_told(change: Change) -> str:
    """What a change was."""
    swapped = say(" (spare, taken out again: a test)") if change.swapped_back else ""
    return f"{change.done}{swapped}"


def off_told(entry: TakenOff) -> str:
    """What came off: by its name in a procedure, or as somebody wrote it."""
    return say(entry.what) if entry.guide else entry.what


def conditions_told(kept: str) -> str:
    """Conditions as they are kept with a reading: those that can be chosen are spoken."""
    return ", ".join(say(word) if word in CHOSEN else word for word in kept.split(", "))


def _codes_told(entry: CodeSet) -> str:
    none = say("none told") if entry.missing else say("none")
    listed = ", ".join(c.code for c in entry.codes) or none
    return say("codes {moment}: {value}", moment=entry.moment, value=listed)


def _look_told(entry: Look) -> str:
    title = next((i.title for i in look_items().item if i.id == entry.item), entry.item)
    mark = {Seen.GOOD: "✓", Seen.BAD: say("bad:"), Seen.NOT_SEEN: say("not seen:")}[entry.seen]
    return f"{mark} {title}" + (f" · {entry.note}" if entry.note else "")


def _reading_told(entry: Reading) -> str:
    value = figures("{value:.6g} {unit}", value=entry.value, unit=entry.unit)
    return f"{entry.where or say('measured')}: {say('nothing') if entry.nothing else value}"


def _meter_told(entry: MeterUsed) -> str:
    return say(
        "meter: {ohms:g} MΩ, {percent:g} % + {digits}",
        ohms=entry.ohms / 1000000.0,
        percent=entry.percent,
        digits=entry.digits,
    )


def _recording_told(entry: Recorded) -> str:
    named = entry.name.startswith("recording")
    name = entry.name if named else say("recording {name}", name=entry.name)
    return say("{name}, not finished", name=name) if entry.digest == UNFINISHED else name


def _findings_told(entry: Findings) -> str:
    return say_many(
        "{count} finding: {headline}",
        "{count} findings: {headline}",
        len(entry.findings),
        headline=entry.headline,
    )


def _shaken_told(entry: Shaken) -> str:
    what = say("let go {drops} times", drops=entry.drops) if entry.drops else say("steady")
    return say(
        "shaken at {place_title} for {seconds:.0f} s: {what}",
        place_title=place_title(entry.place),
        seconds=entry.seconds,
        what=what,
    )


def _off_and_on_told(entry: TakenOff) -> str:
    what = off_told(entry)
    if entry.put_back:
        return say("{what}: back on", what=what)
    if entry.waived:
        return say("{what}: stays off, {waived}", what=what, waived=entry.waived)
    return say("{what}: off", what=what)


def _watch_told(entry: Watch) -> str:
    tried = figures("{amount:.4g} {exposure}", amount=entry.amount, exposure=entry.exposure)
    if entry.exposure.is_counted:
        return say("to watch: it failed {events} times of {tried}", events=entry.events, tried=tried)
    return say("to watch: it failed {events} times in {tried}", events=entry.events, tried=tried)


def _stayed_told(entry: Stayed) -> str:
    seen = say("seen {events} times", events=entry.events) if entry.events else say("nothing seen")
    return figures(
        "{amount:.4g} {exposure}: {seen}{words}",
        amount=entry.amount,
        exposure=entry.exposure,
        seen=seen,
        words=f" · {entry.words}" if entry.words else "",
    )


def _moved_told(entry: Moved) -> str:
    return say(
        "now {state}{tentative}{due}{why}",
        state=entry.state,
        tentative=say(" (tentative)") if entry.tentative else "",
        due=say(" until {due:%d %b %Y}", due=entry.due) if entry.due else "",
        why=f" · {entry.words}" if entry.words else "",
    )


def _setting_told(setting: Setting) -> str:
    low, high = setting.target_v
    state = say("set") if setting.is_set else say("being set")
    now = setting.closed_v if setting.closed_v is not None else setting.loose_v
    at = say(", now {now:.2f} V", now=now) if now is not None else ""
    return say("sensor {state} to {low:g} … {high:g} V{at}", state=state, low=low, high=high, at=at)


def _compared(entry: Compared) -> str:
    parts = [
        say("{what}: {value} and {value_}", what=what, value=old or "?", value_=new or "?")
        for what, old, new in (
            (say("number"), entry.old_number, entry.new_number),
            (say("reading"), entry.old_reading, entry.new_reading),
        )
        if old or new
    ]
    return "; ".join([*parts, *([entry.words] if entry.words else [])])


def _cost_told(cost: Cost) -> str:
    parts = (
        figures("{minutes:g} min", minutes=cost.minutes) if cost.minutes else "",
        figures("{money:.2f}", money=cost.money) if cost.money else "",
    )
    return say(
        "cost: {what}, {value}",
        what=cost.what,
        value=" and ".join(p for p in parts if p) or say("nothing"),
    )

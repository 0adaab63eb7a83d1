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


def told(entry: AnyEntry) -> str:  # noqa: C901, PLR0911, PLR0912 - one line for each kind
    """An entry in one line."""
    match entry:
        case Complaint():
            return f"told: {told_in_words(entry) or 'nothing yet'}"
        case CodeSet():
            none = "none told" if entry.missing else "none"
            return f"codes {entry.moment}: {', '.join(c.code for c in entry.codes) or none}"
        case Identified():
            parts = (entry.vehicle, entry.calibration, entry.name)
            return f"{entry.module} is {', '.join(p for p in parts if p)}"
        case Look():
            title = next((i.title for i in look_items().item if i.id == entry.item), entry.item)
            mark = {Seen.GOOD: "✓", Seen.BAD: "bad:", Seen.NOT_SEEN: "not seen:"}[entry.seen]
            return f"{mark} {title}" + (f" · {entry.note}" if entry.note else "")
        case Reading():
            shown = "nothing" if entry.nothing else f"{entry.value:.6g} {entry.unit}"
            return f"{entry.where or 'measured'}: {shown}"
        case Face():
            return f"{entry.plug} drawn: {len(entry.pins)} pins"
        case MeterUsed():
            return f"meter: {entry.ohms / 1e6:g} MΩ, {entry.percent:g} % + {entry.digits}"
        case Setting():
            return _setting_told(entry)
        case Guided():
            procedure = procedure_named(entry.guide)
            title = procedure.title if procedure is not None else entry.guide.replace("_", " ")
            return f"{title}: {len(entry.done)} steps done"
        case Recorded():
            name = entry.name if entry.name.startswith("recording") else f"recording {entry.name}"
            return f"{name}, not finished" if entry.digest == UNFINISHED else name
        case Findings():
            count = len(entry.findings)
            return f"{count} finding{'' if count == 1 else 's'}: {entry.headline}"
        case Shaken():
            what = f"let go {entry.drops} times" if entry.drops else "steady"
            return f"shaken at {place_title(entry.place)} for {entry.seconds:.0f} s: {what}"
        case Marked():
            return f"marks put right: {len(entry.marks)}"
        case KnownGood():
            return f"known good{f': {entry.name}' if entry.name else ''}"
        case Noted():
            return f"remark: {entry.words}"
        case Change():
            swapped = " (spare, taken out again: a test)" if entry.swapped_back else ""
            return f"done: {entry.done}{swapped}"
        case TakenOff():
            if entry.put_back:
                return f"{entry.what}: back on"
            return f"{entry.what}: stays off, {entry.waived}" if entry.waived else f"{entry.what}: off"
        case Compared():
            return f"parts side by side: {_compared(entry)}"
        case Watch():
            how = "of" if entry.exposure.is_counted else "in"
            return f"to watch: it failed {entry.events} times {how} {entry.amount:.4g} {entry.exposure}"
        case Stayed():
            seen = f"seen {entry.events} times" if entry.events else "nothing seen"
            words = f" · {entry.words}" if entry.words else ""
            return f"{entry.amount:.4g} {entry.exposure}: {seen}{words}"
        case Cost():
            return _cost_told(entry)
        case Decision():
            return f"decided: {entry.words}"
        case Moved():
            why = f" · {entry.words}" if entry.words else ""
            tentative = " (tentative)" if entry.tentative else ""
            due = f" until {entry.due:%d %b %Y}" if entry.due else ""
            return f"now {entry.state}{tentative}{due}{why}"


def _setting_told(setting: Setting) -> str:
    low, high = setting.target_v
    state = "set" if setting.is_set else "being set"
    now = setting.closed_v if setting.closed_v is not None else setting.loose_v
    at = f", now {now:.2f} V" if now is not None else ""
    return f"sensor {state} to {low:g} … {high:g} V{at}"


def _compared(entry: Compared) -> str:
    parts = [
        f"{what}: {old or '?'} and {new or '?'}"
        for what, old, new in (
            ("number", entry.old_number, entry.new_number),
            ("reading", entry.old_reading, entry.new_reading),
        )
        if old or new
    ]
    return "; ".join([*parts, *([entry.words] if entry.words else [])])


def _cost_told(cost: Cost) -> str:
    parts = (f"{cost.minutes:g} min" if cost.minutes else "", f"{cost.money:.2f}" if cost.money else "")
    return f"cost: {cost.what}, {' and '.join(p for p in parts if p) or 'nothing'}"

"""All that the window can be told to do, as data: a stable name, words, keys, a menu."""

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class ActionSpec:
    """One action.

    Attributes:
        id: its stable name; the window has a method for each.
        text: what it is called in the menu.
        menu: the menu it stands in.
        keys: shortcuts, the first of them is shown.
        needs_recording: whether it works only with a recording open.
        needs_live: whether it works only while something is connected.
        needs_job: whether it works only with a job open.
        rule_before: whether a line is drawn above it.
    """

    id: str
    text: str
    menu: str
    keys: tuple[str, ...] = ()
    needs_recording: bool = False
    needs_live: bool = False
    needs_job: bool = False
    rule_before: bool = False


QUICK_MARKS: Final = ("shake", "heat", "water", "tap", "key")

ACTIONS: Final = (
    ActionSpec("new_job", "New job", "Job", ("Ctrl+N",)),
    ActionSpec("find_job", "Find a job", "Job", ("Ctrl+F",)),
    ActionSpec("undo", "Undo", "Job", ("Ctrl+Z",), needs_job=True, rule_before=True),
    ActionSpec("keep", "Begin a job with this recording", "Job", ("Ctrl+B",), needs_recording=True),
    ActionSpec("take_bundle", "Take a job from a bundle …", "Job", rule_before=True),
    ActionSpec("give_bundle", "Give the job as a bundle …", "Job", ("Ctrl+E",), needs_job=True),
    ActionSpec("report", "Report …", "Job", ("Ctrl+R",), needs_job=True),
    ActionSpec("due_jobs", "Due jobs as a calendar …", "Job"),
    ActionSpec("jobs", "All jobs", "Station", ("Alt+0",)),
    ActionSpec("complaint", "Complaint", "Station", ("Alt+1",), needs_job=True, rule_before=True),
    ActionSpec("codes_station", "Codes", "Station", ("Alt+2",), needs_job=True),
    ActionSpec("look", "Look", "Station", ("Alt+3",), needs_job=True),
    ActionSpec("record_station", "Record", "Station", ("Alt+4",)),
    ActionSpec("pins", "Pins", "Station", ("Alt+5",), needs_job=True),
    ActionSpec("decide", "Decide", "Station", ("Alt+6",), needs_job=True),
    ActionSpec("mend", "Mend", "Station", ("Alt+7",), needs_job=True),
    ActionSpec("prove", "Prove", "Station", ("Alt+8",), needs_job=True),
    ActionSpec("open", "Open a recording …", "Recording", ("Ctrl+O",)),
    ActionSpec("close", "Close the recording", "Recording", ("Ctrl+W",), needs_recording=True),
    ActionSpec(
        "give_picture",
        "Give the picture or its data out …",
        "Recording",
        ("Ctrl+P",),
        needs_recording=True,
    ),
    ActionSpec(
        "words", "Marks and remarks …", "Recording", ("Ctrl+M",), needs_recording=True, rule_before=True
    ),
    ActionSpec("add_mark", "Mark here, in words", "Recording", ("M",), needs_recording=True),
    ActionSpec("known_good", "Known good, or no more", "Recording", ("Ctrl+G",), needs_recording=True),
    ActionSpec("below", "Lay another below …", "Recording", ("Ctrl+U",), needs_recording=True),
    ActionSpec("below_back", "Move the one below back", "Recording", ("[",), needs_recording=True),
    ActionSpec("below_on", "Move the one below on", "Recording", ("]",), needs_recording=True),
    ActionSpec(
        "below_align",
        "The one below: B onto A, or its first sweep",
        "Recording",
        ("Y",),
        needs_recording=True,
    ),
    ActionSpec("quit", "Quit", "Recording", ("Ctrl+Q",), rule_before=True),
    ActionSpec("simulated", "Connect the simulated vehicle", "Live", ("Ctrl+K",)),
    ActionSpec("vehicle", "Connect a vehicle …", "Live", ("Ctrl+Shift+K",)),
    ActionSpec("meter", "Connect a meter …", "Live"),
    ActionSpec("by_hand", "Type readings by hand …", "Live"),
    ActionSpec("codes", "Codes of the vehicle …", "Live", ("C",), needs_live=True, rule_before=True),
    ActionSpec("other_picture", "Change the picture", "Live", ("V",), needs_live=True),
    ActionSpec("record", "Record, or stop", "Live", ("R",), needs_live=True, rule_before=True),
    ActionSpec("tone", "Tone that follows the signal", "Live", ("T",), needs_live=True),
    ActionSpec("shake", "Guided wiggle test", "Live", ("G",), needs_live=True),
    ActionSpec("values", "Values and alarms …", "Live", ("W",), needs_live=True),
    ActionSpec("mark", "Mark in words", "Live", ("M",), needs_live=True, rule_before=True),
    *(
        ActionSpec(f"mark_{kind}", f"Mark: {kind}", "Live", (str(number),), needs_live=True)
        for number, kind in enumerate(QUICK_MARKS, start=1)
    ),
    ActionSpec("leave", "Disconnect", "Live", ("Ctrl+D",), needs_live=True, rule_before=True),
    ActionSpec("over_time", "Over time", "View", ("Ctrl+1",), needs_recording=True),
    ActionSpec("over_travel", "Over travel", "View", ("Ctrl+2",), needs_recording=True),
    ActionSpec("pair", "Track against track", "View", ("Ctrl+3",), needs_recording=True),
    ActionSpec("next_view", "Change the view", "View", ("V",), needs_recording=True),
    ActionSpec(
        "zoom_in", "Closer", "View", ("Ctrl++", "Ctrl+="), needs_recording=True, rule_before=True
    ),
    ActionSpec("zoom_out", "Further away", "View", ("Ctrl+-",), needs_recording=True),
    ActionSpec("whole", "The whole recording", "View", ("Ctrl+0",), needs_recording=True),
    ActionSpec("next_finding", "Next finding", "View", ("N",), needs_recording=True, rule_before=True),
    ActionSpec("previous_finding", "Previous finding", "View", ("P",), needs_recording=True),
    ActionSpec("no_finding", "Mark no finding", "View", ("Esc",), needs_recording=True),
    ActionSpec("channels", "Channels over time …", "View", ("Ctrl+L",), needs_recording=True),
    ActionSpec(
        "measure", "Measure between two cursors", "View", ("X",), needs_recording=True, rule_before=True
    ),
    ActionSpec("ruler_a", "Cursor A", "View", ("A",), needs_recording=True),
    ActionSpec("ruler_b", "Cursor B", "View", ("B",), needs_recording=True),
    *(
        ActionSpec(
            f"{how}_{way}",
            f"Cursor to the {words} {how}",
            "View",
            (f"{held}+{key}",),
            needs_recording=True,
        )
        for how, held in (("sample", "Shift"), ("event", "Ctrl"), ("edge", "Alt"))
        for way, words, key in (("back", "last", "Left"), ("on", "next", "Right"))
    ),
    ActionSpec("copy_measured", "Copy what is measured", "View", ("Ctrl+C",), needs_recording=True),
    ActionSpec(
        "keep_measured", "Keep what is measured in the job", "View", ("K",), needs_recording=True
    ),
    ActionSpec("theme", "Dim theme", "View", ("D",), rule_before=True),
    ActionSpec("nerve", "The nerve", "View", ("F9",)),
    ActionSpec("findings", "Findings", "View", ("F8",)),
    ActionSpec("judgement", "Judgement at the side", "View", ("J",)),
    ActionSpec("whole_picture", "The picture alone", "View", ("F11",), needs_recording=True),
    ActionSpec("manual", "Manual", "Help", ("F1",)),
    ActionSpec("about", "About Nervus", "Help"),
)

FOOT_HOME: Final = (
    ("Ctrl N", "new job"),
    ("↑ ↓", "choose"),
    ("Enter", "open"),
    ("Ctrl O", "recording"),
    ("Ctrl K", "simulated vehicle"),
    ("F1", "manual"),
)
FOOT_STATION: Final = (
    ("Alt 0 … 8", "station"),
    ("Ctrl Z", "undo"),
    ("Ctrl O", "recording"),
    ("Ctrl E", "bundle"),
    ("Ctrl R", "report"),
    ("J", "judgement"),
)
FOOT_EMPTY: Final = (
    ("Ctrl O", "open"),
    ("Ctrl K", "simulated vehicle"),
    ("D", "dim or bright"),
    ("F1", "manual"),
)
FOOT_LIVE: Final = (
    ("R", "record"),
    ("1 … 5", "mark"),
    ("M", "in words"),
    ("T", "tone"),
    ("G", "wiggle test"),
    ("W", "values"),
    ("V", "picture"),
    ("C", "codes"),
    ("Ctrl D", "disconnect"),
    ("D", "dim"),
)
FOOT_SHAKING: Final = (
    ("Space", "begin or pause"),
    ("Enter", "next place"),
    ("Esc", "end the wiggle test"),
    ("R", "record"),
    ("T", "tone"),
)
FOOT: Final = (
    ("Ctrl O", "open"),
    ("N", "next finding"),
    ("V", "view"),
    ("X", "measure"),
    ("+ −", "zoom"),  # noqa: RUF001 - a true minus sign
    ("F8 F9 J", "fold"),
    ("F11", "picture"),
)

"""All that the window can be told to do, as data: a stable name, words, keys, a menu."""

from dataclasses import dataclass
from typing import Final

from nervus.language import say


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
    ActionSpec("new_job", say("New job"), "Job", ("Ctrl+N",)),
    ActionSpec("find_job", say("Find a job"), "Job", ("Ctrl+F",)),
    ActionSpec("undo", say("Undo"), "Job", ("Ctrl+Z",), needs_job=True, rule_before=True),
    ActionSpec("keep", say("Begin a job with this recording"), "Job", ("Ctrl+B",), needs_recording=True),
    ActionSpec("take_bundle", say("Take a job from a bundle …"), "Job", rule_before=True),
    ActionSpec("give_bundle", say("Give the job as a bundle …"), "Job", ("Ctrl+E",), needs_job=True),
    ActionSpec("report", say("Report …"), "Job", ("Ctrl+R",), needs_job=True),
    ActionSpec("due_jobs", say("Due jobs as a calendar …"), "Job"),
    ActionSpec("jobs", say("All jobs"), "Station", ("Alt+0",)),
    ActionSpec("complaint", say("Complaint"), "Station", ("Alt+1",), needs_job=True, rule_before=True),
    ActionSpec("codes_station", say("Codes"), "Station", ("Alt+2",), needs_job=True),
    ActionSpec("look", say("Look"), "Station", ("Alt+3",), needs_job=True),
    ActionSpec("record_station", say("Record"), "Station", ("Alt+4",)),
    ActionSpec("pins", say("Pins"), "Station", ("Alt+5",), needs_job=True),
    ActionSpec("decide", say("Decide"), "Station", ("Alt+6",), needs_job=True),
    ActionSpec("mend", say("Mend"), "Station", ("Alt+7",), needs_job=True),
    ActionSpec("prove", say("Prove"), "Station", ("Alt+8",), needs_job=True),
    ActionSpec("open", say("Open a recording …"), "Recording", ("Ctrl+O",)),
    ActionSpec("close", say("Close the recording"), "Recording", ("Ctrl+W",), needs_recording=True),
    ActionSpec(
        "give_picture",
        say("Give the picture or its data out …"),
        "Recording",
        ("Ctrl+P",),
        needs_recording=True,
    ),
    ActionSpec(
        "words",
        say("Marks and remarks …"),
        "Recording",
        ("Ctrl+M",),
        needs_recording=True,
        rule_before=True,
    ),
    ActionSpec("add_mark", say("Mark here, in words"), "Recording", ("M",), needs_recording=True),
    ActionSpec(
        "known_good", say("Known good, or no more"), "Recording", ("Ctrl+G",), needs_recording=True
    ),
    ActionSpec("below", say("Lay another below …"), "Recording", ("Ctrl+U",), needs_recording=True),
    ActionSpec("below_back", say("Move the one below back"), "Recording", ("[",), needs_recording=True),
    ActionSpec("below_on", say("Move the one below on"), "Recording", ("]",), needs_recording=True),
    ActionSpec(
        "below_align",
        say("The one below: B onto A, or its first sweep"),
        "Recording",
        ("Y",),
        needs_recording=True,
    ),
    ActionSpec("quit", say("Quit"), "Recording", ("Ctrl+Q",), rule_before=True),
    ActionSpec("simulated", say("Connect the simulated vehicle"), "Live", ("Ctrl+K",)),
    ActionSpec("vehicle", say("Connect a vehicle …"), "Live", ("Ctrl+Shift+K",)),
    ActionSpec("meter", say("Connect a meter …"), "Live"),
    ActionSpec("by_hand", say("Type readings by hand …"), "Live"),
    ActionSpec(
        "codes", say("Codes of the vehicle …"), "Live", ("C",), needs_live=True, rule_before=True
    ),
    ActionSpec("other_picture", say("Change the picture"), "Live", ("V",), needs_live=True),
    ActionSpec("record", say("Record, or stop"), "Live", ("R",), needs_live=True, rule_before=True),
    ActionSpec("tone", say("Tone that follows the signal"), "Live", ("T",), needs_live=True),
    ActionSpec("shake", say("Guided wiggle test"), "Live", ("G",), needs_live=True),
    ActionSpec("values", say("Values and alarms …"), "Live", ("W",), needs_live=True),
    ActionSpec("mark", say("Mark in words"), "Live", ("M",), needs_live=True, rule_before=True),
    *(
        ActionSpec(
            f"mark_{kind}", say("Mark: {kind}", kind=say(kind)), "Live", (str(number),), needs_live=True
        )
        for number, kind in enumerate(QUICK_MARKS, start=1)
    ),
    ActionSpec("leave", say("Disconnect"), "Live", ("Ctrl+D",), needs_live=True, rule_before=True),
    ActionSpec("over_time", say("Over time"), "View", ("Ctrl+1",), needs_recording=True),
    ActionSpec("over_travel", say("Over travel"), "View", ("Ctrl+2",), needs_recording=True),
    ActionSpec("pair", say("Track against track"), "View", ("Ctrl+3",), needs_recording=True),
    ActionSpec("next_view", say("Change the view"), "View", ("V",), needs_recording=True),
    ActionSpec(
        "zoom_in", say("Closer"), "View", ("Ctrl++", "Ctrl+="), needs_recording=True, rule_before=True
    ),
    ActionSpec("zoom_out", say("Further away"), "View", ("Ctrl+-",), needs_recording=True),
    ActionSpec("whole", say("The whole recording"), "View", ("Ctrl+0",), needs_recording=True),
    ActionSpec(
        "next_finding", say("Next finding"), "View", ("N",), needs_recording=True, rule_before=True
    ),
    ActionSpec("previous_finding", say("Previous finding"), "View", ("P",), needs_recording=True),
    ActionSpec("no_finding", say("Mark no finding"), "View", ("Esc",), needs_recording=True),
    ActionSpec("channels", say("Channels over time …"), "View", ("Ctrl+L",), needs_recording=True),
    ActionSpec(
        "measure",
        say("Measure between two cursors"),
        "View",
        ("X",),
        needs_recording=True,
        rule_before=True,
    ),
    ActionSpec("ruler_a", say("Cursor A"), "View", ("A",), needs_recording=True),
    ActionSpec("ruler_b", say("Cursor B"), "View", ("B",), needs_recording=True),
    *(
        ActionSpec(
            f"{how}_{way}",
            say("Cursor to the {words} {how}", words=words, how=how),
            "View",
            (f"{held}+{key}",),
            needs_recording=True,
        )
        for how, held in (("sample", "Shift"), ("event", "Ctrl"), ("edge", "Alt"))
        for way, words, key in (("back", "last", "Left"), ("on", "next", "Right"))
    ),
    ActionSpec("copy_measured", say("Copy what is measured"), "View", ("Ctrl+C",), needs_recording=True),
    ActionSpec(
        "keep_measured", say("Keep what is measured in the job"), "View", ("K",), needs_recording=True
    ),
    ActionSpec("theme", say("Dim theme"), "View", ("D",), rule_before=True),
    ActionSpec("nerve", say("The nerve"), "View", ("F9",)),
    ActionSpec("findings", say("Findings"), "View", ("F8",)),
    ActionSpec("judgement", say("Judgement at the side"), "View", ("J",)),
    ActionSpec("whole_picture", say("The picture alone"), "View", ("F11",), needs_recording=True),
    ActionSpec("language", say("Language …"), "View", rule_before=True),
    ActionSpec("manual", say("Manual"), "Help", ("F1",)),
    ActionSpec("about", say("About Nervus"), "Help"),
)

FOOT_HOME: Final = (
    (say("Ctrl N"), say("new job")),
    ("↑ ↓", say("choose")),
    (say("Enter"), say("the job")),
    (say("Ctrl O"), say("recording")),
    (say("Ctrl K"), say("simulated vehicle")),
    (say("F1"), say("manual")),
)
FOOT_STATION: Final = (
    (say("Alt 0 … 8"), say("station")),
    (say("Ctrl Z"), say("undo")),
    (say("Ctrl O"), say("recording")),
    (say("Ctrl E"), say("bundle")),
    (say("Ctrl R"), say("report")),
    (say("J"), say("judgement")),
)
FOOT_EMPTY: Final = (
    (say("Ctrl O"), say("file")),
    (say("Ctrl K"), say("simulated vehicle")),
    (say("D"), say("dim or bright")),
    (say("F1"), say("manual")),
)
FOOT_LIVE: Final = (
    (say("R"), say("record")),
    ("1 … 5", say("mark")),
    (say("M"), say("in words")),
    (say("T"), say("tone")),
    (say("G"), say("wiggle test")),
    (say("W"), say("values")),
    (say("V"), say("picture")),
    (say("C"), say("codes")),
    (say("Ctrl D"), say("disconnect")),
    (say("D"), say("dim")),
)
FOOT_SHAKING: Final = (
    (say("Space"), say("begin or pause")),
    (say("Enter"), say("next place")),
    (say("Esc"), say("end the wiggle test")),
    (say("R"), say("record")),
    (say("T"), say("tone")),
)
FOOT: Final = (
    (say("Ctrl O"), say("file")),
    (say("N"), say("next finding")),
    (say("V"), say("view")),
    (say("X"), say("measure")),
    ("+ −", say("zoom")),  # noqa: RUF001 - a true minus sign
    (say("F8 F9 J"), say("fold")),
    (say("F11"), say("picture")),
)

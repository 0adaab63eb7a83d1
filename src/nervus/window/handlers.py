"""What each action of the menus and keys does: the table between `actions.py` and the window's parts."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from nervus.window.boxes import ask_for_language, show_about
from nervus.window.pictures.recording_panel import OVER_TIME, OVER_TRAVEL, PAIR
from nervus.window.rail import JOBS
from nervus.window.room import FOLDING
from nervus.window.stations import RECORD

if TYPE_CHECKING:
    from nervus.window.main_window import MainWindow

Handlers = dict[str, Callable[[], object]]


def handlers(window: "MainWindow") -> Handlers:
    """For each action by its name what it does."""
    return {
        **_of_jobs(window),
        **_of_the_recording(window),
        **_of_measuring(window),
        **_of_the_window(window),
        **window.live_part.handlers(),
    }


def _of_jobs(window: "MainWindow") -> Handlers:
    def going(station: str) -> Callable[[], object]:
        return lambda: window.go(station)

    stations = ("complaint", "look", "pins", "decide", "mend", "prove")
    return {
        "new_job": lambda: window.begin_job(""),
        "find_job": going(JOBS),
        "undo": window.job_part.undo,
        "keep": window.keep_opened,
        "take_bundle": window.files.ask_for_bundle,
        "give_bundle": window.files.ask_where_to,
        "report": lambda: window.stations.report(window),
        "due_jobs": window.files.ask_for_calendar,
        "jobs": going(JOBS),
        "codes_station": going("codes"),
        "record_station": going(RECORD),
        **{name: going(name) for name in stations},
    }


def _of_the_recording(window: "MainWindow") -> Handlers:
    panel, findings = window.panel, window.findings
    return {
        "open": window.files.ask_for_file,
        "close": window.close_recording,
        "give_picture": window.files.ask_for_picture,
        "over_time": lambda: panel.show_view(OVER_TIME),
        "over_travel": lambda: panel.show_view(OVER_TRAVEL),
        "pair": lambda: panel.show_view(PAIR),
        "next_view": panel.next_view,
        "zoom_in": lambda: panel.chart.zoom(1.5),
        "zoom_out": lambda: panel.chart.zoom(1 / 1.5),
        "whole": lambda: panel.chart.zoom(0.0),
        "next_finding": lambda: findings.step(1),
        "previous_finding": lambda: findings.step(-1),
        "no_finding": lambda: findings.view.setCurrentIndex(findings.model.index(-1, 0)),
        "channels": panel.ask_for_channels,
        "words": window.beside.ask,
        "add_mark": lambda: window.beside.ask(add=True),
        "known_good": window.beside.toggle_known_good,
        "below": window.under.ask,
        "below_back": lambda: panel.shift_under(-0.02),
        "below_on": lambda: panel.shift_under(0.02),
        "below_align": panel.align_under,
    }


def _of_measuring(window: "MainWindow") -> Handlers:
    panel = window.panel
    steps = {
        f"{how}_{way}": partial(panel.step_ruler, how, by)
        for how in ("sample", "event", "edge")
        for way, by in (("back", -1), ("on", 1))
    }
    return {
        "measure": panel.toggle_measure,
        "ruler_a": lambda: panel.choose_ruler(0),
        "ruler_b": lambda: panel.choose_ruler(1),
        "copy_measured": panel.measure_bar.copy_text,
        "keep_measured": panel.measure_bar.keep.click,
        **steps,
    }


def _of_the_window(window: "MainWindow") -> Handlers:
    return {
        "quit": window.close,
        "theme": window.toggle_theme,
        **{name: partial(window.room.toggle, name) for name in FOLDING},
        "whole_picture": window.room.toggle_whole,
        "manual": window.show_manual,
        "language": lambda: ask_for_language(window, window.notice.tell),
        "about": lambda: show_about(window),
    }

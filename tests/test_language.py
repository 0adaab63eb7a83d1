"""Every text can be spoken in another language, German is whole, and no language changes a figure."""

import json
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from string import Formatter

import pytest
import texts
from babel.messages import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po
from babel.numbers import format_decimal
from pytestqt.qtbot import QtBot

from nervus import language
from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.job import Job, JobState, Reading, Source, new_id, new_vehicle, now
from nervus.files.bundle import write_bundle
from nervus.judge import of_told
from nervus.judge.of_changes import what_was_done
from nervus.judge.reading_words import Measured, understand
from nervus.knowledge import complaints
from nervus.window.boxes import ask_for_language
from nervus.window.main_window import MainWindow
from nervus.window.pictures.plots import UnitAxis

TESTS = Path(__file__).parent
SAMPLES = TESTS / "data" / "samples"
_FIGURE = re.compile(r"(?<![A-Za-z0-9_.,])\d+(?:[.,]\d+)?")


@pytest.fixture
def spoken(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[pytest.MonkeyPatch]:
    """A process that has not yet settled its language, and keeps its choice in a folder of its own."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    monkeypatch.delenv(language.VARIABLE)
    _forget()
    yield monkeypatch
    monkeypatch.undo()
    _forget()


def _forget() -> None:
    language.language.cache_clear()
    language._catalogue.cache_clear()


def _catalogue() -> Catalog:
    with texts.po_path("de").open("rb") as file:
        return read_po(file, locale="de")


def _fields(text: str) -> list[tuple[str, str]]:
    return sorted((name, spec or "") for _, name, spec, _ in Formatter().parse(text) if name)


# -- the catalogue -------------------------------------------------------------------------------------


def test_german_has_a_word_for_every_text_and_for_no_other() -> None:
    kept = _catalogue()
    assert {m.id for m in kept if m.id} == set(texts.texts())
    assert texts.missing(kept) == []


def test_every_translation_holds_the_same_values_written_in_the_same_way() -> None:
    wrong = []
    for message in _catalogue():
        ids = tuple(map(str, message.id if isinstance(message.id, tuple) else (message.id,)))
        told = message.string if isinstance(message.string, tuple) else (message.string,)
        for string in map(str, told if message.id else ()):
            if _fields(string) not in [_fields(text) for text in ids]:
                wrong.append((ids, string))
            if any(text[:1] == " " for text in ids) != (string[:1] == " "):
                wrong.append((ids, string))
    assert wrong == []


def test_what_is_shipped_was_made_of_the_words_in_sight() -> None:
    made = BytesIO()
    write_mo(made, _catalogue())
    assert made.getvalue() == texts.po_path("de").with_suffix(".mo").read_bytes()


# -- which language ------------------------------------------------------------------------------------


def test_the_variable_goes_before_the_choice_and_the_choice_before_the_desktop(
    spoken: pytest.MonkeyPatch,
) -> None:
    for name in ("LC_ALL", "LC_MESSAGES"):
        spoken.delenv(name, raising=False)
    spoken.setenv("LANG", "de_AT.UTF-8")
    assert language.language() == "de"
    language.choose("en")
    _forget()
    assert language.language() == "en"
    spoken.setenv(language.VARIABLE, "de")
    _forget()
    assert language.language() == "de"
    spoken.setenv(language.VARIABLE, "tlh")
    _forget()
    assert language.language() == "en"


def test_a_choice_that_cannot_be_read_is_none(spoken: pytest.MonkeyPatch, tmp_path: Path) -> None:
    spoken.setenv("LANG", "C")
    (tmp_path / "nervus").mkdir()
    (tmp_path / "nervus" / "language").write_bytes(b"\xff\xfe\x00")
    assert language.chosen() == ""


@pytest.mark.usefixtures("spoken")
def test_the_language_is_chosen_in_the_window_for_the_next_start(
    window: MainWindow,
) -> None:
    told: list[str] = []
    box = ask_for_language(window, told.append)
    assert box.comboBoxItems() == ["As the desktop", "English", "Deutsch"]
    box.setTextValue("Deutsch")
    box.accept()
    assert language.chosen() == "de"
    assert told == ["The next start speaks it: Deutsch."]


def test_what_somebody_wrote_is_never_translated(spoken: pytest.MonkeyPatch) -> None:
    spoken.setenv(language.VARIABLE, "de")
    assert language.say("hot") == "heiß"
    assert language.say("remark: {words}", words="hot") == "Bemerkung: hot"
    assert language.say("live · {value} · {state}", value="x", state=JobState.OPEN) == "live · x · offen"


def test_a_track_is_told_by_its_number_in_the_language(spoken: pytest.MonkeyPatch) -> None:
    spoken.setenv(language.VARIABLE, "de")
    names = ("tps1_v", "tps2_pct", "app2_v")
    assert [CHANNEL_KINDS[n].track for n in names] == ["Spur 1", "Spur 2", "Pedalspur 2"]


# -- how numbers and days are written ------------------------------------------------------------------


def test_an_axis_writes_its_numbers_as_everything_else_does(
    spoken: pytest.MonkeyPatch,
    qtbot: QtBot,  # noqa: ARG001 - needs an application
) -> None:
    axis = UnitAxis("left", "V")
    assert axis.tickStrings([0.5, 1.0], 1.0, 0.5) == ["0.5 V", "1.0 V"]
    spoken.setenv(language.VARIABLE, "de")
    _forget()
    assert axis.tickStrings([0.5, 1.0], 1.0, 0.5) == ["0,5 V", "1,0 V"]


@pytest.mark.parametrize("value", [0.5, 4.25, -0.04, 100.0, 0.0])
def test_numbers_are_written_as_babel_writes_them(spoken: pytest.MonkeyPatch, value: float) -> None:
    # Babel follows the Unicode Common Locale Data Repository (cldr.unicode.org).
    spoken.setenv(language.VARIABLE, "de")
    assert language.figures("{value:.2f}", value=value) == format_decimal(value, "0.00", locale="de")
    assert language.say("{round} in 100", round=4) == "4 von 100"


# -- the program ---------------------------------------------------------------------------------------


def _run(arguments: list[str], code: str) -> str:
    done = subprocess.run(
        [sys.executable, *arguments],
        env=os.environ | {language.VARIABLE: code},
        capture_output=True,
        text=True,
        check=False,
        timeout=300,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    return done.stdout


@pytest.mark.parametrize("name", [p.name for p in sorted(SAMPLES.glob("*.csv"))][::4])
def test_no_language_changes_a_figure_of_an_analysis(name: str) -> None:
    english, german = (
        json.loads(_run(["-m", "nervus", "analyse", str(SAMPLES / name), "--json"], code))
        for code in ("en", "de")
    )
    assert _plain(english) == _plain(german)
    assert english["locality"]["text"] != german["locality"]["text"]


def test_no_language_changes_a_judgement_and_all_that_is_told_of_it_is_spoken(
    tmp_path: Path,
) -> None:
    # Made in one language and judged in both, as when two people share a logbook.
    seen = {
        code: json.loads(_run([str(TESTS / "spoken_jobs.py"), str(tmp_path / "logbook.db")], code))
        for code in ("en", "de", language.PSEUDO)
    }
    told = {code: seen[code]["judgements"] for code in ("en", "de")}
    headlines = {code: [job.pop("headline") for job in jobs.values()] for code, jobs in told.items()}
    assert len(told["en"]) > 20
    assert told["en"] == told["de"]
    assert all(a != b for a, b in zip(*headlines.values(), strict=True))
    # All that is told of them outside the window: judgements, reports for either reader, analyses.
    assert seen[language.PSEUDO]["unspoken"] == []


def test_codes_of_both_tracks_low_are_told_of_their_supply_in_any_language() -> None:
    code = (
        "from nervus.judge.story import story_of; from nervus.codes.notation import read_code as c;"
        "print(story_of([c('P0122'), c('P0222')]).text)"
    )
    assert "Versorgung" in _run(["-c", code], "de")


# -- what people write ---------------------------------------------------------------------------------
# That each pair says the same is a matter of the two languages; from memory.


@pytest.mark.parametrize(
    ("english", "german"),
    [
        ("sensor renewed", "Sensor erneuert"),
        ("throttle sensor renewed", "Drosselklappensensor ersetzt"),
        ("plug cleaned", "Sensorstecker gereinigt"),
        ("signal 2 repaired", "Signal 2 gelötet"),
        ("ground strap renewed, battery cleaned", "Masseband erneuert und Batterie gereinigt"),
        ("throttle body cleaned", "Drosselklappe gereinigt"),
        ("codes cleared", "Fehlerspeicher gelöscht"),
        ("harness repaired, not cleaned", "Kabelbaum repariert, nicht gereinigt"),
        ("pedal sensor renewed", "Pedalsensor erneuert"),
        ("unit plug cleaned", "Steuergerätestecker gereinigt"),
        ("hose renewed", "Unterdruckschlauch erneuert"),
        ("plug checked", "Stecker geprüft"),
    ],
)
def test_a_change_is_understood_in_either_language(english: str, german: str) -> None:
    assert {c.id for c in what_was_done(german)} == {c.id for c in what_was_done(english)}


@pytest.mark.parametrize(
    ("english", "german"),
    [
        ("cuts out over bumps", "setzt aus bei Schlaglöchern"),
        ("stalls when hot", "geht aus, wenn heiß"),
        ("limps home, lamp on", "Notlauf, Lampe an"),
        ("hunts at idle, always", "Leerlauf schwankt, immer"),
        ("stumbles in the wet", "stolpert bei Nässe"),
        ("no complaint", "keine Beanstandung"),
    ],
)
def test_a_complaint_in_words_is_understood_in_either_language(english: str, german: str) -> None:
    rows = (*complaints().symptom, *complaints().condition)
    told = of_told._in_words(english, rows)
    assert told
    assert of_told._in_words(german, rows) == told


@pytest.mark.parametrize(
    ("english", "german"),
    [
        ("signal 1 at the sensor plug", "Signal 1 am Sensorstecker"),
        ("ground at the unit plug, engine running", "Masse am Steuergerätestecker, Motor läuft"),
        ("supply at the sensor plug, unplugged", "Versorgung am Sensorstecker, abgezogen"),
        ("pedal signal 2 at the pedal plug", "Pedalsignal 2 am Pedalstecker"),
        (
            "signal 2 to battery negative, harness moved",
            "Signal 2 gegen Batterie minus, bewegt",
        ),
        ("track 2 wide open, hot", "Spur 2 ganz offen, heiß"),
        ("battery, engine running", "Batterie, Motor an"),
    ],
)
def test_a_reading_in_words_is_understood_in_either_language(english: str, german: str) -> None:
    in_english, in_german = (
        understand(Reading(id="r", at=now(), source=Source.SEEN, where=said, value=0.5, unit="V"))
        for said in (english, german)
    )
    assert isinstance(in_english, Measured)
    assert in_german == in_english


def _plain(value: object) -> object:
    """All but what is written for people: of that, only the figures in it."""
    if isinstance(value, dict):
        return {key: _plain(each) for key, each in value.items()}
    if isinstance(value, list):
        return [_plain(each) for each in value]
    if isinstance(value, str) and " " in value:
        return sorted(f.replace(",", ".") for f in _FIGURE.findall(value))
    return value


def test_a_report_says_which_language_it_is_in(tmp_path: Path) -> None:
    job = Job(id=new_id(), vehicle=new_vehicle("No 3"), opened=now(), entries=())
    write_bundle(job, tmp_path.joinpath, tmp_path / "job.zip")
    for code in ("en", "de"):
        to = tmp_path / f"{code}.html"
        _run(["-m", "nervus", "report", str(tmp_path / "job.zip"), "-o", str(to)], code)
        assert f'<html lang="{code}">' in to.read_text(encoding="utf-8")


def test_qts_own_buttons_speak_it_too() -> None:
    code = (
        "import os; os.environ['QT_QPA_PLATFORM'] = 'offscreen';"
        "from nervus.window.app import NervusApplication; from PyQt6.QtWidgets import QMessageBox as B;"
        "app = NervusApplication([]); box = B(); box.setStandardButtons(B.StandardButton.Close);"
        "print(box.button(B.StandardButton.Close).text())"
    )
    assert "Schließen" in _run(["-c", code], "de")
    assert "Close" in _run(["-c", code], "en")


def test_every_text_of_the_window_is_spoken() -> None:
    seen = json.loads(_run([str(TESTS / "spoken_walk.py")], language.PSEUDO))
    assert len(seen["texts"]) > 300
    assert seen["unspoken"] == []


def test_the_window_holds_in_german() -> None:
    seen = json.loads(_run([str(TESTS / "spoken_walk.py")], "de"))
    assert {"Aufnehmen", "Nachweis"} <= set(" ".join(seen["texts"]).split())
    assert [line for line in seen["stumbles"] if "no keyboard focus" not in line] == []

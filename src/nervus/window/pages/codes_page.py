"""The station Codes: typed, pasted, read or imported; the story they tell; two sets compared."""

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.codes.notation import Code, CodeStatus, CodeUnreadable, read_code
from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import OutsideError
from nervus.domain.job import CodeSet, CodeState, Job, Moment, SeenCode, Source, new_id, now, of_kind
from nervus.files.code_report import codes_in_text, write_codes_csv
from nervus.judge.story import difference, story_of
from nervus.knowledge import code_evidence, known_codes
from nervus.language import figures, say, say_many
from nervus.window.pages.story_view import StoryView
from nervus.window.station_page import StationPage, quiet, scrolled

_HEAD_HEIGHT, _ROW_HEIGHT, _MOST_ROWS = 40, 30, 6
_FILES = say("Reports and logs (*.csv *.txt *.html *.log *.asc *.blf *.trc);;All files (*)")
_HEADS = (say("code"), say("what it says"), say("control unit"), say("is"))
_HINT = say(
    "Type codes, paste a whole report, read them from the vehicle, or open a file. None is a result too."
)


class CodesPage(StationPage):
    """All sets of codes of a job.

    Signals:
        read_wanted: codes are to be read from the connected vehicle.
        defined: a code and the user's own words for it.
        file_wanted: codes are to be taken out of a file.
        told: a sentence about what could not be done.
    """

    file_wanted = pyqtSignal(object)
    read_wanted = pyqtSignal()
    defined = pyqtSignal(object, str)
    told = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(say("Codes"), _HINT, parent)
        self.own: dict[Code, str] = {}
        self._shown = ""
        self.line = QLineEdit(self)
        self.line.setAccessibleName(say("Codes to add"))
        self.line.setPlaceholderText(say("P0121, p 0222-16, 0x2135 … then Enter"))
        self.line.setMinimumHeight(36)
        self.moment, self.sets = QComboBox(self), QComboBox(self)
        self.paste, self.read, self.load, self.save, self.none, self.own_words, self.remove = (
            QPushButton(text, self)
            for text in (
                say("Paste a report"),
                say("Read from the vehicle"),
                say("Open a file …"),
                say("Save as CSV …"),
                say("There are none"),
                say("Say what it means …"),
                say("Take out"),
            )
        )
        self.table = QTableWidget(0, len(_HEADS), self)
        self.story = StoryView(self)
        self.text, self.compared, self.about = (quiet("", self) for _ in range(3))
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        for box in (self.moment, self.sets):
            box.setMinimumHeight(36)
        self.moment.setAccessibleName(say("When they were read"))
        for moment in Moment:
            self.moment.addItem(say(moment.value), moment)
        self.sets.setAccessibleName(say("Which set is shown"))
        first, second = QHBoxLayout(), QHBoxLayout()
        first.addWidget(self.line, 1)
        first.addWidget(self.moment)
        for button in (self.paste, self.read):
            first.addWidget(button)
        for widget in (self.sets, self.load, self.save, self.none):
            second.addWidget(widget, 1 if widget is self.sets else 0)
        below = QHBoxLayout()
        below.addWidget(self.about, 1)
        below.addWidget(self.own_words, 0, Qt.AlignmentFlag.AlignTop)
        below.addWidget(self.remove, 0, Qt.AlignmentFlag.AlignTop)
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.setAccessibleName(say("Codes of this set"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setTabKeyNavigation(False)
        header, rows = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None  # noqa: S101 - a table has both
        assert rows is not None  # noqa: S101
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        rows.hide()
        rows.setDefaultSectionSize(_ROW_HEIGHT)
        for layout in (first, second):
            self.column.addLayout(layout)
        inner = QWidget(self)
        told = QVBoxLayout(inner)
        told.setContentsMargins(0, 0, 8, 0)
        told.addWidget(self.story)
        told.addWidget(self.text)
        told.addLayout(below)
        told.addWidget(self.table)
        told.addWidget(self.compared)
        told.addStretch(1)
        self.column.addWidget(scrolled(inner, self), 1)

    def _connect(self) -> None:
        self.line.returnPressed.connect(self._typed)
        self.paste.clicked.connect(self._pasted)
        self.read.clicked.connect(self.read_wanted)
        self.load.clicked.connect(self._ask_for_file)
        self.save.clicked.connect(self._ask_where)
        self.none.clicked.connect(lambda: self.add((), Source.TYPED))
        self.own_words.clicked.connect(self._ask_meaning)
        self.remove.clicked.connect(self._take_out)
        self.sets.activated.connect(lambda _row: self._choose_set())
        self.table.currentCellChanged.connect(lambda row, *_rest: self._choose_row(row))
        self.story.chosen.connect(self._choose_code)

    def apply_theme(self, theme: "object") -> None:
        self.story.apply_theme(theme)  # type: ignore[arg-type] # a theme

    def begin(self) -> None:
        self.line.setFocus(Qt.FocusReason.TabFocusReason)

    # -- showing -----------------------------------------------------------------------------------

    def show_job(self, job: Job) -> None:
        other = self.job is None or self.job.id != job.id
        super().show_job(job)
        sets = of_kind(job.entries, CodeSet)
        if other or self._shown not in {s.id for s in sets}:
            self._shown = sets[-1].id if sets else ""
        self.sets.clear()
        for kept in sets:
            self.sets.addItem(_title(kept), kept.id)
        self.sets.setCurrentIndex(max(0, self.sets.findData(self._shown)))
        self.sets.setVisible(bool(sets))
        if not sets:
            self.moment.setCurrentIndex(self.moment.findData(Moment.FOUND))
        self._show_set()
        self._compare(sets)

    def define(self, own: dict[Code, str]) -> None:
        """The user's own words for codes."""
        self.own = own
        self._show_set()

    @property
    def set_shown(self) -> CodeSet | None:
        """The set in the table."""
        sets = of_kind(self.job.entries, CodeSet) if self.job is not None else ()
        return next((s for s in sets if s.id == self._shown), None)

    def _show_set(self) -> None:
        shown = self.set_shown
        codes = shown.codes if shown is not None else ()
        story = story_of(read_code(c.code) for c in codes)
        self.story.show_story(story, self.own)
        self.story.setVisible(bool(codes))
        self.text.setText(story.shared if codes else say("No code is kept in this job yet."))
        self.text.setToolTip(story.text if codes else "")
        self.text.setVisible(bool(self.text.text()))
        if shown is not None and not codes:
            self.text.setText(say("None was there. That speaks for little: many faults set no code."))
        if shown is not None and shown.missing:
            head = "" if codes else say("No code was told, but that does not mean none. ")
            self.text.setText("\n".join([say("{head}Not told:", head=head), *shown.missing]))
            self.text.setVisible(True)
        self.table.setRowCount(len(codes))
        for row, seen in enumerate(codes):
            for column, text in enumerate(self._cells(seen)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                self.table.setItem(row, column, item)
        self.table.setFixedHeight(_HEAD_HEIGHT + _ROW_HEIGHT * min(max(len(codes), 1), _MOST_ROWS))
        for widget in (self.table, self.save):
            widget.setVisible(bool(codes))
        self._choose_row(self.table.currentRow())

    def _cells(self, seen: SeenCode) -> tuple[str, ...]:
        states = ", ".join(map(say, seen.states))
        if seen.status is not None:
            failing = say("failing now") if CodeStatus(seen.status).failing_now else say("not now")
            states = ", ".join(s for s in (states, failing) if s)
        return seen.code, self._meaning(seen), seen.module, states

    def _meaning(self, seen: SeenCode) -> str:
        code = read_code(seen.code).base
        known = known_codes().get(code)
        if code in self.own:
            return say("{own} (your words)", own=self.own[code])
        if known is not None:
            return known.says
        whose = say("the maker's own, not guessed at") if code.is_makers_own else say("not known here")
        return (
            say("{whose}; the report says: {says}", whose=whose, says=seen.says) if seen.says else whose
        )

    def _choose_set(self) -> None:
        self._shown = str(self.sets.currentData() or "")
        self._show_set()

    def _choose_code(self, code: Code) -> None:
        shown = self.set_shown
        for row, seen in enumerate(shown.codes if shown is not None else ()):
            if read_code(seen.code).base == code:
                self.table.setCurrentCell(row, 0)

    def _choose_row(self, row: int) -> None:
        shown = self.set_shown
        chosen = shown.codes[row] if shown is not None and 0 <= row < len(shown.codes) else None
        self.own_words.setVisible(chosen is not None)
        self.remove.setVisible(shown is not None)
        self.about.setText(_about(chosen) if chosen is not None else "")
        named = read_code(chosen.code).base if chosen is not None else None
        rows = [e for e in code_evidence().evidence if str(named) in e.codes and e.stretches]
        self.stretch.emit(rows[0].stretches[0] if rows else "")

    def _compare(self, sets: tuple[CodeSet, ...]) -> None:
        if len(sets) < 2:
            self.compared.setText("")
            return
        first, last = sets[0], sets[-1]
        found = difference(*(map(read_code, (c.code for c in s.codes)) for s in (first, last)))
        parts = [
            f"{word}: {', '.join(map(str, codes)) or say('none')}"
            for word, codes in (
                (say("gone"), found.gone),
                (say("stayed"), found.stayed),
                (say("new"), found.new),
            )
        ]
        self.compared.setText(
            say("{moment} against {moment_} · ", moment=first.moment, moment_=last.moment)
            + " · ".join(parts)
        )

    # -- adding --------------------------------------------------------------------------------------

    def add(self, codes: tuple[SeenCode, ...], source: Source, missing: tuple[str, ...] = ()) -> None:
        """Add codes to the set of the chosen moment, which is made if it is not there.

        Args:
            codes: to be added.
            source: where they came from.
            missing: what was not told when they were read.
        """
        if self.job is None:
            return
        moment = Moment(self.moment.currentData())
        sets = of_kind(self.job.entries, CodeSet)
        there = next((s for s in reversed(sets) if s.moment is moment), None)
        base = there or CodeSet(id=new_id(), at=now(), source=source, moment=moment)
        kept = {_key(c): c for c in base.codes}
        for seen in codes:
            bare = (seen.module, read_code(seen.code).base)
            # One with a failure type takes the place of the same without; two types are two codes.
            key = bare if bare in kept and bare != _key(seen) else _key(seen)
            merged = _merged(kept.pop(key), seen) if key in kept else seen
            kept[_key(merged)] = merged
        self._shown = base.id
        told = source is Source.VEHICLE
        self.put.emit(
            replace(base, codes=tuple(kept.values()), missing=missing if told else base.missing)
        )

    def _typed(self) -> None:
        parts = [p for p in self.line.text().replace(";", ",").split(",") if p.strip()]
        if len(parts) == 1:
            parts = _apart(parts[0])
        try:
            codes = tuple(SeenCode(code=str(read_code(part))) for part in parts)
        except CodeUnreadable as wrong:
            self.told.emit(str(wrong))
            return
        if codes:
            self.line.clear()
            self.add(codes, Source.TYPED)

    def _pasted(self) -> None:
        clipboard = QApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        self.take_text(text)

    def take_text(self, text: str) -> None:
        """Take all codes out of a text."""
        try:
            codes = codes_in_text(text)
        except OutsideError as wrong:
            self.told.emit(str(wrong))
            return
        if not codes:
            self.told.emit(say("No trouble code stands in what was copied, such as P0121."))
            return
        self.add(codes, Source.PASTED)

    def _ask_for_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            say("Open codes"),
            "",
            say("Reports and logs (*.csv *.txt *.html *.log *.asc *.blf *.trc);;All files (*)"),
        )
        if name:
            self.file_wanted.emit(Path(name))

    def _ask_where(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, say("Save the codes"), "codes.csv", say("CSV (*.csv)")
        )
        if name:
            self.save_file(Path(name))

    def save_file(self, path: Path) -> None:
        """Write the set that is shown as CSV."""
        shown = self.set_shown
        try:
            path.write_text(write_codes_csv(shown.codes if shown is not None else ()), encoding="utf-8")
        except OSError as wrong:
            self.told.emit(
                say("{name}: it can't be written ({strerror}).", name=path.name, strerror=wrong.strerror)
            )

    def _ask_meaning(self) -> None:
        shown, row = self.set_shown, self.table.currentRow()
        if shown is None or not 0 <= row < len(shown.codes):
            return
        code = read_code(shown.codes[row].code).base
        before = self.own.get(code, shown.codes[row].says)
        words, wanted = QInputDialog.getText(
            self,
            say("What it means"),
            say("What {code} means, in your words or the maker's:", code=code),
            text=before,
        )
        if wanted:
            self.defined.emit(code, words)

    def _take_out(self) -> None:
        """The code that is chosen, or the whole set where none is."""
        shown, row = self.set_shown, self.table.currentRow()
        if shown is None:
            return
        if not 0 <= row < len(shown.codes) or len(shown.codes) == 1:
            self.taken_out.emit(shown)
        else:
            self.put.emit(replace(shown, codes=shown.codes[:row] + shown.codes[row + 1 :]))


def _key(seen: SeenCode) -> tuple[str, Code]:
    return seen.module, read_code(seen.code)


def _apart(text: str) -> list[str]:
    """Several codes with only spaces between them; "p 0121" is one."""
    found = codes_in_text(text)
    return [seen.code for seen in found] if len(found) > 1 else [text]


def _merged(before: SeenCode, seen: SeenCode) -> SeenCode:
    states = tuple(s for s in CodeState if s in before.states or s in seen.states)
    return replace(
        seen,
        code=seen.code if "-" in seen.code else before.code,
        states=states,
        status=seen.status if seen.status is not None else before.status,
        frame=seen.frame or before.frame,
        says=seen.says or before.says,
    )


def _title(kept: CodeSet) -> str:
    count = say_many("{count} code", "{count} codes", len(kept.codes))
    return figures(
        "{moment} · {count} · {source} · {at:%d %b %H:%M}",
        moment=kept.moment,
        count=count,
        source=kept.source,
        at=kept.at.astimezone(),
    )


def _about(seen: SeenCode) -> str:
    """What the monitor of a code compares, at what limit, and what was frozen with it."""
    known = known_codes().get(read_code(seen.code).base)
    parts = []
    if known is not None:
        parts.append(say("Its monitor compares {compares}.", compares=known.compares))
        if known.limit:
            parts.append(say("Usual limit, {limit}.", limit=known.limit))
    frozen = [
        figures(
            "{title} {value:.4g} {unit}",
            title=CHANNEL_KINDS[c].title,
            value=value,
            unit=CHANNEL_KINDS[c].unit,
        )
        for c, value in seen.frame.items()
        if c in CHANNEL_KINDS
    ]
    if frozen:
        parts.append(say("Frozen with it: ") + ", ".join(frozen) + ".")
    return " ".join(parts)

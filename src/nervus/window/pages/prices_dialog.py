"""The workshop's own times, prices and tools: a table over the usual ones, kept beside the logbook."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.knowledge.own_prices import OwnPrices, OwnRow
from nervus.knowledge.tree import known_tests, repairs
from nervus.language import figures, say

_HEADS = (say("what is done"), say("minutes"), say("money"), say("comes back, %"))
_BACK = 3
_HINT = say(
    "Empty means the usual value, which stands behind the words. Money is in your "
    "own currency, a minute of work too; who fits a used part writes its price. "
    "Tests for which something is not at hand are not proposed."
)
_TOOLS = say("At hand")


class PricesDialog(QDialog):
    """Edits a workshop's numbers; `prices` is what stands there when it was accepted."""

    def __init__(self, own: OwnPrices, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Times, prices and tools of this workshop"))
        self.resize(760, 600)
        self._own = self.prices = own
        self.currency = _field(say("Currency"), own.currency)
        minute = repairs().minute
        self.minute = _field(
            say("A minute of work"), _written(own.minute), figures("{minute:g}", minute=minute)
        )
        self.given_back = _field(
            say("Percent that comes back for a part fitted in vain"),
            _written(None if own.given_back is None else 100.0 * own.given_back),
            figures("{given_back:g}", given_back=100.0 * repairs().given_back),
        )
        self.unused_back = _field(
            say("Percent that comes back for a part that goes back unopened"),
            _written(None if own.unused_back is None else 100.0 * own.unused_back),
            figures("{unused_back:g}", unused_back=100.0 * repairs().unused_back),
        )
        self.fetch_minutes = _field(
            say("Minutes for fetching a part that is needed and not at hand"),
            _written(own.fetch_minutes),
            figures("{fetch_minutes:g}", fetch_minutes=repairs().fetch_minutes),
        )
        self.table = QTableWidget(0, len(_HEADS), self)
        self.table.setAccessibleName(say("Times and prices"))
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.tools: dict[str, QCheckBox] = {}
        self._rows: list[tuple[str, str]] = []
        self.wrong = QLabel("", self)
        self.wrong.setObjectName("caution")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self._fill(own)
        self._lay_out(own)

    def _fill(self, own: OwnPrices) -> None:
        for kind, known, rows in (
            ("repair", [(r.id, r.text, r.minutes, r.money) for r in repairs().repair], own.repair),
            ("test", [(t.id, t.text, t.minutes, t.money) for t in known_tests().test], own.test),
        ):
            given = {row.id: row for row in rows}
            for name, text, minutes, money in known:
                row = self.table.rowCount()
                self.table.insertRow(row)
                words = QTableWidgetItem(
                    say(
                        "{text}  (usually {minutes:g} min, {money:g})",
                        text=text,
                        minutes=minutes,
                        money=money,
                    )
                )
                words.setFlags(Qt.ItemFlag.ItemIsEnabled)
                words.setToolTip(text)
                self.table.setItem(row, 0, words)
                mine = given.get(name)
                for column, usual, own_value in (
                    (1, minutes, mine.minutes if mine else None),
                    (2, money, mine.money if mine else None),
                ):
                    self.table.setItem(row, column, QTableWidgetItem(_written(own_value)))
                    cell = self.table.item(row, column)
                    assert cell is not None  # noqa: S101 - set the line before
                    cell.setToolTip(say("usually {usual:g}", usual=usual))
                self._fill_back(row, name, mine)
                self._rows.append((kind, name))

    def _fill_back(self, row: int, name: str, mine: OwnRow | None) -> None:
        """What comes back of a part; of what is no part nothing can."""
        back = None if mine is None or mine.given_back is None else 100.0 * mine.given_back
        cell = QTableWidgetItem(_written(back))
        if name not in {r.id for r in repairs().repair if r.part}:
            cell.setFlags(Qt.ItemFlag.NoItemFlags)
        cell.setToolTip(say("of this part; else what is said above holds"))
        self.table.setItem(row, _BACK, cell)

    def _lay_out(self, own: OwnPrices) -> None:
        side = self.table.verticalHeader()
        if side is not None:
            side.hide()
            side.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head = self.table.horizontalHeader()
        if head is not None:
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            head.setMinimumSectionSize(84)
            head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        above = QHBoxLayout()
        for words, field in (
            (say("Currency"), self.currency),
            (say("A minute of work costs"), self.minute),
            (say("Of a part fitted in vain comes back, %"), self.given_back),
        ):
            above.addWidget(QLabel(words, self))
            above.addWidget(field)
        above.addStretch(1)
        ahead = QHBoxLayout()
        for words, field in (
            (say("Of an unopened part comes back, %"), self.unused_back),
            (say("Minutes to fetch a part"), self.fetch_minutes),
        ):
            ahead.addWidget(QLabel(words, self))
            ahead.addWidget(field)
        ahead.addStretch(1)
        grid = QGridLayout()
        needed = sorted({t.needs for t in known_tests().test if t.needs})
        for number, tool in enumerate(needed):
            box = QCheckBox(f"{_TOOLS}: {say(tool)}", self)
            box.setChecked(tool not in own.missing)
            grid.addWidget(box, number // 3, number % 3)
            self.tools[tool] = box
        keep, leave = QPushButton(say("Keep"), self), QPushButton(say("Leave as it was"), self)
        keep.setDefault(True)
        keep.clicked.connect(self._keep)
        leave.clicked.connect(self.reject)
        below = QHBoxLayout()
        below.addStretch(1)
        below.addWidget(leave)
        below.addWidget(keep)
        hint = QLabel(_HINT, self)
        hint.setWordWrap(True)
        hint.setObjectName("quiet")
        whole = QVBoxLayout(self)
        whole.addWidget(hint)
        whole.addLayout(above)
        whole.addLayout(ahead)
        whole.addLayout(grid)
        whole.addWidget(self.table, 1)
        whole.addWidget(self.wrong)
        whole.addLayout(below)

    def _keep(self) -> None:
        try:
            rows: dict[str, list[OwnRow]] = {"repair": [], "test": []}
            for number, (kind, name) in enumerate(self._rows):
                minutes, money = self._number(number, 1), self._number(number, 2)
                back = self._share_of(number) if kind == "repair" else None
                if (minutes, money, back) != (None, None, None):
                    rows[kind].append(OwnRow(id=name, minutes=minutes, money=money, given_back=back))
            shown = {name for _kind, name in self._rows}
            # What is not asked for here, such as the workshop's name, stays as it was.
            self.prices = replace(
                self._own,
                currency=self.currency.text().strip()[:8],
                minute=_number(self.minute.text(), say("a minute of work")),
                given_back=_share(self.given_back.text(), say("what comes back of a part")),
                unused_back=_share(
                    self.unused_back.text(), say("what comes back of a part that goes back unopened")
                ),
                fetch_minutes=_number(self.fetch_minutes.text(), say("the minutes to fetch a part")),
                missing=(
                    *(tool for tool, box in self.tools.items() if not box.isChecked()),
                    *(tool for tool in self._own.missing if tool not in self.tools),
                ),
                repair=(*rows["repair"], *(r for r in self._own.repair if r.id not in shown)),
                test=(*rows["test"], *(r for r in self._own.test if r.id not in shown)),
            )
        except ValueError as wrong:
            self.wrong.setText(str(wrong))
            self.wrong.show()
            return
        self.accept()

    def _share_of(self, row: int) -> float | None:
        cell, words = self.table.item(row, _BACK), self.table.item(row, 0)
        return _share(cell.text() if cell else "", f"{words.text() if words else ''}, {_HEADS[_BACK]}")

    def _number(self, row: int, column: int) -> float | None:
        cell, words = self.table.item(row, column), self.table.item(row, 0)
        what = f"{words.text() if words else ''}, {_HEADS[column]}"
        return _number(cell.text() if cell else "", what)


def _field(name: str, text: str, placeholder: str = "") -> QLineEdit:
    field = QLineEdit(text)
    field.setAccessibleName(name)
    field.setPlaceholderText(placeholder)
    field.setMaximumWidth(110)
    return field


def _written(value: float | None) -> str:
    return "" if value is None else figures("{value:g}", value=value)


def _number(text: str, what: str) -> float | None:
    """A number as people write it, `None` for nothing.

    Raises:
        ValueError: it is none, or below zero; the sentence says which.
    """
    words = text.strip().replace(",", ".")
    if not words:
        return None
    try:
        value = float(words)
    except ValueError:
        value = -1.0
    if not 0.0 <= value <= 1e7:
        raise ValueError(
            say(
                "“{strip}” ({what}) is no number to count with; accepted is 35 or 12,50.",
                strip=text.strip()[:20],
                what=what,
            )
        )
    return value


def _share(text: str, what: str) -> float | None:
    """Percent as people write them, as a share; `None` for nothing.

    Raises:
        ValueError: it is no number from 0 to 100; the sentence says which.
    """
    percent = _number(text, what)
    if percent is None:
        return None
    if percent > 100.0:
        raise ValueError(
            say(
                "“{strip}” ({what}) is more than all; accepted is 0 to 100.",
                strip=text.strip()[:20],
                what=what,
            )
        )
    return percent / 100.0

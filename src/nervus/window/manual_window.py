"""The manual in a window of its own, open at the page that belongs to where one is."""

from collections.abc import Mapping
from functools import cache
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QKeyEvent, QTextBlock, QTextCursor, QTextDocument
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from nervus.language import say

_SUFFIX = ".md"
_ABOVE_HEADING, _BELOW = 16.0, 6.0
FIRST = "first-minutes"
# In the order in which one reads them; the same as in the index that HTML is made from.
PAGES = (
    FIRST, "jobs", "complaint", "codes", "look", "record", "live", "pins", "decide", "mend", "prove",
    "report", "findings", "files", "data", "safety", "keys",
)  # fmt: skip


def manual_folder() -> Path:
    """Where the pages are."""
    return Path(str(resources.files("nervus.manual")))


@cache
def pages() -> Mapping[str, str]:
    """Each page in Markdown, by its name, in the order of reading."""
    return {name: (manual_folder() / f"{name}{_SUFFIX}").read_text(encoding="utf-8") for name in PAGES}


def title_of(page: str) -> str:
    """The first heading of a page."""
    return page.split("\n", 1)[0].removeprefix("# ").strip()


class ManualWindow(QDialog):
    """Pages at the left, found by what stands in them; the page at the right."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Manual"))
        self.resize(1120, 740)
        self.search = QLineEdit(self)
        self.search.setPlaceholderText(say("find in the manual …"))
        self.search.setAccessibleName(say("Find in the manual"))
        self.search.setMinimumHeight(36)
        self.search.textChanged.connect(self._filter)
        self.list = QListWidget(self)
        self.list.setAccessibleName(say("Pages of the manual"))
        self.list.setMaximumWidth(260)
        for name, text in pages().items():
            item = QListWidgetItem(title_of(text), self.list)
            item.setData(Qt.ItemDataRole.UserRole, name)
        self.text = QTextBrowser(self)
        self.text.setAccessibleName(say("The page"))
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._follow)
        self.list.currentItemChanged.connect(lambda _now, _before: self._turn())
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        row = QHBoxLayout(self)
        row.addLayout(left)
        row.addWidget(self.text, 1)

    @property
    def page(self) -> str:
        """The name of the page that is shown."""
        item = self.list.currentItem()
        return str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else ""

    def show_page(self, name: str) -> None:
        """Open a page; the first one for a name that there is not."""
        wanted = name if name in PAGES else FIRST
        self.search.clear()
        self.list.setCurrentRow(PAGES.index(wanted))
        self.list.setFocus()

    def _turn(self) -> None:
        name = self.page
        if name:
            url = QUrl.fromLocalFile(str(manual_folder() / f"{name}{_SUFFIX}"))
            self.text.setSource(url, QTextDocument.ResourceType.MarkdownResource)
            self._space()
            self._mark_words()

    def _space(self) -> None:
        """Room above headings and below paragraphs, which Markdown says nothing of."""
        document = self.text.document()
        block = document.begin() if document is not None else QTextBlock()
        while block.isValid():
            shape = block.blockFormat()
            level = shape.headingLevel()
            shape.setTopMargin(_ABOVE_HEADING if level > 1 else 0.0)
            shape.setBottomMargin(_BELOW)
            QTextCursor(block).setBlockFormat(shape)
            block = block.next()
        self.text.moveCursor(QTextCursor.MoveOperation.Start)

    def _follow(self, url: QUrl) -> None:
        name = Path(url.path()).stem
        if name in PAGES and url.scheme() in ("", "file"):
            self.show_page(name)
        elif url.scheme() in ("http", "https"):
            QDesktopServices.openUrl(url)

    def _filter(self, text: str) -> None:
        words = text.casefold().split()
        first = None
        for row, page in enumerate(pages().values()):
            hidden = not all(word in page.casefold() for word in words)
            item = self.list.item(row)
            if item is not None:
                item.setHidden(hidden)
            first = row if first is None and not hidden else first
        now = self.list.currentItem()
        if first is not None and (now is None or now.isHidden()):
            self.list.setCurrentRow(first)
        self._mark_words()

    def _mark_words(self) -> None:
        """The page goes to where the first word that is looked for stands."""
        words = self.search.text().split()
        if words:
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(words[0])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        keys = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if event is not None and event.key() in keys and self.search.text():
            self.text.find(self.search.text().split()[0])
        else:
            super().keyPressEvent(event)

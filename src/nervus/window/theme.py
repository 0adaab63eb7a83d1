"""Two themes, chart paper by day and a dim bay by night, as tokens and one style sheet made of them.

No colour is written anywhere else. Tracks differ by line style too, suspicion by hatching and a
number, so nothing depends on telling colours apart.
"""

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Final
from zlib import crc32

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPalette, QPen

_HERE: Final = Path(__file__).parent


@dataclass(frozen=True, slots=True)
class Theme:
    """The colours of one theme, as #RRGGBB."""

    name: str
    ground: str
    surface: str
    soft: str
    ink: str
    muted: str
    line: str
    action: str
    on_action: str
    track_1: str
    track_2: str
    command: str
    pedal: str
    supply: str
    inflamed: str
    proved: str
    tone_1: str
    tone_2: str
    tone_3: str
    tone_4: str
    tone_5: str

    def color(self, token: str, alpha: int = 255) -> QColor:
        """A token as a Qt colour."""
        colour = QColor(getattr(self, token))
        colour.setAlpha(alpha)
        return colour

    def pen(
        self,
        token: str,
        width: float = 1.0,
        style: Qt.PenStyle = Qt.PenStyle.SolidLine,
        alpha: int = 255,
    ) -> QPen:
        """A cosmetic pen: as wide on screen at every zoom."""
        pen = QPen(self.color(token, alpha), width, style)
        pen.setCosmetic(True)
        return pen


BRIGHT: Final = Theme(
    name="bright",
    ground="#F4F1EA",
    surface="#FBFAF6",
    soft="#E9E4D8",
    ink="#1E2A32",
    muted="#55636B",
    line="#CFC8BA",
    action="#0B5C6B",
    on_action="#FBFAF6",
    track_1="#0B6E8F",
    track_2="#A84C08",
    command="#6B4E9B",
    pedal="#487331",
    supply="#7A5F14",
    inflamed="#B3261E",
    proved="#2F6B3A",
    tone_1="#7A3E86",
    tone_2="#2E5E9E",
    tone_3="#8A3D5C",
    tone_4="#336A63",
    tone_5="#6A5A3A",
)

DIM: Final = Theme(
    name="dim",
    ground="#14191D",
    surface="#1C2328",
    soft="#263038",
    ink="#E9E4D8",
    muted="#A3AEB4",
    line="#3A464E",
    action="#6FC7D6",
    on_action="#14191D",
    track_1="#5EC4E0",
    track_2="#F2A65A",
    command="#B79CF0",
    pedal="#9CCB7A",
    supply="#E3C566",
    inflamed="#FF7A66",
    proved="#7FCB8E",
    tone_1="#D6A0E0",
    tone_2="#8FB4F0",
    tone_3="#E8A0BC",
    tone_4="#8CC8BE",
    tone_5="#CDB890",
)

THEMES: Final = {theme.name: theme for theme in (BRIGHT, DIM)}

CHANNEL_TOKENS: Final = {
    "tps1": "track_1",
    "tps2": "track_2",
    "throttle": "command",
    "app1": "pedal",
    "app2": "pedal",
    "pedal": "pedal",
    "vref": "supply",
    "sgnd": "muted",
    "batt": "muted",
    "rpm": "muted",
}
# What else there is takes one of these and one of the dashes by its name, the same in every picture.
_TONES: Final = ("tone_1", "tone_2", "tone_3", "tone_4", "tone_5")
_DASHES: Final = ((), (9.0, 3.0), (3.0, 2.0))


def channel_pen(theme: Theme, channel_id: str, alpha: int = 255) -> QPen:
    """How a channel is drawn: track 1 solid, track 2 dashed where it would hide, command dotted."""
    token = CHANNEL_TOKENS.get(channel_id.split("_", maxsplit=1)[0])
    if token is None:
        turn = crc32(channel_id.encode())
        pen = theme.pen(_TONES[turn % len(_TONES)], 1.4, alpha=alpha)
        dash = _DASHES[turn // len(_TONES) % len(_DASHES)]
        if dash:
            pen.setDashPattern(list(dash))
        return pen
    style = Qt.PenStyle.SolidLine
    if channel_id == "throttle_cmd_pct":
        style = Qt.PenStyle.DotLine
    pen = theme.pen(token, 1.4, style, alpha)
    if channel_id.startswith(("tps2", "app2")):
        pen.setDashPattern([7.0, 2.0])
    return pen


def palette(theme: Theme) -> QPalette:
    """The same colours for what no style sheet reaches, such as the file dialog."""
    made, role = QPalette(), QPalette.ColorRole
    rows = (
        (role.Window, "ground"),
        (role.Base, "surface"),
        (role.AlternateBase, "soft"),
        (role.Button, "surface"),
        (role.ToolTipBase, "surface"),
        (role.WindowText, "ink"),
        (role.Text, "ink"),
        (role.ButtonText, "ink"),
        (role.ToolTipText, "ink"),
        (role.PlaceholderText, "muted"),
        (role.Highlight, "action"),
        (role.HighlightedText, "on_action"),
        (role.Link, "action"),
    )
    for which, token in rows:
        made.setColor(which, theme.color(token))
    return made


def style_sheet(theme: Theme) -> str:
    """The application's style sheet for a theme."""
    return _SHEET % {**asdict(theme), "arrow": (_HERE / "arrows" / f"{theme.name}.png").as_posix()}


_SHEET = """
* { outline: 0; }
QMainWindow, QDialog, #body, #foot, #findings, #judgement { background: %(ground)s; }
QWidget { color: %(ink)s; }
QMenuBar { background: %(ground)s; color: %(ink)s; padding: 2px 12px; border: 0; }
QMenuBar::item { padding: 4px 10px; border-radius: 4px; background: transparent; }
QMenuBar::item:selected { background: %(soft)s; }
QMenu { background: %(surface)s; color: %(ink)s; border: 1px solid %(line)s; padding: 4px; }
QMenu::item { padding: 8px 28px 8px 14px; border-radius: 4px; }
QMenu::item:selected { background: %(action)s; color: %(on_action)s; }
QMenu::item:disabled { color: %(muted)s; }
QMenu::separator { height: 1px; background: %(line)s; margin: 4px 8px; }
#head { background: %(ground)s; border-top: 1px solid %(line)s;
        border-bottom: 1px solid %(line)s; }
#foot { border-top: 1px solid %(line)s; }
#rail { background: %(ground)s; border-right: 1px solid %(line)s; }
QPushButton#station-button { background: %(ground)s; border: 0; border-radius: 0; text-align: left;
       padding: 4px 6px 4px 16px; font-size: 15px; min-height: 34px; }
QPushButton#station-button:hover { background: %(soft)s; }
QPushButton#station-button:checked { background: %(action)s; color: %(on_action)s; font-weight: bold; }
QPushButton#station-button:focus { border: 2px solid %(ink)s; padding: 2px 4px 2px 14px; }
QPushButton#station-button:disabled { color: %(muted)s; }
QPushButton#choice { text-align: left; padding: 4px 10px; min-height: 30px; }
QPushButton#choice:focus { padding: 3px 9px; }
QPushButton#choice:checked { background: %(action)s; color: %(on_action)s; border-color: %(action)s; }
QPushButton#choice:checked:focus { border: 2px solid %(ink)s; }
#caution { color: %(ink)s; background: %(soft)s; border-left: 5px solid %(inflamed)s; padding: 6px 10px;
       font-size: 14px; }
#look-row[here="true"] { background: %(soft)s; border-left: 5px solid %(action)s; }
QPushButton#seen-bad:checked { background: %(inflamed)s; color: %(surface)s;
       border-color: %(inflamed)s; }
QPushButton#seen-good:checked { background: %(proved)s; color: %(surface)s;
       border-color: %(proved)s; }
QPushButton#seen-not_seen:checked { background: %(soft)s; color: %(ink)s; border-color: %(muted)s; }
QPlainTextEdit { background: %(surface)s; color: %(ink)s;
       border: 1px solid %(line)s; border-radius: 4px; padding: 4px 8px; font-size: 14px; }
QPlainTextEdit:focus { border: 2px solid %(action)s; }
QTextBrowser { background: %(surface)s; color: %(ink)s; border: 1px solid %(line)s; border-radius: 4px;
       padding: 8px 16px; font-size: 14px; }
QTextBrowser:focus { border: 1px solid %(action)s; }
QListWidget { background: %(surface)s; border: 1px solid %(line)s; border-radius: 4px; font-size: 14px; }
QListWidget::item { padding: 6px 8px; }
QListWidget::item:selected { background: %(soft)s; color: %(ink)s; }
#findings { border-right: 1px solid %(line)s; }
#judgement { border-left: 1px solid %(line)s; }
#vehicle { font-size: 18px; font-weight: bold; }
#headline { font-size: 20px; font-weight: bold; }
#station { font-size: 15px; font-weight: bold; }
#quiet, #foot QLabel { color: %(muted)s; }
#quiet { font-size: 14px; }
#pill { background: %(soft)s; border-radius: 12px; padding: 4px 14px; color: %(ink)s; }
#key { background: %(surface)s; color: %(ink)s; border: 1px solid %(muted)s; border-radius: 4px;
       padding: 1px 7px; font-size: 12px; }
QPushButton, QToolButton { background: %(surface)s; color: %(ink)s; border: 1px solid %(line)s;
       border-radius: 4px; padding: 8px 14px; min-height: 22px; font-size: 14px; }
QPushButton:hover, QToolButton:hover { border-color: %(action)s; }
QPushButton:focus, QToolButton:focus { border: 2px solid %(action)s; padding: 7px 13px; }
QPushButton:checked { background: %(ink)s; color: %(surface)s; border-color: %(ink)s; }
QPushButton:checked:focus { border: 2px solid %(action)s; }
QPushButton:disabled { color: %(muted)s; }
#primary { background: %(action)s; color: %(on_action)s; border-color: %(action)s; }
#primary:disabled { background: %(surface)s; color: %(muted)s; border-color: %(line)s; }
#primary:focus { border: 2px solid %(ink)s; }
#next { background: %(action)s; border-radius: 4px; }
#next QLabel { color: %(on_action)s; background: %(action)s; }
#nextTitle { font-size: 15px; font-weight: bold; }
#notice { background: %(surface)s; border: 1px solid %(inflamed)s; border-radius: 4px; }
#notice[calm="true"] { border-color: %(line)s; }
#busy { background: %(surface)s; border: 1px solid %(action)s; border-radius: 4px; }
#empty { background: %(surface)s; border: 1px dashed %(muted)s; border-radius: 6px; }
QProgressBar { background: %(soft)s; border: 0; border-radius: 3px; max-height: 6px; }
QProgressBar::chunk { background: %(action)s; border-radius: 3px; }
QListView { background: %(ground)s; border: 0; }
QListView:focus { border: 1px solid %(action)s; }
QScrollArea { background: %(ground)s; border: 0; }
QScrollArea > QWidget > QWidget { background: %(ground)s; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 2px; }
QScrollBar::handle:vertical { background: %(line)s; border-radius: 3px; min-height: 32px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QToolTip { background: %(surface)s; color: %(ink)s; border: 1px solid %(line)s; padding: 4px; }
QLabel#mono { font-size: 13px; }
#readout { font-size: 34px; font-weight: bold; }
Readout[rings="true"] QLabel { color: %(inflamed)s; font-weight: bold; }
LivePanel[flash="true"] { border: 4px solid %(inflamed)s; }
QLineEdit { background: %(surface)s; color: %(ink)s; border: 1px solid %(line)s; border-radius: 4px;
       padding: 4px 10px; font-size: 14px; }
QLineEdit:focus { border: 2px solid %(action)s; padding: 3px 9px; }
QLabel#told { font-size: 15px; }
QComboBox { background: %(surface)s; color: %(ink)s; border: 1px solid %(line)s; border-radius: 4px;
       padding: 4px 10px; font-size: 14px; }
QComboBox:focus { border: 2px solid %(action)s; padding: 3px 9px; }
QComboBox:disabled { color: %(muted)s; }
QComboBox::drop-down { border: 0; width: 26px; background: transparent; }
QComboBox::down-arrow { image: url("%(arrow)s"); width: 12px; height: 8px; }
QComboBox QAbstractItemView { background: %(surface)s; color: %(ink)s; border: 1px solid %(line)s;
       selection-background-color: %(action)s; selection-color: %(on_action)s; }
QTableWidget#roomy::item { padding: 4px 8px; }
QTableWidget { background: %(surface)s; border: 1px solid %(line)s; gridline-color: %(line)s; }
QHeaderView::section { background: %(soft)s; color: %(ink)s; border: 0; padding: 6px 8px; }
QCheckBox { spacing: 6px; font-size: 14px; }
QCheckBox::indicator, QListView::indicator { width: 18px; height: 18px; border: 1px solid %(muted)s;
       border-radius: 3px; background: %(surface)s; }
QCheckBox::indicator:checked, QListView::indicator:checked {
       background: %(action)s; border: 5px solid %(surface)s;
       outline: 1px solid %(muted)s; width: 10px; height: 10px; }
QCheckBox:focus { color: %(action)s; }
QSlider::groove:horizontal { height: 6px; background: %(soft)s; border-radius: 3px; }
QSlider::sub-page:horizontal { background: %(action)s; border-radius: 3px; }
QSlider::handle:horizontal { width: 22px; margin: -9px 0; border-radius: 4px; background: %(action)s; }
QSlider:focus { border: 1px solid %(action)s; border-radius: 4px; }
"""

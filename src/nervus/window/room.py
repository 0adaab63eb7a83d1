"""How much of the window the picture gets: what stands around it folds away, and that is remembered."""

from collections.abc import Mapping

from PyQt6.QtCore import QObject, QSettings
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QWidget

from nervus.window.pictures.nerve import Nerve

FOLDING = ("nerve", "findings", "judgement")
"""What folds by itself: the names of the actions, too."""


class Room(QObject):
    """Folds the nerve to a strip, findings and judgement away, and everything for the whole picture.

    Attributes:
        is_whole: whether the picture has the whole window.
    """

    def __init__(
        self,
        settings: QSettings,
        nerve: Nerve,
        folding: Mapping[str, QWidget],
        around: tuple[QWidget, ...],
        parent: QObject,
    ) -> None:
        """Take over the parts of a window.

        Args:
            settings: where it is remembered.
            nerve: folds to a strip.
            folding: findings and judgement, by name.
            around: what else gives way to the whole picture.
            parent: the window.
        """
        super().__init__(parent)
        self._settings, self._nerve = settings, nerve
        self._folding, self._around = dict(folding), around
        self._actions: Mapping[str, QAction] = {}
        self.is_whole = False
        self._is_page = False
        nerve.unfold_wanted.connect(lambda: self.show("nerve", shown=True))

    def begin(self, actions: Mapping[str, QAction]) -> None:
        """As it was left; the actions stay down while their part is shown."""
        self._actions = actions
        for name in FOLDING:
            actions[name].setChecked(self._settings.value(f"shows/{name}", "yes") == "yes")
        self._apply()

    def toggle(self, name: str) -> None:
        """An action was triggered: its part is shown, or folded, from now on."""
        self._settings.setValue(f"shows/{name}", "yes" if self._actions[name].isChecked() else "no")
        self._apply()

    def show(self, name: str, *, shown: bool) -> None:
        """Show a part, or fold it, as if its action was triggered."""
        self._actions[name].setChecked(shown)
        self.toggle(name)

    def narrow(self, *, is_narrow: bool) -> None:
        """The window became too narrow for the judgement beside the page, or wide enough again."""
        wanted = self._settings.value("shows/judgement", "yes") == "yes"
        self._actions["judgement"].setChecked(wanted and not is_narrow)
        self._apply()

    def toggle_whole(self) -> None:
        """The picture gets the whole window, or gives it back."""
        self.is_whole = not self.is_whole
        self._actions["whole_picture"].setChecked(self.is_whole)
        self._apply()

    def show_page(self, *, on: bool) -> None:
        """A page stands where the picture was, or no more: findings have nothing to say beside it."""
        self._is_page = on
        self._apply()

    def leave_whole(self) -> None:
        """Everything around the picture is needed again."""
        if self.is_whole:
            self.toggle_whole()

    def _apply(self) -> None:
        for widget in self._around:
            widget.setVisible(not self.is_whole)
        self._nerve.setVisible(not self.is_whole)
        self._nerve.fold(folded=not self._actions["nerve"].isChecked())
        for name, widget in self._folding.items():
            beside = not (self._is_page and name == "findings")
            widget.setVisible(self._actions[name].isChecked() and not self.is_whole and beside)

"""A label that gives way where there is no room, instead of pushing its neighbours out."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget


class ElidedLabel(QLabel):
    """A label that gives way: what does not fit is cut with dots and stays in the tool tip."""

    def __init__(self, text: str, parent: QWidget) -> None:
        super().__init__(text, parent)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._whole = text

    @property
    def whole(self) -> str:
        """The text, whatever of it fits."""
        return self._whole

    def setText(self, text: str | None) -> None:
        self._whole = text or ""
        self.setToolTip(self._whole)
        self._fit()

    def resizeEvent(self, _event: object) -> None:
        self._fit()

    def _fit(self) -> None:
        metrics = self.fontMetrics()
        width = max(self.width(), 40)
        super().setText(metrics.elidedText(self._whole, Qt.TextElideMode.ElideRight, width))

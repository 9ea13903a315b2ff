"""Head of the values of baked light: what is baked, how far the next is, and what can be done with it."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QVBoxLayout, QWidget

from wallum.desk.session.light_baking import LightBaking
from wallum.desk.widgets.buttons import text_button

__all__ = ["BakingHead"]


class BakingHead(QWidget):
    """Stands over the values; hidden until it is led by what bakes."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("pane")
        self._baking: LightBaking | None = None
        self._text = QLabel()
        self._text.setWordWrap(True)
        self._text.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 0)
        layout.setSpacing(6)
        layout.addWidget(self._text)
        layout.addWidget(self._bar)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.bake = text_button(
            "Bake",
            "Bake the still sources as they are at this hour, behind the window",
            lambda: self._led.begin(),
        )
        self.pause = text_button("Pause", "Wait, or go on", lambda: self._led.pause())
        self.cancel = text_button(
            "End", "Bake no further; what is done is kept for the next time", lambda: self._led.cancel()
        )
        self.shown = text_button(
            "Shown", "Light from all around as it was baked, or by probes", lambda: self._led.swap_shown()
        )
        self.shown.setCheckable(True)
        self.clear = text_button("Clear", "Take the baked light away", lambda: self._led.clear())
        self.back = text_button("Put back", "Bring back what was cleared", lambda: self._led.put_back())
        for item in (self.bake, self.pause, self.cancel, self.shown, self.clear, self.back):
            row.addWidget(item)
        row.addStretch(1)
        layout.addLayout(row)

    @property
    def _led(self) -> LightBaking:
        assert self._baking is not None, "what bakes leads it before anything is pressed"
        return self._baking

    def lead(self, baking: LightBaking) -> None:
        """Show what a baking does; the buttons are its."""
        self._baking = baking
        baking.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show how things stand."""
        baking = self._baking
        if baking is None or not self.isVisible():
            return
        works = baking.share is not None
        lines = baking.told()
        if works:
            lines.append("Paused." if baking.paused else f"Baking, {baking.share:.0%}.")
        self._text.setText("\n".join(lines))
        self._bar.setVisible(works)
        self._bar.setValue(round(1000.0 * (baking.share or 0.0)))
        self.bake.setVisible(not works)
        self.pause.setVisible(works)
        self.pause.setText("Go on" if baking.paused else "Pause")
        self.cancel.setVisible(works)
        there = baking.baked is not None
        self.shown.setVisible(there and not works)
        self.shown.setChecked(baking.shown)
        self.clear.setVisible(there and not works)
        self.back.setVisible(not there and not works and baking.cleared.exists())

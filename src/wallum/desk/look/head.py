"""Head of the look's values: how far it moves the picture, its curves, and looks to take from."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction, QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from wallum.desk.look.curve_chart import CurveChart
from wallum.desk.look.night_chart import NightChart
from wallum.desk.look.reading import LookReader, LookReading
from wallum.desk.session.session import Session
from wallum.desk.widgets.buttons import text_button
from wallum.desk.widgets.still_label import StillLabel
from wallum.document.look import Look
from wallum.document.look_file import look_of_text, read_look, text_of_look, write_look_file
from wallum.document.own_looks import OWN_LOOKS, effects_of, look_of_zone, own_look, taken, zone_values
from wallum.document.picture_values import EFFECT_WORDS, EFFECTS
from wallum.document.sources import ZoneSource
from wallum.errors import WallumError
from wallum.image.apart import LookDifference
from wallum.moment.zones import ActiveZone, zoned

__all__ = ["LookHead", "told_apart"]


def told_apart(apart: LookDifference, loud: tuple[str, ...]) -> str:
    """How far a look moves the picture, in a line."""
    clipped = max(apart.clipped)
    ends = ""
    if clipped >= 0.0005:
        channel = ("red", "green", "blue")[apart.clipped.index(clipped)]
        ends = f"; clips {clipped:.1%} of {channel}"
    if apart.stops < 0.005 and apart.delta_e < 0.05 and not ends:
        return "The look leaves the picture as it is"
    text = f"The look moves it {apart.stops:.2f} stops, {apart.delta_e:.1f} delta E{ends}"
    return f"{text}. Loud: {loud[0]}" if loud else text


class LookHead(QWidget):
    """Stands over the look's values while they are shown."""

    scopes_asked = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("pane")
        self._session = session
        self._parts = dict.fromkeys(EFFECTS, True)  # which effects are taken from other looks
        self.told, self.zones = StillLabel(2), StillLabel(1)
        self.zones.hide()
        self.curve, self.night = CurveChart(session), NightChart(session)
        self._charts = QStackedWidget()
        self._charts.addWidget(self.curve)
        self._charts.addWidget(self.night)
        row = QHBoxLayout()
        row.setSpacing(4)
        self._tabs = [self._tab(n, *words) for n, words in enumerate(TABS)]
        for tab in self._tabs:
            row.addWidget(tab)
        row.addStretch(1)
        row.addWidget(self._looks())
        self.scopes = text_button(
            "Scopes", "Light, signal and colours of the picture (Ctrl+U)", self._ask_scopes
        )
        self.scopes.setObjectName("tab")
        row.addWidget(self.scopes)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 4, 10, 2)
        layout.setSpacing(4)
        layout.addLayout(row)
        layout.addWidget(self._charts)
        layout.addWidget(self.told)
        layout.addWidget(self.zones)
        self._tabs[0].setChecked(True)

    def _ask_scopes(self) -> None:
        self.scopes_asked.emit()

    def _tab(self, number: int, word: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setObjectName("tab")
        button.setText(word)
        button.setToolTip(tip)
        button.setCheckable(True)
        button.setAutoExclusive(True)
        button.clicked.connect(lambda: self._charts.setCurrentIndex(number))
        return button

    # -- what is shown ---------------------------------------------------------------------

    def show_look(self, look: Look) -> None:
        """Show the look of the present moment."""
        self.curve.show_look(look)
        self.night.show_look(look)

    def show_zones(self, zones: tuple[ActiveZone, ...]) -> None:
        """Say which zones have a say where the camera is."""
        self.zones.setVisible(bool(zones))
        text = ", ".join(f"{zone.zone.name} {zone.share:.0%}" for zone in reversed(zones))
        self.zones.setText(f"In force here: {text}" if zones else "", "second")

    def lead(self, reader: LookReader) -> None:
        """Show what is read of the picture."""
        reader.came.connect(self._show_reading)

    def _show_reading(self, reading: LookReading) -> None:
        self.curve.show_light(reading.histogram)
        self.night.update()
        loud = reading.apart.loud(self._session.now.look.limit)
        self.told.setText(told_apart(reading.apart, loud), "over" if loud else "quiet")

    # -- other looks -----------------------------------------------------------------------

    def _looks(self) -> QToolButton:
        button = QToolButton()
        button.setObjectName("tab")
        button.setText("Looks")
        button.setToolTip("Looks to begin from, from files, and from another place")
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(button)
        for name in OWN_LOOKS:
            self._entry(self.menu, name, partial(self.take_own, name))
        self.menu.addSeparator()
        self._entry(self.menu, "No look", self.take_none)
        self._entry(self.menu, "From a file ...", self._open)
        self._entry(self.menu, "Save as a file ...", self._save)
        self._entry(self.menu, "Copy", self.copy)
        self._entry(self.menu, "Paste", self.paste)
        self._entry(self.menu, "Paste for this shot alone", self.paste_for_shot)
        self.menu.addSeparator()
        parts = self.menu.addMenu("Take of another look")
        assert parts is not None
        for switch, word in EFFECT_WORDS.items():
            part = self._entry(parts, word, lambda: None)
            part.setCheckable(True)
            part.setChecked(True)
            part.toggled.connect(partial(self._parts.__setitem__, switch))
        button.setMenu(self.menu)
        return button

    @staticmethod
    def _entry(menu: QMenu, text: str, slot: object) -> QAction:
        action = menu.addAction(text)
        assert action is not None
        action.triggered.connect(lambda _: slot())  # type: ignore[operator]
        return action

    @property
    def parts(self) -> tuple[str, ...]:
        """The switches of the effects that are taken from other looks."""
        return tuple(switch for switch, on in self._parts.items() if on)

    def take(self, label: str, other: Look) -> None:
        """Take another look, as far as its effects are ticked, as one step."""
        zone = self._session.selection.source
        if isinstance(zone, ZoneSource):
            self._take_in_zone(label, other, zone)
            return
        look = taken(self._session.now.look, other, self.parts)
        names = [name for switch in self.parts for name in (switch, *EFFECTS[switch])]
        old = self._session.now.look
        values = {
            f"look/{name}": getattr(look, name) for name in names if getattr(old, name) != getattr(look, name)
        }
        if values:
            self._session.set_all(label, values)
        else:
            self._session.told.emit("The picture has that look already")

    def _take_in_zone(self, label: str, other: Look, zone: ZoneSource) -> None:
        """The same in a zone, which has the effects that the other look does something by."""
        values = zone_values(other, self.parts)
        if not values:
            self._session.told.emit("That look has nothing that a zone could take")
        else:
            self._session.set_values(f"{label}, {zone.name}", zone.id, values)

    def take_own(self, name: str) -> None:
        """Take one of the program's own."""
        self.take(f"look: {name}", own_look(name))

    def take_none(self) -> None:
        """Leave the picture as it is without a look."""
        self.take("no look", Look())

    def copy(self) -> None:
        """Put the look on the clipboard, as the text of its file."""
        board = QGuiApplication.clipboard()
        assert board is not None
        zone = self._session.selection.source
        look = look_of_zone(zone) if isinstance(zone, ZoneSource) else self._seen_look
        board.setText(text_of_look(look))
        count = len(effects_of(look))
        self._session.told.emit(
            f"The look is copied ({count} effects); paste it anywhere, in a zone or for one shot too"
        )

    @property
    def _seen_look(self) -> Look:
        """The look that is in force where the camera stands."""
        now, camera = self._session.now, self._session.camera
        return now.look if camera is None else zoned(now, np.array(camera.eye)).look

    def _pasted(self, use: Callable[[Look], None]) -> None:
        board = QGuiApplication.clipboard()
        assert board is not None
        try:
            use(look_of_text(board.text().encode(), "the clipboard"))
        except WallumError as error:
            self._session.failed.emit(str(error))

    def paste(self) -> None:
        """Take the look that is on the clipboard."""
        self._pasted(partial(self.take, "paste a look"))

    def paste_for_shot(self) -> None:
        """Let the shot that the camera stands at alone have it."""
        self._pasted(lambda look: self._session.take_look_for_shot(look, self.parts))

    def _open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Take a look", "", "Looks (*.json)")
        if path:
            self.take_file(path)

    def take_file(self, path: str) -> None:
        """Take the look of a file; what is wrong with it is said, and nothing changes."""
        try:
            self.take(f"look: {Path(path).stem}", read_look(Path(path)))
        except WallumError as error:
            self._session.failed.emit(str(error))

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save the look", "look.json", "Looks (*.json)")
        if path:
            self.save_file(path)

    def save_file(self, path: str) -> None:
        """Write the look by itself."""
        try:
            write_look_file(Path(path), self._session.now.look)
            self._session.told.emit(f"The look is in {path}")
        except WallumError as error:
            self._session.failed.emit(str(error))


TABS = (
    ("Curve", "What the screen shows of each stop of light"),
    ("Night", "How much darker than metered the picture stays, by its light"),
)

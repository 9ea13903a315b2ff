"""Head of the air's values: its layers, how thick it is over height, and what is done at once."""

import math
from functools import partial
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.session.session import Session
from wallum.desk.viewport.base_mark import LAYERS
from wallum.desk.widgets.buttons import text_button
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.air import AirValues
from wallum.document.project import Project
from wallum.document.sources import PocketSource, Sheets, SkySource
from wallum.memo import Memo
from wallum.moment.evaluate import air_of, evaluate, layer_of, straight_fog
from wallum.physics.colour import luminance
from wallum.physics.medium import KOSCHMIEDER, Medium

__all__ = ["AIR_GROUPS", "AirHead", "AirProfile", "hero_heights"]

# Layers of the level's air, by the project's field, as they are called here.
AIR_GROUPS: Final = {**LAYERS, "screen_shafts": "Screen"}
HEIGHT_PX, LEFT_PX, RIGHT_PX = 118, 44, 62
# Visibilities that the profile goes from and to [m].
CLEAREST_M, THICKEST_M = 200_000.0, 10.0
MARKED_M: Final = ((100_000.0, "100 km"), (1000.0, "1 km"), (30.0, "30 m"))
# What the profile shows at least over the ground, and at most [m].
MIN_M, MAX_M = 12.0, 400.0
STEPS = 80

_HEROES: Final = Memo[tuple[float, ...]](4)


def hero_heights(loaded: LoadedLevel, project: Project) -> tuple[float, ...]:
    """Heights of the middles of the heroes [m]."""

    def found() -> tuple[float, ...]:
        heroes = {mark.part for mark in project.marks if mark.hero}
        triangles = loaded.rays.triangles
        out = []
        for number, part in enumerate(loaded.level.parts):
            if part.id in heroes:
                faces = triangles.faces[triangles.part == number]
                if len(faces):
                    heights = triangles.positions[faces.ravel(), 1]
                    out.append(float(0.5 * (heights.min() + heights.max())))
        return tuple(out)

    return _HEROES.get(found, loaded, project.marks)


class AirProfile(QWidget):
    """How far one sees at each height, with the ground, the eye and the heroes marked."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(HEIGHT_PX)
        self.setToolTip("How thick the air is by height: farther right, one sees less far")
        self._air: Medium | None = None
        self._ground = 0.0
        self._eye: float | None = None
        self._heroes: tuple[float, ...] = ()
        self._span = (0.0, MIN_M)

    def show_air(
        self, air: Medium | None, ground: float, top: float, eye: float | None, heroes: tuple[float, ...]
    ) -> None:
        """Show the air of a moment over a ground [m]; top : of the level."""
        self._air, self._ground, self._eye, self._heroes = air, ground, eye, heroes
        marked = [ground + MIN_M, *heroes, *([] if eye is None else [eye])]
        if air is not None:
            marked += [layer.base_height + 1.5 * layer.scale_height for layer in air.layers]
        high = min(max(marked), max(top, ground + MIN_M), ground + MAX_M)
        room = 0.08 * (high - ground)
        self._span = (ground - room, high + room)
        self.setAccessibleName(self.told())
        self.update()

    def told(self) -> str:
        """The profile in words."""
        if self._air is None:
            return "No air"
        seen = self.visibility(np.array([self._ground]))[0]
        return f"At the ground one sees {seen:,.0f} m far"

    def visibility(self, heights: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far one sees at heights [m]."""
        assert self._air is not None
        return np.asarray(KOSCHMIEDER / np.maximum(self._air.extinction(heights)[:, 1], 1e-9))

    def _across(self, visibility_m: float) -> float:
        share = math.log(CLEAREST_M / max(visibility_m, 1.0)) / math.log(CLEAREST_M / THICKEST_M)
        return LEFT_PX + min(max(share, 0.0), 1.0) * (self.width() - LEFT_PX - RIGHT_PX)

    def _down(self, height_m: float) -> float:
        low, high = self._span
        return (HEIGHT_PX - 16.0) * (1.0 - (height_m - low) / (high - low)) + 2.0

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bottom = HEIGHT_PX - 14.0
        painter.fillRect(QRectF(LEFT_PX, 2.0, self.width() - LEFT_PX - RIGHT_PX, bottom - 2.0), _of("ground"))
        font = painter.font()
        font.setPointSizeF(7.5)
        painter.setFont(font)
        for visibility, text in MARKED_M:
            x = self._across(visibility)
            painter.setPen(QPen(_of("line"), 1.0))
            painter.drawLine(QPointF(x, 2.0), QPointF(x, bottom))
            painter.setPen(_of("quiet"))
            painter.drawText(QRectF(x - 30, bottom, 60, 13), Qt.AlignmentFlag.AlignCenter, text)
        low, high = self._span
        for height in (low + 0.08 / 1.16 * (high - low), high - 0.08 / 1.16 * (high - low)):
            y = self._down(height)
            painter.setPen(_of("quiet"))
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, y - 7, LEFT_PX - 5, 14), right, f"{height:.0f} m")
        if self._air is not None:
            self._draw_curves(painter, low, high)
        self._draw_marks(painter)

    def _draw_curves(self, painter: QPainter, low: float, high: float) -> None:
        assert self._air is not None
        heights = np.linspace(low, high, STEPS)
        whole = self._curve(heights, self.visibility(heights))
        edge = QPointF(LEFT_PX, self._down(high)), QPointF(LEFT_PX, self._down(low))
        fill = _of("second")
        fill.setAlpha(60)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(fill)
        painter.drawPolygon(QPolygonF([*whole, *edge]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(_of("second"), 1.6))
        painter.drawPolyline(QPolygonF(whole))

    def _curve(self, heights: NDArray[np.float64], visibility: NDArray[np.float64]) -> list[QPointF]:
        pairs = zip(heights.tolist(), visibility.tolist(), strict=True)
        return [QPointF(self._across(seen), self._down(height)) for height, seen in pairs]

    def _draw_marks(self, painter: QPainter) -> None:
        """Ground, eye and heroes at the right edge, each at its height."""
        right = self.width() - RIGHT_PX
        marks = [(self._ground, "ground", "quiet")]
        if self._eye is not None:
            marks.append((self._eye, "eye", "text"))
        marks += [(height, "hero", "accent") for height in self._heroes]
        taken: list[float] = []
        for height, text, colour in marks:
            y = min(max(self._down(height), 4.0), HEIGHT_PX - 18.0)
            painter.setPen(QPen(_of(colour), 1.4))
            painter.drawLine(QPointF(right, y), QPointF(right + 8, y))
            if all(abs(y - other) > 11.0 for other in taken):
                place = QRectF(right + 11, y - 7, RIGHT_PX - 12, 14)
                painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, text)
                taken.append(y)


def _of(token: str) -> QColor:
    return QColor(TOKENS[token])


class AirHead(QWidget):
    """The layers as a list, the profile, and commands. `chosen` says which layer's values are wanted."""

    chosen = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("pane")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self._group = "air"
        self._layers: dict[str, QToolButton] = {}
        self.profile = AirProfile()
        row = QHBoxLayout()
        row.setSpacing(4)
        for group, word in AIR_GROUPS.items():
            button = QToolButton()
            button.setText(word)
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(partial(self._choose, group))
            row.addWidget(button)
            self._layers[group] = button
        row.addStretch(1)
        at_once = QHBoxLayout()
        at_once.setSpacing(4)
        self._to_ground = text_button(
            "To the ground", "Base of this layer at the level's lowest ground", self.to_ground
        )
        at_once.addWidget(self._to_ground)
        at_once.addWidget(
            text_button("All white", "White air, and a sky as white and bright as it is now", self.all_white)
        )
        at_once.addStretch(1)
        self.places = QComboBox()
        self.places.setAccessibleName("Pockets, cards and veils")
        self.places.setToolTip("Pockets, cards and veils: choose one for its values")
        self.places.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.places.activated.connect(self._choose_place)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 4, 10, 2)
        layout.setSpacing(4)
        layout.addLayout(row)
        layout.addWidget(self.places)
        layout.addWidget(self.profile)
        layout.addLayout(at_once)
        self._told = QLabel()
        self._told.setObjectName("quiet")
        self._told.setWordWrap(True)
        layout.addWidget(self._told)

    def _list_places(self) -> None:
        """List what stands somewhere of the air, and what stands for it."""
        there = [
            source
            for source in self._session.project.resolved_sources
            if isinstance(source, PocketSource | Sheets)
        ]
        shown = [(item.name if item.on else f"{item.name}, off", item.id) for item in there]
        head = f"Pockets, cards and veils ({len(shown)})" if shown else "No pockets, cards or veils"
        wanted = [(head, ""), *shown]
        now = [(self.places.itemText(n), self.places.itemData(n)) for n in range(self.places.count())]
        if wanted != now:
            self.places.clear()
            for text, key in wanted:
                self.places.addItem(text, key)
        self.places.setCurrentIndex(0)
        self.places.setEnabled(bool(shown))

    def _choose_place(self, index: int) -> None:
        key = self.places.itemData(index)
        if key:
            self._session.selection.select(key)

    def _choose(self, group: str, _: bool) -> None:
        self.chosen.emit(group)

    def show_group(self, group: str) -> None:
        """Show the air of the present moment, with a layer chosen."""
        self._group = group
        self._list_places()
        self._to_ground.setEnabled(group in LAYERS)
        now, loaded = self._session.now, self._session.level
        for name, button in self._layers.items():
            layer: AirValues = getattr(now, name)
            button.setChecked(name == group)
            button.setToolTip(f"Values of this layer; it is {'on' if layer.on else 'off'}")
            button.setText(AIR_GROUPS[name] + (" \N{BULLET}" if layer.on else ""))
        ground, top = (0.0, MIN_M) if loaded is None else loaded.bounds[:, 1].tolist()
        heroes = () if loaded is None else hero_heights(loaded, now)
        eye = None if self._session.camera is None else self._session.camera.eye[1]
        straight = now.air.on and now.air.model == "straight"
        self._told.setVisible(straight)
        if straight:
            self._told.setText(self._difference(now, eye))
        self.profile.show_air(air_of(now, self._session.playhead.moment), ground, top, eye, heroes)

    @staticmethod
    def _difference(now: Project, eye: float | None) -> str:
        """How far straight fog is from true haze of the same project, along level ways."""
        away = np.geomspace(1.0, max(2.0 * now.air.straight_end, 10.0), 200)
        height, level = np.full(len(away), eye or 0.0), np.zeros(len(away))
        fog = straight_fog(now.air)
        true = layer_of(now.air).depth(height, level, away)
        apart = np.abs(np.exp(-true) - (1.0 - fog.hidden(height, level, away)))
        worst = int(np.argmax(apart))
        largest, where = apart[worst], away[worst]
        return f"A fake: differs from true haze by up to {largest:.0%} of contrast, {where:.0f} m away"

    def to_ground(self) -> None:
        """Bring the base of the layer down, or up, to the level's lowest ground."""
        if self._group not in LAYERS:
            return
        loaded = self._session.level
        if loaded is None:
            self._session.told.emit("There is no level whose ground could be found")
            return
        low = round(float(loaded.bounds[0, 1]), 2)
        self._session.set_all("Air to the ground", {f"{self._group}/base_height": low})

    def all_white(self) -> None:
        """White air before a white sky as bright as the present one."""
        now = self._session.now
        values: dict[str, object] = {}
        for group in LAYERS:
            values |= {f"{group}/colour": (1.0, 1.0, 1.0), f"{group}/absorption": 0.0}
        sky = next((source for source in now.resolved_sources if isinstance(source, SkySource)), None)
        scene = evaluate(self._session.project, self._session.playhead.moment)
        if sky is not None and scene.sky is not None:
            bright = float(luminance(scene.sky.terms[0] * 0.282095 / math.pi))
            path, white = f"sources/@{sky.id}", (1.0, 1.0, 1.0)
            values |= {f"{path}/{name}": white for name in ("zenith", "middle", "horizon")}
            values |= {f"{path}/model": "gradient", f"{path}/brightness": min(max(bright, 0.0), 1e6)}
            values |= {f"{path}/glow_stops": 0.0}
        self._session.set_all("White air and sky", values)

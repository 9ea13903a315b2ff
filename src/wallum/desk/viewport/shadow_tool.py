"""Pull a shadow: take it, or the shadow of a stick that is stood anywhere, and drag it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from wallum.desk.session.session import Session
from wallum.desk.viewport.view import PictureView
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.sources import Coloured, FarLight, Lamp
from wallum.errors import WallumError
from wallum.moment.aiming import pulled
from wallum.moment.evaluate import evaluate

__all__ = ["ShadowTool", "changes_between"]

Point = NDArray[np.float64]
LIFT_M = 2e-3
STICK_M = 1.0
CATCH_PX = 12.0


def changes_between(before: Coloured, after: Coloured) -> dict[str, object]:
    """Fields that differ."""
    names = type(before).model_fields
    return {name: getattr(after, name) for name in names if getattr(after, name) != getattr(before, name)}


@dataclass(frozen=True)
class Stick:
    """A rod that was stood on a surface, and where its end is [m]."""

    foot: Point
    end: Point


class ShadowTool:
    """Takes drags of the left button while it is on. A press on lit ground stands the stick."""

    def __init__(self, session: Session, picture: PictureView) -> None:
        self._session, self._picture = session, picture
        self.stick: Stick | None = None
        self._source: FarLight | Lamp | None = None
        self._caster: Point = np.zeros(3)
        picture.overlays.append(self._paint)

    # -- the hand ----------------------------------------------------------------------

    def take(self, at: QPointF) -> "ShadowTool | None":
        """Take the shadow under a place of the picture, or stand the stick there."""
        result, loaded = self._picture.surface_at(at), self._session.level
        source = self._whose()
        if result is None or loaded is None or source is None:
            self._session.told.emit("There is no shadow to pull: select a lamp or the sun")
            return None
        if source.locked:
            self._session.told.emit(f"{source.name} is locked: unlock it first")
            return None
        if self._near_stick(source, at):
            assert self.stick is not None
            return self._hold(source, self.stick.end)
        point = result[0] + result[1] * LIFT_M
        toward, reach = self._toward(source, point)
        hits = loaded.rays.first_hit(point[None], toward[None])
        if hits.distance[0] < reach:
            return self._hold(source, point + toward * hits.distance[0])
        self.stick = Stick(result[0], result[0] + np.array([0.0, STICK_M, 0.0]))
        self._session.told.emit("A stick of 1 m stands here: drag the end of its shadow")
        self._picture.update()
        return None

    def _hold(self, source: FarLight | Lamp, caster: Point) -> "ShadowTool":
        self._source, self._caster = source, caster
        return self

    def drag(self, at: QPointF) -> str:
        """Let the shadow that was taken fall on what is under a place of the picture."""
        result, source = self._picture.surface_at(at), self._source
        if source is None or result is None:
            return "no surface there"
        try:
            moved = pulled(source, self._caster, result[0])
        except WallumError as error:
            return str(error)
        self._session.preview_values(source.id, changes_between(source, moved))
        if isinstance(moved, FarLight):
            return f"{source.name} at {moved.azimuth:.1f} deg, {moved.elevation:.1f} deg high"
        away = float(np.linalg.norm(np.array(moved.position) - self._caster))
        return f"{source.name} {away:.2f} m from what casts it"

    def let_go(self) -> None:
        if self._source is not None:
            name, self._source = self._source.name, None
            self._session.commit(f"pull the shadow of {name}")

    def give_back(self) -> None:
        self._source = None
        self._session.cancel()

    def put_away(self) -> None:
        """Take the stick away."""
        self.stick = None
        self._picture.update()

    # -- whose shadow, and where it falls ------------------------------------------------

    def _whose(self) -> FarLight | Lamp | None:
        now = self._session.now
        selected = now.source(self._session.selection.lead)
        if isinstance(selected, FarLight | Lamp):
            return selected
        far = evaluate(self._session.project, self._session.playhead.moment).sun
        source = now.source(far.id) if far is not None else None
        return source if isinstance(source, FarLight) else None

    def _toward(self, source: FarLight | Lamp, point: Point) -> tuple[Point, float]:
        """Unit direction from a point to a source, and how far it is."""
        if isinstance(source, Lamp):
            offset = np.array(source.position) - point
            distance = float(np.linalg.norm(offset))
            return offset / max(distance, 1e-9), distance
        far = evaluate(self._session.project, self._session.playhead.moment).sun
        return (far.direction if far is not None else np.array([0.0, 1.0, 0.0])), float("inf")

    def shadow_end(self) -> Point | None:
        """Where the shadow of the stick's end falls; None where it meets nothing."""
        source, loaded = self._whose(), self._session.level
        if self.stick is None or source is None or loaded is None:
            return None
        toward, _ = self._toward(source, self.stick.end)
        hits = loaded.rays.first_hit((self.stick.end - toward * LIFT_M)[None], -toward[None])
        if not np.isfinite(hits.distance[0]):
            return None
        return np.asarray(self.stick.end - toward * (hits.distance[0] + LIFT_M))

    def _near_stick(self, source: FarLight | Lamp, at: QPointF) -> bool:
        end = self.shadow_end()
        if end is None or self.stick is None:
            return False
        spot = self._picture.place_of(end)
        return spot is not None and float(np.hypot(spot.x() - at.x(), spot.y() - at.y())) <= CATCH_PX

    def _paint(self, painter: QPainter) -> None:
        if self.stick is None:
            return
        foot, end = self._picture.place_of(self.stick.foot), self._picture.place_of(self.stick.end)
        if foot is None or end is None:
            return
        _line(painter, foot, end, QColor(TOKENS["text"]), Qt.PenStyle.SolidLine)
        fallen = self.shadow_end()
        spot = self._picture.place_of(fallen) if fallen is not None else None
        if spot is not None:
            _line(painter, foot, spot, QColor(TOKENS["accent"]), Qt.PenStyle.DashLine)
            painter.setPen(QPen(QColor(TOKENS["accent"]), 1.5))
            painter.drawEllipse(spot, 5.0, 5.0)


def _line(painter: QPainter, a: QPointF, b: QPointF, ink: QColor, style: Qt.PenStyle) -> None:
    painter.setPen(QPen(QColor(0, 0, 0, 150), 3.6))
    painter.drawLine(a, b)
    painter.setPen(QPen(ink, 1.6, style))
    painter.drawLine(a, b)

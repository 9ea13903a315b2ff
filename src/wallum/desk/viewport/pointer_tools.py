"""What is done at the pointer: lamps put, parts named and marked, the figure stood there."""

from collections.abc import Callable
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QCursor

from wallum.desk.session.lamp_looks import LAMP_LOOKS
from wallum.desk.session.part_tools import (
    toggle_body,
    toggle_follow,
    toggle_hero,
    toggle_ignored,
    toggle_uncast,
    toggle_water,
)
from wallum.desk.session.session import Session
from wallum.desk.viewport.shaft_tools import ShaftTools
from wallum.desk.viewport.view import PictureView
from wallum.document.fields import Vector
from wallum.level.model.figure import FIGURE_PARTS
from wallum.moment.aiming import angles_of

__all__ = ["PointerTools"]


class PointerTools:
    """Each is one step of undo; what is not there is said."""

    def __init__(self, session: Session, picture: PictureView) -> None:
        self._session, self._picture = session, picture
        self.shafts = ShaftTools(session, picture)

    @property
    def commands(self) -> dict[str, Callable[[], object]]:
        """What puts something at the pointer, by the names of its commands."""
        at = self.at_pointer
        return {
            **{kind: partial(at, partial(self.put_at, kind)) for kind in LAMP_LOOKS},
            "pocket": partial(at, self.put_pocket),
            "room": partial(at, self.put_room),
            "zone": partial(at, self.put_zone),
            "card": partial(at, self.shafts.put_card),
            "veil": partial(at, self.shafts.put_veil),
            "figure": partial(at, self.stand_figure),
        }

    def at_pointer(self, tool: Callable[[QPointF], object]) -> None:
        """Use a tool at the pointer, or in the middle of the picture."""
        at = QPointF(self._picture.mapFromGlobal(QCursor.pos()))
        if not self._picture.rect().contains(at.toPoint()):
            at = QPointF(self._picture.rect().center())
        tool(at)

    def put_at(self, kind: str, at: QPointF) -> None:
        """Put a lamp at the surface under a place of the picture."""
        surface = self._picture.surface_at(at)
        if surface is None:
            self._session.told.emit("There is no surface there to put a lamp at")
            return
        point, normal, _ = surface
        (x, y, z), (nx, ny, nz) = point.tolist(), normal.tolist()
        self._session.add_lamp(kind, (x, y, z), (nx, ny, nz))
        self._picture.setFocus()

    def put_pocket(self, at: QPointF) -> None:
        """Put a pocket of air on the surface under a place of the picture."""
        self._put_on(self._session.add_pocket, "a pocket of air", at)

    def put_room(self, at: QPointF) -> None:
        """Put a room of one's own there."""
        self._put_on(self._session.add_room, "a room", at)

    def put_zone(self, at: QPointF) -> None:
        """Put a zone there."""
        self._put_on(self._session.add_zone, "a zone", at)

    def _put_on(self, put: Callable[[Vector], object], what: str, at: QPointF) -> None:
        surface = self._picture.surface_at(at)
        if surface is None:
            self._session.told.emit(f"There is no surface there to put {what} on")
            return
        x, y, z = surface[0].tolist()
        put((x, y, z))
        self._picture.setFocus()

    def stand_figure(self, at: QPointF) -> None:
        """Stand the figure on the surface under a place, facing the camera; there already: take it away."""
        surface = self._picture.surface_at(at)
        present = self._session.history.present
        over = self._part_at(at)
        if present.figure.on and (surface is None or (over is not None and over[0] in FIGURE_PARTS)):
            self._session.set_value("take the figure away", "figure/on", False)
            return
        if surface is None:
            self._session.told.emit("There is no ground there to stand the figure on")
            return
        x, y, z = (round(float(part), 3) for part in surface[0])
        azimuth, _ = angles_of(np.array(self._picture.camera.eye) - surface[0])
        values = {"figure/on": True, "figure/position": (x, y, z), "figure/turn": round(azimuth, 1)}
        self._session.set_all("stand the figure", values)
        self._session.told.emit("The figure stands here, 1.8 m tall; point at it and press I to take it away")

    def name_part(self, at: QPointF) -> None:
        """Say what is under a place."""
        result, loaded = self._picture.surface_at(at), self._session.level
        if result is None or loaded is None:
            self._session.told.emit("")
            return
        point, _, triangle = result
        flat = loaded.rays.triangles
        part = loaded.level.parts[flat.part[triangle]]
        material = loaded.level.materials[flat.material[triangle]]
        distance = float(np.linalg.norm(point - np.array(self._picture.camera.eye)))
        x, y, z = point
        self._session.told.emit(
            f"{part.name}, {material.name}, {distance:.2f} m away at {x:.2f}, {y:.2f}, {z:.2f}"
        )

    def _part_at(self, at: QPointF) -> tuple[str, str] | None:
        result = self._picture.surface_at(at) if self._picture.rect().contains(at.toPoint()) else None
        if result is None or self._session.level is None:
            return None
        part = self._session.level.level.parts[self._session.level.rays.triangles.part[result[2]]]
        return part.id, part.name

    def _mark(self, toggle: Callable[[Session, str, str], None]) -> None:
        """Change a mark of the part under the pointer; says so where there is none."""
        part = self._part_at(QPointF(self._picture.mapFromGlobal(QCursor.pos())))
        if part is None:
            self._session.told.emit("Point at a part of the level first")
        else:
            toggle(self._session, *part)

    def mark_hero(self) -> None:
        self._mark(toggle_hero)

    def let_follow(self) -> None:
        self._mark(toggle_follow)

    def make_body(self) -> None:
        """Say that the glow under the pointer is a lamp's light, or no more."""
        self._mark(toggle_body)

    def leave_out(self) -> None:
        self._mark(toggle_ignored)

    def cast_nothing(self) -> None:
        self._mark(toggle_uncast)

    def make_water(self) -> None:
        """Make the surface of the part under the pointer water, or what it was."""
        self._mark(toggle_water)

"""Looking through shots: for a moment or to stay, one or all of them on the wall."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.session.session import Session
from wallum.desk.viewport.navigation import frame
from wallum.desk.viewport.shot_wall import ShotWall
from wallum.desk.viewport.view import PictureView
from wallum.desk.viewport.view_state import ViewState
from wallum.document.fit import LevelFit
from wallum.document.sources import AmbientBoxSource, CardSource, Lamp, PocketSource, Sheets, ZoneSource
from wallum.moment.camera import Camera, far_for

__all__ = ["ShotNavigation"]

SMALLEST_FRAMED_M = 1.5


class ShotNavigation(QObject):
    """Remembers where one came from."""

    left = pyqtSignal()  # there is nothing left to go back from but a view

    def __init__(self, session: Session, picture: PictureView, wall: ShotWall, state: ViewState) -> None:
        super().__init__()
        self._session, self._picture, self._wall, self._state = session, picture, wall, state
        self._came_from: Camera | None = None  # before a shot was looked through for a moment
        self._moving = False
        self._fit: LevelFit | None = None  # of the level as it was first looked at
        picture.camera_moved.connect(self._moved)
        picture.left.connect(self.go_back)
        picture.stayed.connect(self.stay)
        wall.chosen.connect(self.leave_wall)
        wall.left.connect(self.leave_wall)

    def look_from(self, camera: Camera) -> None:
        """Take a camera over, seeing as far as the level goes."""
        loaded = self._session.level
        far = far_for(loaded.level.bounds) if loaded is not None else camera.far
        self._moving = True
        self._picture.look_through(replace(camera, far=far))
        self._moving = False

    def look_through(self, shot_id: str) -> None:
        """Look through a shot, and stay."""
        shot = next((item for item in self._session.project.shots if item.id == shot_id), None)
        self._came_from = None
        if shot is not None:
            self.look_from(Camera.of_shot(shot, 1.0))

    def look_first(self) -> None:
        """Look from where the project was left, from its first shot, or at all of the level."""
        loaded, project = self._session.level, self._session.project
        assert loaded is not None
        self._fit = loaded.dress.fit
        far = far_for(loaded.level.bounds)
        shot = project.viewpoint or (project.shots[0] if project.shots else None)
        if shot is not None:
            self.look_from(Camera.of_shot(shot, 1.0, far))
        else:
            low, high = loaded.level.bounds
            self.look_from(frame(Camera((0, 0, 0), (-0.55, -0.35, -0.76), far=far), low, high))

    def follow_fit(self) -> None:
        """Look anew at a level that lies otherwise now."""
        loaded = self._session.level
        if loaded is not None and loaded.dress.fit != self._fit:
            self.look_first()

    def frame_selected(self) -> None:
        """Bring the selected lamp into view, or all of the level."""
        if self._session.level is None:
            return
        low, high = self._session.level.level.bounds
        source = self._session.selection.source
        if isinstance(source, PocketSource | AmbientBoxSource | ZoneSource | Sheets):
            half = 0.5 * (source.length if isinstance(source, CardSource) else max(source.size))
            low, high = (np.array(source.position) + sign * half for sign in (-1.0, 1.0))
        elif isinstance(source, Lamp):
            reach = max(min(source.range or SMALLEST_FRAMED_M, 4.0), SMALLEST_FRAMED_M)
            low, high = (np.array(source.position) + sign * reach for sign in (-1.0, 1.0))
        self.look_from(frame(self._picture.camera, low, high))

    def peek(self, shot_id: str) -> None:
        """Look through a shot for a moment."""
        before = self._came_from or self._picture.camera
        self.look_through(shot_id)
        self._came_from = before
        self._session.told.emit("Enter stays at this shot, Escape goes back to where you were")

    def stay(self) -> None:
        """A peek becomes where one is."""
        if self._came_from is not None:
            self._came_from = None
            self._session.told.emit("")

    def go_back(self) -> None:
        """Leave what is only for a moment: a peek, then what is shown in the place of the picture."""
        if self._came_from is not None:
            camera, self._came_from = self._came_from, None
            self.look_from(camera)
            self._session.told.emit("")
        elif not self._state.back():
            self.left.emit()

    def _moved(self, _: Camera) -> None:
        if not self._moving:  # who moves on from a shot stays
            self._came_from = None

    def swap_wall(self) -> None:
        """Swap the picture for the wall of all shots, or back."""
        if self._wall.isVisible():
            self.leave_wall()
        else:
            self._wall.open()

    def leave_wall(self, shot_id: str = "") -> None:
        """Back to the picture, through a shot where one was chosen."""
        self._wall.hide()
        self._picture.setFocus()
        if shot_id:
            self.look_through(shot_id)

"""The view of zones: which part of the picture lies in which, and how far each counts where the camera is."""

from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QImage, QPainter

from wallum.desk.session.session import Session
from wallum.desk.viewport.marks import draw_label
from wallum.desk.viewport.pocket_shape import draw_outline, outline_of
from wallum.desk.viewport.view import PictureView
from wallum.document.sources import ZoneSource
from wallum.moment.zones import share_of

__all__ = ["ZONES", "ZoneView"]

ZONES: Final = "zones"
# Rays that the picture is looked into by.
ACROSS, DOWN = 96, 54
MAX_TINT: Final = 0.45
# Told apart by more than their hue.
TINTS: Final = ((121, 184, 196), (214, 168, 92), (185, 208, 101), (196, 132, 170), (150, 150, 220))


class ZoneView:
    """Lies over the picture while it is chosen."""

    def __init__(self, session: Session, picture: PictureView) -> None:
        self._session, self._picture = session, picture
        self._on = False
        self._kept: tuple[object, ...] | None = None
        self._image: QImage | None = None
        picture.overlays.insert(0, self._paint)

    def show(self, on: bool) -> None:
        """Whether it is chosen."""
        self._on = on
        if on and not self.zones:
            self._session.told.emit("There are no zones yet: put one with Shift+L over a surface")
        self._picture.update()

    @property
    def zones(self) -> list[ZoneSource]:
        """Zones that are on, as they are now, by rank."""
        result = (
            source for source in self._session.now.sources if isinstance(source, ZoneSource) and source.on
        )
        return sorted(result, key=lambda item: item.rank)

    def _tinted(self, zones: list[ZoneSource]) -> QImage | None:
        """What the surfaces that are seen lie in; kept while neither zones nor camera change."""
        loaded, camera = self._session.level, self._picture.camera_as_shown
        if loaded is None:
            return None
        key = (tuple(zones), camera, loaded.rays)
        if self._kept is None or any(a is not b and a != b for a, b in zip(key, self._kept, strict=True)):
            self._kept, self._image = key, _image(zones, self._places())
        return self._image

    def _places(self) -> NDArray[np.float64]:
        """(DOWN * ACROSS, 3) what is seen; far away where nothing is."""
        loaded, camera = self._session.level, self._picture.camera_as_shown
        assert loaded is not None
        x, y = np.meshgrid((np.arange(ACROSS) + 0.5) / ACROSS, (np.arange(DOWN) + 0.5) / DOWN)
        rays = camera.rays(x.ravel(), y.ravel())
        eyes = np.repeat(np.array([camera.eye]), len(rays), axis=0)
        hits = loaded.rays.first_visible(eyes, rays)
        away = np.where(hits.triangle >= 0, hits.distance, 1e6)
        return np.asarray(eyes + rays * away[:, None])

    def _paint(self, painter: QPainter) -> None:
        zones = self.zones if self._on else []
        if not zones:
            return
        image = self._tinted(zones)
        if image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self._picture.rect()), image)
        camera, picture = self._picture.camera_as_shown, self._picture
        for number, zone in enumerate(zones):
            lines = outline_of(zone, self._session.project, self._session.playhead.moment)
            draw_outline(painter, lines, camera, picture.width(), picture.height(), [])
            share = float(share_of(zone, np.array(camera.eye))[0])
            at = picture.place_of(np.array(zone.position)) if zone.shape != "everywhere" else None
            at = at or QPointF(14.0, 24.0 + 24.0 * number)
            draw_label(painter, at, f"{zone.name}, rank {zone.rank:g}: {share:.0%} here", picture.rect())


def _image(zones: list[ZoneSource], places: NDArray[np.float64]) -> QImage:
    """Tints of places, the zone of the highest rank over the others."""
    colour, cover = np.zeros((len(places), 3)), np.zeros(len(places))
    for number, zone in enumerate(zones):
        if zone.shape == "everywhere":
            continue
        share = share_of(zone, places)
        colour += (np.array(TINTS[number % len(TINTS)]) - colour) * share[:, None]
        cover = np.maximum(cover, share)
    alpha = MAX_TINT * cover
    data = np.zeros((DOWN, ACROSS, 4), np.uint8)
    data[..., :3] = (colour * alpha[:, None]).reshape(DOWN, ACROSS, 3)[..., ::-1]
    data[..., 3] = (255.0 * alpha).reshape(DOWN, ACROSS)
    form = QImage.Format.Format_ARGB32_Premultiplied
    return QImage(data.tobytes(), ACROSS, DOWN, 4 * ACROSS, form).copy()

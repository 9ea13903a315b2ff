"""The truth view: the reference picture, made behind the window and refined while one waits."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QRectF, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.work_thread import ThreadGroup, WorkThread
from wallum.desk.session.session import Session
from wallum.desk.viewport.marks import draw_label
from wallum.desk.viewport.view import PictureView
from wallum.image.denoise import denoised, denoiser
from wallum.image.develop import develop, in_focus
from wallum.image.widened import widened
from wallum.moment.camera import Camera
from wallum.moment.picture_scene import picture_scene
from wallum.moment.scene import LitScene
from wallum.transport.field.bounce import BounceField, Field
from wallum.transport.paths.reference import HalfColumns, Reference

__all__ = ["RAW_TRUTH", "TRUTHS", "Truth"]

RAW_TRUTH = "truth raw"
# The views of it: without its noise, and with.
TRUTHS = ("truth", RAW_TRUTH)
# It is traced at this share of the picture's size, and begins once the hand has rested so long.
SHARE, REST_MS = 0.5, 350
BOUNCES, MAX_PATHS = 6, 512


@dataclass(frozen=True)
class _TruthRequest:
    loaded: LoadedLevel
    scene: LitScene
    camera: Camera
    size: tuple[int, int]
    follows: dict[str, str]
    ev100: float
    made: Field | None = None  # what probes have seen, once that is known


class _TruthThread(WorkThread):
    """One reference picture, path after path, until it is given up."""

    refined = pyqtSignal(object, int, float)  # RGB (H, W, 3) with its noise, paths a pixel, noise
    cleaned = pyqtSignal(object)  # RGB without it
    doing = "the reference picture"
    behind = True

    def __init__(self, wanted: _TruthRequest) -> None:
        super().__init__()
        self._wanted = wanted
        self._depths: NDArray[np.float64] | None = None  # where the lens leaves something unsharp
        self.ev100 = wanted.ev100  # as the real-time picture is exposed, which may change meanwhile

    def work(self) -> None:
        w = self._wanted
        level = w.loaded.level
        reference = Reference(w.loaded.rays, level, w.scene, w.camera, w.size, BOUNCES, w.follows)
        with ThreadPoolExecutor(1) as beside:
            beside.submit(denoiser, w.size)  # it takes a while to come, the first time
            reference.aim_by(w.made)
        clean: NDArray[np.float64] | None = None
        halfway: Callable[[HalfColumns], None] | None = self._half
        self._depths = None if w.scene.look.focus is None else reference.depths()
        while reference.samples < MAX_PATHS and reference.step(lambda: not self.given_up, halfway):
            halfway = None
            light, paths = reference.luminance, reference.samples
            self.refined.emit(self._developed(light), paths, reference.noise)
            # Each time that there are twice as many: between, little changes.
            if paths & (paths - 1) == 0 and not self.given_up:
                clean = denoised(light, *reference.guides)
            if clean is not None:
                self.cleaned.emit(self._developed(clean))

    def _half(self, half: HalfColumns) -> None:
        """Every second column of the first path: enough to see by."""
        if self.given_up:
            return
        width = self._wanted.size[0]
        self.refined.emit(self._developed(widened(half.light, width)), 0, float("inf"))
        self.cleaned.emit(self._developed(widened(denoised(*half), width)))

    def _developed(self, light: NDArray[np.float64]) -> NDArray[np.uint8]:
        look = replace(self._wanted.scene.look, ev100=self.ev100)
        if self._depths is not None:
            light = in_focus(light, look, self._depths, self._wanted.camera.fov)
        return develop(light, look)


class Truth(QObject):
    """Shown over the real-time picture, which goes on beneath; the hand's first move takes it away."""

    def __init__(self, session: Session, picture: PictureView) -> None:
        super().__init__()
        self._session, self._picture = session, picture
        self.bounce: Callable[[], BounceField | None] = lambda: None  # light from surfaces, as far as known
        self.on = self.raw = False
        self.paths = 0
        self._image: QImage | None = None
        self._clean: QImage | None = None
        self._text = ""
        self._thread: _TruthThread | None = None
        self._crew = ThreadGroup(self)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._begin)
        picture.overlays.insert(0, self._paint)

    def show(self, on: bool, raw: bool = False) -> bool:
        """Show the reference picture, raw or without its noise, or the real-time one; whether what is shown
        was there already."""
        there = on and self.on
        self.on, self.raw = on, raw
        if not there:
            self.asked()
        return there

    def asked(self) -> None:
        """The picture is asked for anew: what was traced is of another."""
        self._stop()
        self._image, self._clean, self.paths = None, None, 0
        if self.on:
            self._text = "the reference picture begins when the hand rests"
            self._rest.start()
        self._picture.update()

    def _stop(self) -> None:
        self._rest.stop()
        if self._thread is not None:
            self._thread.give_up()
            self._thread = None

    def _begin(self) -> None:
        loaded = self._session.level
        if loaded is None or not loaded.whole or not self.on:
            return
        width, height = (max(int(item * SHARE), 16) for item in self._picture.pixel_size())
        project, size = self._session.project, (width, height)
        camera, ev100 = self._picture.camera_as_shown, self._session.shown_ev
        scene = picture_scene(project, self._session.playhead.moment, camera, size, indirect=True)
        bounce = self.bounce()
        built = None if bounce is None else bounce.made
        wanted = _TruthRequest(loaded, scene, camera, size, project.follows, ev100, built)
        self._thread = _TruthThread(wanted)
        self._thread.refined.connect(self._refined)
        self._thread.cleaned.connect(self._cleaned)
        self._thread.failed.connect(self._session.failed)
        self._crew.start(self._thread)

    def _refined(self, rgb: NDArray[np.uint8], paths: int, noise: float) -> None:
        if self._thread is None or self.sender() is not self._thread:
            return
        self._thread.ev100 = self._session.shown_ev
        self._image = _image(rgb)
        self.paths = paths
        text = f", noise {noise:.1%}" if paths > 1 else ""
        each = f"{paths} path{'s' * (paths > 1)} a pixel" if paths else "a path for every second column"
        self._text = f"reference, {each}, {BOUNCES} bounces{text}"
        self._picture.update()

    def _cleaned(self, rgb: NDArray[np.uint8]) -> None:
        if self.sender() is self._thread:
            self._clean = _image(rgb)
            self._picture.update()

    def _paint(self, painter: QPainter) -> None:
        if not self.on:
            return
        clean = self._clean if not self.raw else None
        shown, text = clean or self._image, self._text
        if shown is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self._picture.rect()), shown)
        if clean is not None:
            by = denoiser((clean.height(), clean.width()))
            text += f" taken out by {by}" if self.paths > 1 else f", noise taken out by {by}"
        draw_label(painter, self._picture.rect().bottomLeft().toPointF(), text, self._picture.rect())

    def dispose(self) -> None:
        """Stop for good."""
        self.on = False
        self._stop()
        self._crew.wait()


def _image(rgb: NDArray[np.uint8]) -> QImage:
    height, width = rgb.shape[:2]
    data = np.ascontiguousarray(rgb)
    return QImage(data.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()  # type: ignore[call-overload]

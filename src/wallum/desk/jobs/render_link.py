"""The renderer as the window sees it: asks without waiting, hands frames over as images."""

import time
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QSocketNotifier, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from wallum.frame.quality import HIGH
from wallum.moment.camera import Camera
from wallum.moment.scene import LitScene
from wallum.realtime.level.baked_set import BakedSet
from wallum.realtime.level.probe_set import ProbeSet, UnitResponses
from wallum.realtime.process.client import RendererClient
from wallum.realtime.process.memory import Block
from wallum.realtime.process.request import Detail, Frame, PictureRequest

__all__ = ["RenderLink"]

# The hand rests after this long without a new request.
REST_MS = 90
# Least time between two pictures under the hand that bring their values.
SAMPLED_S = 0.09
# A spare renderer is started once nothing was asked for so long.
SPARE_MS = 5000


class RenderLink(QObject):
    """Owns the renderer's process."""

    frame_came = pyqtSignal(object, QImage)
    status_came = pyqtSignal(str)
    thumb_came = pyqtSignal(str, QImage)
    compiled = pyqtSignal()
    room_came = pyqtSignal()  # for one more request, see `has_room`

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._client = RendererClient()
        self._notifier: QSocketNotifier | None = None
        self._shown: Frame | None = None
        self._pixels: NDArray[np.uint8] | None = None
        self._wanted: PictureRequest | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._settle)
        self._may_settle = True
        self._spare = QTimer(self)
        self._spare.setSingleShot(True)
        self._spare.setInterval(SPARE_MS)
        self._spare.timeout.connect(self._keep_spare)
        # How the target smooths edges, and whether pictures stay as they are delivered.
        self.edges, self.delivered = "none", False
        self._sampled_at = 0.0
        self.sampled = False  # whether pictures at rest bring their values in small
        self.sampled_often = False  # and those under a hand, now and then

    @property
    def client(self) -> RendererClient:
        return self._client

    @property
    def has_room(self) -> bool:
        """Whether a request would wait for the picture being drawn at most, and take no other's place."""
        return self._client.has_room

    def start(self) -> None:
        """Start the process."""
        self._client.start()
        self._watch()

    def _watch(self) -> None:
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier.deleteLater()
            self._notifier = None
        if self._client.running:
            kind = QSocketNotifier.Type.Read
            self._notifier = QSocketNotifier(self._client.fileno(), kind, self)  # type: ignore[call-overload]
            self._notifier.activated.connect(self._receive)

    def set_level(self, block: Block) -> None:
        """Show another level. What it may be drawn with is compiled after its first picture."""
        self._client.set_level(block)

    def show(
        self,
        scene: LitScene,
        camera: Camera,
        size: tuple[int, int],
        active: frozenset[str] = frozenset(),
        moving: bool = False,
        held_ev: float | None = None,
        heroes: NDArray[np.float32] | None = None,
        view: str = "final",
        view_of: str = "",
    ) -> int:
        """Ask for a picture; it settles once the hand rests. Returns the request's number.

        held_ev, heroes, view, view_of : see PictureRequest
        """
        plain = PictureRequest(
            0, scene, camera, size, heroes=heroes, view=view, view_of=view_of, sampled=self.sampled,
            edges=self.edges, delivered=self.delivered,
        )  # fmt: skip
        now = time.perf_counter()
        # A hand that moves has pictures to wait for: their values come now and then.
        early = now - self._sampled_at < SAMPLED_S
        self._sampled_at = self._sampled_at if early else now
        self._wanted = replace(plain, settle=True)
        if self.delivered:
            several = self.edges == "samples"
            self._wanted = replace(plain, settle=several, most=HIGH.edge_samples if several else 0)
        detail: Detail = "reduced" if moving else "full"
        now_and_then = self.sampled_often and not early
        asked = replace(plain, active=active, detail=detail, held_ev=held_ev, sampled=now_and_then)
        number = self._client.request(asked)
        self._rest.start()
        self._spare.start()
        return number

    def set_probes(self, probes: ProbeSet | None) -> None:
        """Where light that comes back from surfaces is known in the level that is shown."""
        self._client.set_probes(probes)

    def set_baked(self, baked: BakedSet | None) -> None:
        """Light that was baked of the level that is shown."""
        self._client.set_baked(baked)

    def take_bounce(self, units: UnitResponses) -> None:
        """That light, of some sources of strength 1."""
        self._client.take_bounce(units)

    def ask_others(self, wanted: dict[str, PictureRequest]) -> None:
        """Ask for other pictures by their names, when there is time for them; newest wins."""
        self._client.request_thumbs(wanted)

    def let_settle(self, may: bool) -> None:
        """Whether pictures may settle: not while what they show is about to change."""
        self._may_settle = may
        if may:
            self._rest.start()

    def _settle(self) -> None:
        if not self._may_settle:
            return
        if self._client.busy:
            self._rest.start()
        elif self._wanted is not None:
            self._client.request(self._wanted)

    def _keep_spare(self) -> None:
        """Be ready for the death of the renderer, in a minute that has time for it."""
        if self._client.busy:
            self._spare.start()
        else:
            self._client.keep_spare()

    def _receive(self) -> None:
        for message in self._client.receive():
            match message:
                case ("frame", Frame() as frame):
                    self._take(frame)
                case ("restarted",):
                    self._shown = None
                    self._watch()
                    self._spare.start()
                    self.status_came.emit("The renderer stopped and was started again; nothing is lost.")
                case ("gave up",):
                    self._shown = None
                    self._watch()
                    self.status_came.emit("The renderer keeps stopping. Save, and start Wallum again.")
                case ("thumb", _, name, (width, height), data):
                    form = QImage.Format.Format_RGB32
                    image = QImage(data, width, height, 4 * width, form)
                    self.thumb_came.emit(str(name), image.copy())
                case ("problem", text):
                    self.status_came.emit(str(text))
                case ("compiled",) | ("level shown",):
                    self.compiled.emit()
        if self._client.has_room:
            self.room_came.emit()

    def _take(self, frame: Frame) -> None:
        pixels = self._client.pixels(frame)
        width, height = frame.size
        form = QImage.Format.Format_RGB32
        image = QImage(pixels.data, width, height, 4 * width, form)  # type: ignore[call-overload]
        if self._rest.isActive():
            # A hand whose pictures take long rests once it has seen its answer, and not before.
            self._rest.start()
        before, self._shown = self._shown, frame
        # Qt keeps only the address: the memory must stay mapped while the image is painted,
        # even when buffers of another size take its place.
        selected, self._pixels = self._pixels, pixels
        self.frame_came.emit(frame, image)
        del selected
        if before is not None:
            self._client.release(before)

    def dispose(self) -> None:
        """End the process."""
        self._rest.stop()
        self._spare.stop()
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier = None
        self._client.stop()

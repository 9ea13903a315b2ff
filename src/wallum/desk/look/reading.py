"""A picture in numbers: what scopes and the head of the look show, worked out behind the window."""

from contextlib import suppress
from dataclasses import dataclass
from typing import cast

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from wallum.desk.project.work_thread import NewestThread
from wallum.errors import WallumError
from wallum.image.apart import Apart, look_apart
from wallum.moment.shown_look import ShownLook
from wallum.physics.scopes import parade, stops_histogram, vectors, waveform
from wallum.physics.tone import srgb_encode
from wallum.realtime.process.request import Frame

__all__ = ["LookReader", "Reading", "Taken", "around", "by_stops", "picked_pixels"]

# Of a sample's rows and columns, every so many are looked at for how far the look moves it.
COARSE = 4
CHANNELS = ((235, 90, 80), (100, 215, 100), (95, 140, 245))


@dataclass(frozen=True, eq=False)
class Taken:
    """What is read.

    values : (H, W, 3) exposed; pixels : (H, W, 3) the same places as they are shown, 0 to 1
    scopes : whether these are shown
    """

    values: NDArray[np.float32]
    pixels: NDArray[np.float32]
    look: ShownLook
    scopes: bool


@dataclass(frozen=True, eq=False)
class Reading:
    """histogram : of the light, by quarters of a stop; and scopes of picture and light, where shown"""

    taken: Taken
    histogram: NDArray[np.float64]
    apart: Apart
    luma: dict[str, NDArray[np.int64]]
    parade: dict[str, NDArray[np.int64]]
    vectors: dict[str, NDArray[np.int64]]
    images: dict[tuple[str, str], QImage]


def picked_pixels(image: QImage, shape: tuple[int, int]) -> NDArray[np.float32]:
    """(H, W, 3) of 0 to 1: one pixel of each cell of a picture. Copies no more than these."""
    bits = image.constBits()
    assert bits is not None
    bits.setsize(image.sizeInBytes())
    whole = np.frombuffer(cast(bytes, bits), np.uint8).reshape(image.height(), image.bytesPerLine())
    rows = ((np.arange(shape[0]) + 0.5) / shape[0] * image.height()).astype(np.int64)
    columns = ((np.arange(shape[1]) + 0.5) / shape[1] * image.width()).astype(np.int64)
    lines = whole[rows].reshape(shape[0], -1, 4)
    return np.asarray(lines[:, columns, 2::-1] / np.float32(255.0), np.float32)


def around(values: NDArray[np.float32], across: float, down: float) -> NDArray[np.float64]:
    """(3,) mean of a picture's values (H, W, 3) about a place, 0 to 1 from left and top."""
    height, width = values.shape[:2]
    x, y = min(max(int(across * width), 0), width - 1), min(max(int(down * height), 0), height - 1)
    near = values[max(y - 1, 0) : y + 2, max(x - 1, 0) : x + 2]
    return np.asarray(near.reshape(-1, 3).astype(np.float64).mean(axis=0))


def by_stops(values: NDArray[np.float32]) -> NDArray[np.float64]:
    """(H, W, 3) light as a signal of 0 to 1, by stops of each channel over the span of the histogram."""
    stops = np.log2(np.maximum(values.astype(np.float64), 1e-9) / 0.18)
    return np.clip((stops + 12.0) / 20.0, 0.0, 1.0)


def drawn(counts: NDArray[np.int64], colour: tuple[int, int, int]) -> NDArray[np.float64]:
    """(H, W, 3) of 0 to 255: counts as light, the lowest row of them last."""
    top = max(float(np.quantile(counts[counts > 0], 0.98)) if (counts > 0).any() else 1.0, 1.0)
    bright = np.clip(np.sqrt(counts[::-1] / top), 0.0, 1.0)
    return np.asarray(bright[..., None] * np.array(colour))


def image_of(rgb: NDArray[np.float64]) -> QImage:
    """A picture of (H, W, 3) of 0 to 255."""
    data = np.zeros((*rgb.shape[:2], 4), np.uint8)
    data[..., :3] = np.clip(rgb, 0.0, 255.0)[..., ::-1]
    height, width = rgb.shape[:2]
    return QImage(data.tobytes(), width, height, 4 * width, QImage.Format.Format_RGB32).copy()


def read(taken: Taken) -> Reading:
    """Everything of a picture. Raises ValueProblem for a table's file."""
    apart = look_apart(taken.values[::COARSE, ::COARSE], taken.look)
    luma, parades, planes = {}, {}, {}
    images: dict[tuple[str, str], QImage] = {}
    if taken.scopes:
        light = by_stops(taken.values)
        colours = {"picture": taken.pixels, "light": srgb_encode(np.clip(taken.values, 0.0, 1.0))}
        for of, signal in (("picture", taken.pixels), ("light", light)):
            luma[of], parades[of], planes[of] = waveform(signal), parade(signal), vectors(colours[of])
            three = [drawn(*one) for one in zip(parades[of], CHANNELS, strict=True)]
            images["luma", of] = image_of(drawn(luma[of], (215, 215, 205)))
            images["parade", of] = image_of(np.concatenate(three, axis=1))
            images["colours", of] = image_of(drawn(planes[of], (190, 215, 190)))
    return Reading(taken, stops_histogram(taken.values[::2, ::2]), apart, luma, parades, planes, images)


class ReaderThread(NewestThread):
    """Reads one picture after another; `ask` takes a Taken."""

    done = pyqtSignal(object)  # a Reading
    doing = "reading the picture"

    def work_on(self, wanted: Taken) -> None:
        # A table that is gone meanwhile is told by a check.
        with suppress(WallumError):
            self.done.emit(read(wanted))


class LookReader(QObject):
    """Takes what it needs of each picture that is shown, as long as anyone looks."""

    came = pyqtSignal(object)  # a Reading
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thread = ReaderThread()
        self._thread.done.connect(self._came)
        self._thread.failed.connect(self.failed)
        self.head = self.scopes = False  # who looks
        self.latest: Reading | None = None
        self.values: NDArray[np.float32] | None = None  # of the picture that is shown
        self.ev100 = 0.0  # that these are exposed by

    @property
    def wanted(self) -> bool:
        """Whether pictures are to bring their values."""
        return self.head or self.scopes

    def take(self, frame: Frame, image: QImage) -> None:
        """A picture is shown."""
        if frame.sample is None or frame.look is None:
            return
        self.values, self.ev100 = frame.sample.astype(np.float32), frame.look.ev100
        height, width = frame.sample.shape[:2]
        pixels = picked_pixels(image, (height, width)) if self.scopes else self.values
        self._thread.ask(Taken(self.values, pixels, frame.look, self.scopes))

    def _came(self, reading: Reading) -> None:
        self.latest = reading
        self.came.emit(reading)

    def forget(self) -> None:
        """The picture is of something else now."""
        self.latest = self.values = None

    def end(self) -> None:
        """Stop for good."""
        self._thread.end()

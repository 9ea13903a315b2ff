"""A picture in numbers: what scopes and the head of the look show, worked out behind the window."""

from dataclasses import dataclass, field, replace
from typing import cast

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from wallum.desk.jobs.work_thread import NewestThread
from wallum.errors import WallumError
from wallum.image.apart import LookDifference, look_apart
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.scopes import parade, stops_histogram, vectors, waveform
from wallum.physics.tone import srgb_encode
from wallum.realtime.process.request import Frame

__all__ = [
    "LookReader",
    "LookReading",
    "SampledPicture",
    "ScopeChoice",
    "around",
    "by_stops",
    "picked_pixels",
]

# Of a sample's rows and columns, every so many are looked at for how far the look moves it.
COARSE = 4
CHANNELS = ((235, 90, 80), (100, 215, 100), (95, 140, 245))


@dataclass(frozen=True)
class ScopeChoice:
    """What scopes are of: the picture, or the light before the look; its luma, or its channels."""

    of_light: bool = False
    by_channel: bool = False


@dataclass(frozen=True, eq=False)
class SampledPicture:
    """What is read.

    values : (H, W, 3) exposed; pixels : (H, W, 3) the same places as they are shown, 0 to 1
    scopes : what these are of; None: they are not shown
    """

    values: NDArray[np.float32]
    pixels: NDArray[np.float32]
    look: ResolvedLook
    scopes: ScopeChoice | None


@dataclass(frozen=True, eq=False)
class LookReading:
    """histogram : of the light, by quarters of a stop; and scopes, where shown

    signal  : (128, 240), or (3, 128, 240) by channel; vectors : (128, 128); see physics.scopes
    images  : of these, by the kind of the scope that shows them
    """

    taken: SampledPicture
    histogram: NDArray[np.float64]
    apart: LookDifference
    signal: NDArray[np.int64] | None = None
    vectors: NDArray[np.int64] | None = None
    images: dict[str, QImage] = field(default_factory=dict)


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


def read(taken: SampledPicture) -> LookReading:
    """Everything of a picture. Raises ValueProblem for a table's file."""
    apart = look_apart(taken.values[::COARSE, ::COARSE], taken.look)
    out = LookReading(taken, stops_histogram(taken.values[::2, ::2]), apart)
    return out if taken.scopes is None else _scoped(out, taken.scopes)


def _scoped(reading: LookReading, scopes: ScopeChoice) -> LookReading:
    """With scopes, as they are shown."""
    values, pixels = reading.taken.values, reading.taken.pixels
    signal = by_stops(values) if scopes.of_light else pixels
    colours = srgb_encode(np.clip(values, 0.0, 1.0)) if scopes.of_light else pixels
    counts, plane = parade(signal) if scopes.by_channel else waveform(signal), vectors(colours)
    if scopes.by_channel:
        parts = [drawn(*item) for item in zip(counts, CHANNELS, strict=True)]
        shown = np.concatenate(parts, axis=1)
    else:
        shown = drawn(counts, (215, 215, 205))
    images = {"signal": image_of(shown), "colours": image_of(drawn(plane, (190, 215, 190)))}
    return replace(reading, signal=counts, vectors=plane, images=images)


class ReaderThread(NewestThread):
    """Reads one picture after another; `ask` takes a Taken."""

    done = pyqtSignal(object)  # a Reading
    doing = "reading the picture"

    def __init__(self) -> None:
        super().__init__()
        self._problem = ""  # the last sentence said: pictures come many times a second

    def work_on(self, wanted: SampledPicture) -> None:
        try:
            self.done.emit(read(wanted))
            self._problem = ""
        except WallumError as error:
            if str(error) != self._problem:
                self._problem = str(error)
                self.failed.emit(f"Scopes and curves are not up to date: {error}")


class LookReader(QObject):
    """Takes what it needs of each picture that is shown, as long as anyone looks."""

    came = pyqtSignal(object)  # a Reading
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thread = ReaderThread()
        self._thread.done.connect(self._came)
        self._thread.failed.connect(self.failed)
        self.head, self.scopes = False, False  # who looks
        self._scoped = ScopeChoice()
        self._taken: SampledPicture | None = None  # what is read, or is to be
        self.latest: LookReading | None = None
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
        scoped = self._scoped if self.scopes else None
        self._taken = SampledPicture(self.values, pixels, frame.look, scoped)
        self._thread.ask(self._taken)

    def show_scopes(self, scoped: ScopeChoice) -> None:
        """Let scopes be of something else; what is shown is read again."""
        self._scoped = scoped
        if self._taken is not None and self._taken.scopes is not None:
            self._taken = replace(self._taken, scopes=scoped)
            self._thread.ask(self._taken)

    def _came(self, reading: LookReading) -> None:
        self.latest = reading
        self.came.emit(reading)

    def forget(self) -> None:
        """The picture is of something else now."""
        self.latest = self.values = self._taken = None

    def end(self) -> None:
        """Stop for good."""
        self._thread.end()

"""A day as a film: numbered pictures in a folder, or one video file."""

from contextlib import ExitStack
from pathlib import Path
from types import TracebackType
from typing import Protocol, Self

import av
import numpy as np
from numpy.typing import NDArray

from wallum.errors import ExportProblem
from wallum.exchange.pictures import write_png
from wallum.faults import reading
from wallum.files import written_whole

__all__ = ["FILM_SUFFIXES", "FilmWriter", "Pictures", "Video", "film_writer"]

FORMATS = {".mp4": "mp4", ".mkv": "matroska"}
FILM_SUFFIXES = tuple(FORMATS)
# Constant quality of H.264: hardly to be told from the original.
QUALITY = "16"


class FilmWriter(Protocol):
    """What takes a film's pictures in order."""

    def __enter__(self) -> Self: ...
    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None
    ) -> None: ...
    def add(self, rgb: NDArray[np.uint8]) -> None:
        """The next picture, (H, W, 3) sRGB."""


class Pictures:
    """Numbered pictures; a film that was broken off leaves those that were whole."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._count = folder, 0
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise ExportProblem(f"cannot be made: {error.strerror}", str(folder), "a folder") from None

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        return None

    def add(self, rgb: NDArray[np.uint8]) -> None:
        """The next picture. Raises ExportProblem."""
        write_png(self._folder / f"{self._count:05d}.png", rgb)
        self._count += 1


class Video:
    """One file; a film that was broken off leaves none, and what was there before stands."""

    def __init__(self, path: Path, size: tuple[int, int], rate: int) -> None:
        if size[0] % 2 or size[1] % 2:
            raise ExportProblem(f"a film of {size[0]}x{size[1]}", str(path), "even numbers of pixels")
        self._path = path
        self._whole = ExitStack()
        with ExitStack() as opening, reading(ExportProblem, "cannot be written", str(path)):
            part = opening.enter_context(written_whole(path))
            self._file = av.open(str(part), "w", format=FORMATS[path.suffix.lower()])
            self._whole = opening.pop_all()
        self._stream = self._file.add_stream("libx264", rate=rate, options={"crf": QUALITY})
        self._stream.width, self._stream.height = size
        self._stream.pix_fmt = "yuv420p"

    def __enter__(self) -> Self:
        return self

    def add(self, rgb: NDArray[np.uint8]) -> None:
        """The next picture."""
        frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24")
        with reading(ExportProblem, "cannot be written", str(self._path)):
            for packet in self._stream.encode(frame):
                self._file.mux(packet)

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None
    ) -> None:
        with reading(ExportProblem, "cannot be written", str(self._path)):
            try:
                if kind is None:
                    for packet in self._stream.encode():
                        self._file.mux(packet)
                self._file.close()
            except BaseException as failed:
                self._whole.__exit__(type(failed), failed, failed.__traceback__)
                raise
            # With an error it is taken away again: what was there before stands.
            self._whole.__exit__(kind, error, at)


def film_writer(out: Path, size: tuple[int, int], rate: int) -> FilmWriter:
    """A video for a name that ends as one, else a folder of pictures. Raises ExportProblem."""
    if out.suffix.lower() in FILM_SUFFIXES:
        if not out.parent.is_dir():
            raise ExportProblem("there is no such folder", str(out.parent), "one that is there")
        return Video(out, size, rate)
    if out.suffix or out.is_file():
        raise ExportProblem(f"cannot film into {out.suffix or 'a file'}", str(out), ".mp4, .mkv or a folder")
    return Pictures(out)

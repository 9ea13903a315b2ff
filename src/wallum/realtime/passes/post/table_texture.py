"""A table of colours as a texture that is kept while the same table is shown."""

from pathlib import Path

import moderngl
import numpy as np

from wallum.level.importers.images.cube_file import read_cube
from wallum.moment.resolved_look import ResolvedTable

__all__ = ["TableTexture"]

# Entries of a curve in a row of its texture.
ROW = 1024
# Half floats end at 65,504.
BRIGHTEST = 60_000.0


class TableTexture:
    """The table that was shown last. Twin of physics/colour_table.py."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._key: object = None
        self._texture: moderngl.Texture | moderngl.Texture3D | None = None
        self._values: dict[str, object] = {}
        self.is_cube = False

    def uniforms(self, shown: ResolvedTable) -> dict[str, object]:
        """Values of include/chain/table.glsl. Raises ValueProblem for a file that is none."""
        key = shown.file, shown.stamp
        if self._key != key:
            self._take(Path(shown.file))
            self._key = key
        return {**self._values, "table_strength": shown.strength}

    def _take(self, path: Path) -> None:
        table = read_cube(path)
        if self._texture is not None:
            self._texture.release()
        # Half floats of four channels: whole ones, and three, take twice as long to fetch.
        entries = np.clip(table.entries, -BRIGHTEST, BRIGHTEST).astype(np.float16)
        size = len(entries)
        if table.is_cube:
            cube = np.pad(entries.transpose(2, 1, 0, 3), ((0, 0),) * 3 + ((0, 1),))
            self._texture = self._context.texture3d((size,) * 3, 4, cube.tobytes(), dtype="f2")
        else:
            rows = -(-size // ROW)
            padded = np.zeros((rows * ROW, 4), np.float16)
            padded[:size, :3] = entries
            self._texture = self._context.texture((ROW, rows), 4, padded.tobytes(), dtype="f2")
        self._texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.is_cube = table.is_cube
        between = np.array(table.high) - np.array(table.low)
        self._values = {
            "table": self._texture,
            "table_low": table.low,
            "table_over": tuple((1.0 / between).tolist()),
            "table_last": float(size - 1),
        }

"""A table of colours as a texture that is kept while the same table is shown."""

from pathlib import Path

import moderngl
import numpy as np

from wallum.level.cube_file import read_cube
from wallum.moment.shown_look import ShownTable

__all__ = ["TableTexture"]

# Entries of a curve in a row of its texture.
ROW = 1024


class TableTexture:
    """The table that was shown last. Twin of physics/colour_table.py."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._key: object = None
        # Of a cube and of a curve: a program wants both, whichever is read.
        self._cube = context.texture3d((1, 1, 1), 3, bytes(12), dtype="f4")
        self._line = context.texture((1, 1), 3, bytes(12), dtype="f4")
        self._values: dict[str, object] = {}

    def uniforms(self, shown: ShownTable) -> dict[str, object]:
        """Values of include/chain/table.glsl. Raises ValueProblem for a file that is none."""
        key = shown.file, shown.stamp
        if self._key != key:
            self._take(Path(shown.file))
            self._key = key
        return {**self._values, "table_strength": shown.strength}

    def _take(self, path: Path) -> None:
        table = read_cube(path)
        entries, size = table.entries, len(table.entries)
        if table.is_cube:
            self._cube.release()
            cube = np.ascontiguousarray(entries.transpose(2, 1, 0, 3))
            self._cube = self._context.texture3d((size,) * 3, 3, cube.tobytes(), dtype="f4")
        else:
            self._line.release()
            rows = -(-size // ROW)
            padded = np.zeros((rows * ROW, 3), np.float32)
            padded[:size] = entries
            self._line = self._context.texture((ROW, rows), 3, padded.tobytes(), dtype="f4")
        for texture in (self._cube, self._line):
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        between = np.array(table.high) - np.array(table.low)
        self._values = {
            "table": self._cube,
            "table_line": self._line,
            "table_low": table.low,
            "table_over": tuple((1.0 / between).tolist()),
            "table_kind": (int(table.is_cube), size),
        }

"""Triangles laid flat on pages, each at its own place there: a second set of coordinates, for baked light.

The charts and their packing are xatlas's. It keeps the whole interpreter waiting, so it works in a process of
its own: `python -m wallum.level.model.unwrapping`, arrays in and out.
"""

import io
import os
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from tempfile import TemporaryFile
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.checkout import PACKAGES
from wallum.errors import LevelProblem
from wallum.level.model.flatten import Triangles

__all__ = ["PADDING", "PAGE", "UnwrappedTriangles", "unwrap", "unwrap_apart"]

# Texels across a page, and between charts.
PAGE: Final = 1024
PADDING: Final = 2
# How politely the process works, and how often it is asked whether it is still wanted [s].
NICE, LOOK_S = 10, 0.2


@dataclass(frozen=True)
class UnwrappedTriangles:
    """Some of a level's triangles on pages.

    triangles : (T,) their numbers among the level's
    vertices  : (V,) which of the level's each corner here is; where charts part it is here more than once
    uv        : (V, 2) float32 texels from a page's first corner
    page      : (V,) the page that it lies on
    faces     : (T, 3) uint32 into these
    size      : (columns, rows) of a page; pages : how many
    """

    triangles: NDArray[np.int64]
    vertices: NDArray[np.int64]
    uv: NDArray[np.float32]
    page: NDArray[np.int32]
    faces: NDArray[np.uint32]
    size: tuple[int, int]
    pages: int


def unwrap(
    positions: NDArray[np.float32],
    faces: NDArray[np.uint32],
    owner: NDArray[np.int32],
    own_uv: NDArray[np.float32],
    has_own: NDArray[np.bool_],
    texels_m: float,
) -> dict[str, NDArray[Any]]:
    """Lay triangles (T, 3) flat, those of each owner (T,) beside each other; see `Unwrapped` for what comes.

    own_uv : (V, 2) coordinates that the charts are taken from where `has_own` (T,); texels_m : texels a metre
    """
    import xatlas

    atlas, groups = xatlas.Atlas(), []
    for number in np.unique(owner):
        rows = np.flatnonzero(owner == number)
        used, inverse = np.unique(faces[rows], return_inverse=True)
        indices = inverse.reshape(-1, 3).astype(np.uint32)
        if has_own[rows[0]]:
            atlas.add_mesh(positions[used], indices, None, np.ascontiguousarray(own_uv[used]))
        else:
            atlas.add_mesh(positions[used], indices)
        groups.append((rows, used))
    charts, pack = xatlas.ChartOptions(), xatlas.PackOptions()
    charts.use_input_mesh_uvs = bool(has_own.any())
    pack.texels_per_unit, pack.resolution, pack.padding, pack.bilinear = texels_m, PAGE, PADDING, True
    atlas.generate(charts, pack)
    size = np.array([max(atlas.width, 1), max(atlas.height, 1)])
    out: dict[str, list[NDArray[Any]]] = {
        name: [] for name in ("triangles", "vertices", "uv", "page", "faces")
    }
    first = 0
    for mesh, (rows, used) in enumerate(groups):
        vertices, corners, uv = atlas[mesh]
        pages, _ = atlas.get_mesh_vertex_assignment(mesh)
        out["triangles"].append(rows)
        out["vertices"].append(used[vertices].astype(np.int64))
        out["uv"].append((uv * size).astype(np.float32))
        # What has no area lies on no page: on the first, as a point.
        out["page"].append(np.where(pages < atlas.atlas_count, pages, 0).astype(np.int32))
        out["faces"].append((corners + first).astype(np.uint32))
        first += len(vertices)
    built = {name: np.concatenate(rows) for name, rows in out.items()}
    return built | {"size": size, "pages": np.array(max(atlas.atlas_count, 1))}


def unwrap_apart(
    flat: Triangles,
    chosen: NDArray[np.int64],
    own: NDArray[np.bool_],
    texels_m: float,
    keep_going: Callable[[], bool] = lambda: True,
) -> UnwrappedTriangles | None:
    """Lay some of a level's triangles flat, in a process beside this one; None where it was not to go on.

    own : by part, whether the charts are those of its own second coordinates. Raises LevelProblem
    """
    used, inverse = np.unique(flat.faces[chosen], return_inverse=True)
    bytes_i_o = io.BytesIO()
    np.savez(
        bytes_i_o,
        positions=flat.positions[used],
        faces=inverse.reshape(-1, 3).astype(np.uint32),
        owner=flat.part[chosen],
        own_uv=flat.uv[used, 2:4],
        has_own=own[flat.part[chosen]],
        texels_m=np.array(texels_m),
    )
    answer = _ask(bytes_i_o.getvalue(), keep_going)
    if answer is None:
        return None
    with np.load(io.BytesIO(answer)) as built:
        width, height = (int(item) for item in built["size"])
        return UnwrappedTriangles(
            chosen[built["triangles"]], used[built["vertices"]].astype(np.int64), built["uv"], built["page"],
            built["faces"], (width, height), int(built["pages"]),
        )  # fmt: skip


def _ask(given: bytes, keep_going: Callable[[], bool]) -> bytes | None:
    paths = [str(PACKAGES), *filter(None, [os.environ.get("PYTHONPATH")])]
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join(paths)}
    # Files hold what is said, so that nobody waits for a pipe to be read.
    with TemporaryFile() as question, TemporaryFile() as answer, TemporaryFile() as complaint:
        question.write(given)
        question.seek(0)
        process = subprocess.Popen(
            [sys.executable, "-m", "wallum.level.model.unwrapping"],
            stdin=question, stdout=answer, stderr=complaint, env=environment,
        )  # fmt: skip
        while process.poll() is None:
            if not keep_going():
                process.kill()
                process.wait()
                return None
            with suppress(subprocess.TimeoutExpired):
                process.wait(LOOK_S)
        answer.seek(0)
        complaint.seek(0)
        if process.returncode != 0:
            last = complaint.read().decode(errors="replace").strip().splitlines() or ["it said nothing"]
            raise LevelProblem(f"its surfaces could not be laid flat for baked light: {last[-1]}", "level")
        return answer.read()


def main() -> None:
    """Answer one question from the standard input."""
    os.nice(NICE)
    with np.load(io.BytesIO(sys.stdin.buffer.read())) as inputs:
        asked = {name: inputs[name] for name in inputs.files}
    asked["texels_m"] = float(asked["texels_m"])
    out = io.BytesIO()
    built: dict[str, Any] = unwrap(**asked)
    np.savez(out, **built)
    sys.stdout.buffer.write(out.getvalue())


if __name__ == "__main__":
    main()

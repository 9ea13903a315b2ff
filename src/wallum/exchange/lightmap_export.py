"""Baked light for others: a second set of coordinates in the level, its pages as pictures, and one file of
JSON that says which is which."""

import json
from dataclasses import replace
from pathlib import Path
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from wallum.errors import ExportProblem
from wallum.exchange.pictures import write_exr, write_png
from wallum.faults import said
from wallum.files import write_whole
from wallum.level.model.model import Level, Mesh, Part, Primitive
from wallum.physics.tone import srgb_encode
from wallum.transport.field.baked_light import BakedLight

__all__ = ["PageKind", "level_with_texels", "page_files", "write_lightmaps"]

PageKind = Literal["exr", "png"]
# In pictures of eight bits so little of the light is brighter than white.
CLIPPED: Final = 0.001
FORMAT: Final = 1


def _spans(level: Level) -> list[list[tuple[int, int, int, int]]]:
    """By part and primitive: its first vertex and face among all the level's, and how many there are."""
    out, vertex, face = [], 0, 0
    for part in level.parts:
        rows = []
        for primitive in level.meshes[part.mesh].primitives:
            rows.append((vertex, len(primitive.positions), face, len(primitive.triangles)))
            vertex, face = vertex + len(primitive.positions), face + len(primitive.triangles)
        out.append(rows)
    return out


def _is_mirrored(part: Part) -> bool:
    return bool(np.linalg.det(part.matrix[:3, :3]) < 0.0)


def _cut(
    given: Primitive, vertices: NDArray[np.int64], faces: NDArray[np.uint32], mirrored: bool
) -> Primitive:
    """A primitive of some of another's vertices, one more than once perhaps."""

    def taken(values: NDArray[np.float32] | None) -> NDArray[np.float32] | None:
        return None if values is None else values[vertices]

    return replace(
        given,
        positions=given.positions[vertices],
        normals=given.normals[vertices],
        # A place that mirrors turns triangles over: they are laid flat as they face there.
        triangles=faces[:, ::-1] if mirrored else faces,
        tangents=taken(given.tangents),
        uv0=taken(given.uv0),
        uv1=taken(given.uv1),
        colours=taken(given.colours),
    )


def _pieces(
    given: Primitive, first: int, baked: BakedLight, rows: NDArray[np.int64], mirrored: bool
) -> tuple[list[Primitive], list[int]]:
    """A primitive in pieces, one for each page that its triangles lie on and one for the rest; their pages,
    -1 for the rest.

    first : of its vertices among the level's
    rows  : of its triangles, where they lie among those that were laid flat; -1: nowhere
    """
    laid, pieces, pages = baked.laid, [], []
    corners = laid.faces[np.maximum(rows, 0)]
    page = np.where(rows >= 0, laid.page[corners[:, 0]], -1)
    for number in np.unique(page).tolist():
        own = np.flatnonzero(page == number)
        if number < 0:
            used, inverse = np.unique(given.triangles[own], return_inverse=True)
            pieces.append(_cut(given, used.astype(np.int64), inverse.reshape(-1, 3).astype(np.uint32), False))
        else:
            used, inverse = np.unique(corners[own], return_inverse=True)
            faces = inverse.reshape(-1, 3).astype(np.uint32)
            piece = _cut(given, laid.vertices[used] - first, faces, mirrored)
            texels = (laid.uv[used] / np.array(laid.size, np.float32)).astype(np.float32)
            pieces.append(replace(piece, uv_light=texels))
        pages.append(number)
    return pieces, pages


def level_with_texels(level: Level, baked: BakedLight) -> tuple[Level, list[dict[str, Any]]]:
    """A level whose baked parts have coordinates on the pages, and a row for each primitive that has: its
    part, its number there, its page, and which set of coordinates that is."""
    where = baked.rows_of(level.triangle_count)
    meshes, parts, messages = list(level.meshes), list(level.parts), []
    for number, spans in enumerate(_spans(level)):
        part = level.parts[number]
        mesh = level.meshes[part.mesh]
        built: list[Primitive] = []
        pages: list[int] = []
        if all((where[face : face + count] < 0).all() for _, _, face, count in spans):
            continue
        for primitive, span in zip(mesh.primitives, spans, strict=True):
            rows = where[span[2] : span[2] + span[3]]
            pieces, own = _pieces(primitive, span[0], baked, rows, _is_mirrored(part))
            built, pages = built + pieces, pages + own
        meshes.append(Mesh(f"{mesh.name} baked {number}", tuple(built)))
        parts[number] = replace(part, mesh=len(meshes) - 1)
        messages += [
            {"node": part.id, "primitive": index, "page": page, "texcoord": built[index].light_set}
            for index, page in enumerate(pages)
            if page >= 0
        ]
    return replace(level, meshes=tuple(meshes), parts=tuple(parts)), messages


def page_files(path: Path, baked: BakedLight, kind: PageKind) -> list[Path]:
    """The files of the pages beside a level's, and that of the JSON."""
    pages = [path.with_name(f"{path.stem}-light-{n}.{kind}") for n in range(baked.laid.pages)]
    return [*pages, path.with_name(f"{path.stem}-light.json")]


def write_lightmaps(
    path: Path, baked: BakedLight, told: list[dict[str, Any]], kind: PageKind = "exr"
) -> list[str]:
    """Write the pages beside a level's file, and what they are. Returns what is lost.

    Raises ExportProblem.
    """
    *files, table = page_files(path, baked, kind)
    warnings, scale = [], 1.0
    if kind == "png":
        lit = baked.pages[baked.pages > 0.0]
        scale = float(np.quantile(lit, 1.0 - CLIPPED)) if len(lit) else 1.0
        share = float((baked.pages > scale).mean())
        if share > 0.0:
            warnings.append(
                f"{share:.1%} of the texels are brighter than {scale:.4g} lx, which a PNG cannot hold"
            )
    for file, page in zip(files, baked.pages, strict=True):
        if kind == "exr":
            write_exr(file, page)
        else:
            shown = srgb_encode(np.clip(page / scale, 0.0, 1.0).astype(np.float64))
            write_png(file, np.round(shown * 255.0).astype(np.uint8))
    description = {
        "format": FORMAT,
        "unit": "lx",
        "encoding": "linear" if kind == "exr" else "sRGB",
        "white_lx": scale,
        "holds": "all light of its sources" if baked.straight else "light from around, and the sky's",
        "baked_at": baked.when,
        "first_row": "top",
        "pages": [file.name for file in files],
        "primitives": told,
    }
    try:
        write_whole(table, json.dumps(description, indent=1).encode())
    except OSError as error:
        raise ExportProblem(f"cannot be written: {said(error)}", str(table)) from None
    return warnings

"""The field of a level: the one that is kept beside the project, or a new one that is kept from then on."""

import hashlib
import logging
from collections.abc import Callable
from dataclasses import fields
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from wallum.document.derived import derived_folder
from wallum.document.project import Project
from wallum.errors import ValueProblem
from wallum.files import written_whole
from wallum.level.model.model import Level
from wallum.moment.probe_boxes import ProbeBox, probe_boxes
from wallum.transport.field.bounce import BounceField, Field, smoothing
from wallum.transport.field.cast import ALL_RAYS, ProbeView
from wallum.transport.field.land import PATCHES, Land
from wallum.transport.field.make_field import make_field
from wallum.transport.field.open_air import OpenAir
from wallum.transport.field.placing import WANTED
from wallum.transport.field.probes import Probes
from wallum.transport.field.rooms import Rooms
from wallum.transport.field.sky_parts import BINS
from wallum.transport.scene.rays import RayScene

__all__ = ["field_key", "kept_bounce", "kept_field", "level_key", "load_field", "save_field"]

log = logging.getLogger("wallum.derived")
VERSION: Final = 30
# Of all fields in one folder: the oldest go; and of one, unpacked.
HELD_BYTES, MAX_BYTES = 400 << 20, 1 << 30
# What a sparse matrix is kept as.
MATRIX: Final = ("data", "indices", "indptr")


def field_key(rays: RayScene, level: Level, boxes: tuple[ProbeBox, ...] = ()) -> str:
    """What a field depends on, as a short word: the level, and how it is made."""
    return level_key(rays, level, f"field {VERSION} {ALL_RAYS} {WANTED} {boxes or ''}")


def level_key(rays: RayScene, level: Level, made: str) -> str:
    """A level's geometry, materials and textures, and how something is made of it, as a short word."""
    digest = hashlib.sha256(made.encode())
    flat = rays.triangles
    for part in (flat.positions, flat.faces, flat.material, flat.part, flat.uv, flat.colours):
        digest.update(np.ascontiguousarray(part).tobytes())
    digest.update(repr(level.materials).encode())
    for picture in level.pictures:
        # Of a large texture a part tells whether it is another.
        digest.update(np.ascontiguousarray(picture.pixels[::7, ::5]).tobytes())
    return digest.hexdigest()[:20]


def save_field(made: Field, key: str, path: Path) -> None:
    """Keep a field in a file. Raises OSError."""
    values: dict[str, Any] = {
        f"probes_{field_.name}": getattr(made.probes, field_.name) for field_ in fields(Probes)
    }
    values |= {f"rooms_{field_.name}": getattr(made.rooms, field_.name) for field_ in fields(Rooms)}
    if made.air is not None:
        air = {field_.name: getattr(made.air, field_.name) for field_ in fields(OpenAir)}
        matrix = air.pop("surfaces")
        air |= {name: getattr(matrix, name) for name in MATRIX}
        values |= {f"air_{name}": value for name, value in air.items()}
    values |= {f"land_{field_.name}": getattr(made.seen.beyond, field_.name) for field_ in fields(Land)}
    others = made.seen.others
    values |= {"data": others.data, "indices": others.indices.astype(np.int32), "indptr": others.indptr}
    values |= {name: getattr(made.seen, name).astype(np.float32) for name in ("land", "toward", "dark")}
    path.parent.mkdir(parents=True, exist_ok=True)
    with written_whole(path) as part, open(part, "r+b") as stream:
        np.savez(stream, key=np.array(key), sky=made.seen.sky.astype(np.float16), **values)


def load_field(path: Path, key: str) -> Field:
    """A kept field. Raises ValueProblem where there is none for this level."""
    try:
        with open(path, "rb") as stream, np.load(stream, allow_pickle=False) as selected:
            if sum(item.file_size for item in selected.zip.infolist()) > MAX_BYTES:
                raise ValueProblem("the kept bounce field is too large", str(path))
            if str(selected["key"]) == key:
                return _read(selected)
    except ValueProblem:
        raise
    except (OSError, ValueError, KeyError, EOFError, ImportError):
        pass
    except Exception as error:  # zipfile and numpy raise kinds of their own for broken files
        raise ValueProblem(f"the kept bounce field is broken: {error}", str(path)) from None
    raise ValueProblem("there is no bounce field for this level", str(path))


def _read(kept: Any) -> Field:
    values = {field_.name: kept[f"probes_{field_.name}"] for field_ in fields(Probes)}
    probes = Probes(**{**values, "step": float(values["step"])})
    count = len(probes)
    others = csr_matrix((kept["data"], kept["indices"], kept["indptr"]), (count, count))
    sky = kept["sky"].astype(np.float32)
    rooms = Rooms(**{field_.name: kept[f"rooms_{field_.name}"] for field_ in fields(Rooms)})
    if len(sky) != count or probes.links.shape != (count, 27) or len(rooms.of) != count:
        raise ValueError("parts of different sizes")
    beyond = Land(**{field_.name: kept[f"land_{field_.name}"] for field_ in fields(Land)})
    seen = ProbeView(others, sky, kept["land"], kept["toward"], kept["dark"], beyond)
    if seen.land.shape != (count, PATCHES) or beyond.sky.shape != (PATCHES, BINS):
        raise ValueError("land of another kind")
    plain = {
        field_.name: kept[f"air_{field_.name}"] for field_ in fields(OpenAir) if field_.name != "surfaces"
    }
    places = int(np.prod(plain["values"].shape[:3]))
    matrix = csr_matrix(tuple(kept[f"air_{name}"] for name in MATRIX), (places, count))
    if (
        plain["values"].ndim != 4
        or len(plain["sky"]) != places
        or len(plain["there"]) != places
        or plain["parted"].max(initial=0) >= places
    ):
        raise ValueError("air that is no grid")
    air = OpenAir(**plain, surfaces=matrix)
    return Field(probes, seen, smoothing(probes), rooms, air)


def kept_field(
    rays: RayScene,
    level: Level,
    bounds: NDArray[np.float64],
    project_file: Path | None,
    boxes: tuple[ProbeBox, ...],
    keep_going: Callable[[float], bool] | None = None,
    early: Callable[[Field], None] | None = None,
) -> Field | None:
    """The field of a level, from the project's derived data or made now and put there.

    None where there is no level, or `keep_going`, told the share done, said no while it was made.
    boxes : where the artist wants probes closer, or none
    early : is given one of few rays while it is made
    """
    if not len(rays.triangles.faces):
        return None
    key = field_key(rays, level, boxes)
    path = derived_folder(project_file) / f"field-{key}.npz"
    for folder in (path.parent, derived_folder(None)):  # another project may have the same level
        try:
            result = load_field(folder / path.name, key)
        except ValueProblem as problem:
            log.debug("%s", problem)
            continue
        if folder != path.parent:
            _keep(result, key, path)
        return result
    if keep_going is not None and not keep_going(0.0):
        return None
    built: Field | None = None
    for step in make_field(rays, level, bounds, boxes):
        if isinstance(step, Field):
            built = step
            if step.air is None and early is not None:
                early(step)
        elif keep_going is not None and not keep_going(step):
            return None
    if built is not None:
        for folder in {path.parent, derived_folder(None)}:
            _keep(built, key, folder / path.name)
    return built


def kept_bounce(
    rays: RayScene, level: Level, project_file: Path | None, project: Project
) -> BounceField | None:
    """The same for a project, ready to be lit."""
    built = kept_field(rays, level, level.bounds, project_file, probe_boxes(project))
    return None if built is None else BounceField.of(rays, level, built, project.follows)


def _keep(made: Field, key: str, path: Path) -> None:
    try:
        save_field(made, key, path)
        selected = sorted(path.parent.glob("field-*.npz"), key=lambda item: -item.stat().st_mtime)
        current = np.cumsum([item.stat().st_size for item in selected])
        for old, sum_bytes in zip(selected[1:], current[1:], strict=True):
            if sum_bytes > HELD_BYTES:
                old.unlink(missing_ok=True)
    except OSError as error:
        log.warning("the bounce field could not be kept: %s", error)

"""A level as data: meshes in their own space, parts that place them, surfaces, pictures."""

from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Shot
from wallum.document.sources import Source
from wallum.level.model.pictures import decoded

__all__ = [
    "Finding",
    "Level",
    "Material",
    "Mesh",
    "Part",
    "Picture",
    "Primitive",
    "Sampler",
    "TextureUse",
]

Float32 = NDArray[np.float32]
# Vertices that are placed in one go: so many fit into the processor's own memory.
POINTS_AT_ONCE = 60_000
Slot = Literal["base", "metal_rough", "normal", "occlusion", "emissive"]
AlphaMode = Literal["opaque", "mask", "blend"]


@dataclass(frozen=True)
class Finding:
    """What a check noticed: where, how bad, and in words."""

    kind: str
    where: str
    grade: Literal["note", "warning", "error"]
    text: str


@dataclass(frozen=True)
class Primitive:
    """Triangles of one material.

    positions, normals : (V, 3) float32 [m], unit
    tangents           : (V, 4) float32, unit, w is the bitangent's sign; None: not needed
    uv0, uv1           : (V, 2) float32 or None
    colours            : (V, 4) float32 linear or None
    triangles          : (T, 3) uint32
    sets               : its material in each of the level's sets that gives it another
    uv_light           : (V, 2) float32 places on a page of baked light, or None
    """

    positions: Float32
    normals: Float32
    triangles: NDArray[np.uint32]
    material: int
    tangents: Float32 | None = None
    uv0: Float32 | None = None
    uv1: Float32 | None = None
    colours: Float32 | None = None
    sets: tuple[tuple[str, int], ...] = ()
    uv_light: Float32 | None = None

    @property
    def light_set(self) -> int:
        """The number of the set of coordinates that `uv_light` is written as: sets follow without a gap."""
        return 2 if self.uv1 is not None else 1


@dataclass(frozen=True)
class Mesh:
    """A named list of primitives, in its own space; several parts may place it."""

    name: str
    primitives: tuple[Primitive, ...]


@dataclass(frozen=True)
class Part:
    """A mesh placed in the level. `id` is its name path, made unique."""

    id: str
    name: str
    mesh: int
    matrix: NDArray[np.float64]  # (4, 4) from the mesh's space to the level's
    casts: bool = True  # whether it stands in the way of light


@dataclass(frozen=True)
class Picture:
    """An encoded image as it came (PNG, JPEG, WebP)."""

    name: str
    mime: str
    data: bytes = field(repr=False)

    @cached_property
    def pixels(self) -> NDArray[np.uint8]:
        """(H, W, 4) 8-bit RGBA, first row on top. Raises LevelProblem."""
        return decoded(self.data, self.name)


@dataclass(frozen=True)
class Sampler:
    """How a texture is read, in the standard's own numbers (OpenGL enums)."""

    mag: int = 9729
    min: int = 9987
    wrap_s: int = 10497
    wrap_t: int = 10497


@dataclass(frozen=True)
class TextureUse:
    """A picture in a slot of a material: KHR_texture_transform included."""

    picture: int
    sampler: Sampler = Sampler()
    uv_set: int = 0
    offset: tuple[float, float] = (0.0, 0.0)
    rotation_rad: float = 0.0
    scale: tuple[float, float] = (1.0, 1.0)

    @property
    def plain(self) -> bool:
        """Whether it reads the first set of coordinates as they are."""
        return self.uv_set == 0 and self.matrix() == ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0))

    def matrix(self) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
        """Rows of the transform of (u, v, 1): translation x rotation x scale."""
        cos, sin = float(np.cos(self.rotation_rad)), float(np.sin(self.rotation_rad))
        (su, sv), (ou, ov) = self.scale, self.offset
        return ((cos * su, sin * sv, ou), (-sin * su, cos * sv, ov))


@dataclass(frozen=True)
class Material:
    """A surface in the standard's metallic-roughness model.

    emissive is luminance in cd/m2 per channel: the factor times its strength.
    reflectance  : of what is not metal, looked at straight (F0)
    transmission : share of the light under the gloss that goes straight through, as through thin glass
    tint         : what of it the glass leaves by channel, beside its base colour
    """

    name: str = "default"
    base: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)
    metallic: float = 1.0
    roughness: float = 1.0
    normal_scale: float = 1.0
    occlusion_strength: float = 1.0
    emissive: tuple[float, float, float] = (0.0, 0.0, 0.0)
    emissive_strength: float = 1.0
    alpha: AlphaMode = "opaque"
    cutoff: float = 0.5
    double_sided: bool = False
    unlit: bool = False
    reflectance: float = 0.04
    transmission: float = 0.0
    tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    textures: dict[Slot, TextureUse] = field(default_factory=dict)

    @property
    def see_through(self) -> bool:
        """Whether what lies behind it is seen through it."""
        return self.alpha == "blend" or self.transmission > 0.0

    @property
    def glow(self) -> tuple[float, float, float]:
        """Emitted luminance per channel before its texture [cd/m2]."""
        red, green, blue = (part * self.emissive_strength for part in self.emissive)
        return (red, green, blue)


@dataclass(frozen=True)
class Level:
    """All that came in, and what was noticed on the way."""

    name: str
    meshes: tuple[Mesh, ...] = ()
    parts: tuple[Part, ...] = ()
    materials: tuple[Material, ...] = ()
    pictures: tuple[Picture, ...] = ()
    sources: tuple[Source, ...] = ()
    shots: tuple[Shot, ...] = ()
    findings: tuple[Finding, ...] = ()
    sets: tuple[str, ...] = ()  # names of the sets of materials that its file offers
    files: tuple[Path, ...] = ()  # what it was read from

    @cached_property
    def triangle_count(self) -> int:
        """Triangles as drawn, instances counted each time."""
        sizes = [sum(len(p.triangles) for p in mesh.primitives) for mesh in self.meshes]
        return sum(sizes[part.mesh] for part in self.parts)

    @cached_property
    def vertex_count(self) -> int:
        """Vertices as drawn, instances counted each time."""
        sizes = [sum(len(p.positions) for p in mesh.primitives) for mesh in self.meshes]
        return sum(sizes[part.mesh] for part in self.parts)

    @cached_property
    def bounds(self) -> NDArray[np.float64]:
        """(2, 3) lowest and highest corner [m]; zeros for an empty level."""
        placed: dict[int, list[NDArray[np.float64]]] = {}
        for part in self.parts:
            placed.setdefault(part.mesh, []).append(part.matrix)
        corners = [_corners(self.meshes[mesh], np.array(places)) for mesh, places in placed.items()]
        filled = [c for c in corners if len(c)]
        if not filled:
            return np.zeros((2, 3))
        every = np.concatenate(filled)
        return np.stack([every.min(axis=0), every.max(axis=0)])


def _corners(mesh: Mesh, matrices: NDArray[np.float64]) -> NDArray[np.float64]:
    """Lowest and highest corner of a mesh's vertices at (I, 4, 4) places, or nothing."""
    clouds = [p.positions for p in mesh.primitives if len(p.positions)]
    if not clouds:
        return np.zeros((0, 3))
    cloud = np.concatenate(clouds)
    lows, highs = [], []
    step = max(POINTS_AT_ONCE // len(cloud), 1)
    for rows in (matrices[first : first + step] for first in range(0, len(matrices), step)):
        # A column for each coordinate of each place: the lowest of a column is found without a step aside.
        columns = cloud @ rows[:, :3, :3].reshape(-1, 3).T
        offset = rows[:, :3, 3]
        lows.append((columns.min(axis=0).reshape(-1, 3) + offset).min(axis=0))
        highs.append((columns.max(axis=0).reshape(-1, 3) + offset).max(axis=0))
    return np.stack([np.min(lows, axis=0), np.max(highs, axis=0)])

"""The level as it is lit: without what is ignored or stripped, with the stand-in figure."""

from dataclasses import dataclass, field, replace

from wallum.document.fields import Vector
from wallum.document.fit import LevelFit
from wallum.document.project import Project
from wallum.level.model.figure import figure_parts
from wallum.level.model.level_fit import fitted
from wallum.level.model.model import Finding, Level, Material, Mesh, Primitive
from wallum.level.model.water import ripple_picture, water_material, water_part

__all__ = ["LevelOverrides", "dress_of", "dressed", "with_set"]


@dataclass(frozen=True)
class LevelOverrides:
    """What a project says of its level's geometry and surfaces; equal ones make equal levels.

    ignored, uncast : ids of parts that are left out, and that stand in no light's way
    water           : ids of parts that are water
    fit             : unit and upward axis of its file
    materials       : name of the set of materials that it is shown with
    figure          : place of the stand-in's feet and where it faces, None where it is away
    """

    ignored: frozenset[str] = frozenset()
    uncast: frozenset[str] = frozenset()
    unlit: bool = True
    vertex_colours: bool = True
    occlusion: bool = True
    figure: tuple[Vector, float] | None = None
    water: frozenset[str] = frozenset()
    fit: LevelFit = field(default_factory=LevelFit)
    materials: str = ""


def dress_of(project: Project) -> LevelOverrides:
    """What a project says of its level."""
    selected, stand = project.level_light, project.figure
    return LevelOverrides(
        frozenset(mark.part for mark in project.marks if mark.ignored),
        frozenset(mark.part for mark in project.marks if not mark.casts),
        selected.unlit,
        selected.vertex_colours,
        selected.occlusion,
        (stand.position, stand.turn) if stand.on else None,
        frozenset(mark.part for mark in project.marks if mark.water),
        project.level_fit,
        project.material_set,
    )


def _surface(material: Material, dress: LevelOverrides) -> Material:
    if material.unlit and not dress.unlit:
        material = replace(material, unlit=False)
    if "occlusion" in material.textures and not dress.occlusion:
        left = dict(material.textures)
        del left["occlusion"]
        material = replace(material, textures=left)
    return material


def _mesh(mesh: Mesh) -> Mesh:
    if all(primitive.colours is None for primitive in mesh.primitives):
        return mesh
    return replace(mesh, primitives=tuple(replace(primitive, colours=None) for primitive in mesh.primitives))


def with_set(level: Level, name: str) -> Level:
    """A level with the materials of one of its sets; one that it has not is told of."""
    if not name:
        return level
    if name not in level.sets:
        known = ", ".join(level.sets) or "none"
        text = f"The level has no set of materials {name!r} (it has: {known}); it is shown with its own."
        missing = Finding("set of materials", level.name, "warning", text)
        return replace(level, findings=(*level.findings, missing))

    def of_set(primitive: Primitive) -> Primitive:
        number = dict(primitive.sets).get(name)
        return primitive if number is None else replace(primitive, material=number)

    meshes = tuple(replace(mesh, primitives=tuple(map(of_set, mesh.primitives))) for mesh in level.meshes)
    return replace(level, meshes=meshes)


def dressed(level: Level, dress: LevelOverrides) -> Level:
    """A level as a project wants it; the level itself where nothing is said."""
    if dress == LevelOverrides():
        return level
    level = with_set(fitted(level, dress.fit), dress.materials)
    parts = tuple(
        replace(part, casts=False) if part.id in dress.uncast else part
        for part in level.parts
        if part.id not in dress.ignored
    )
    meshes = level.meshes if dress.vertex_colours else tuple(_mesh(item) for item in level.meshes)
    materials = tuple(_surface(material, dress) for material in level.materials)
    pictures = level.pictures
    if any(part.id in dress.water for part in parts):
        pictures = (*pictures, ripple_picture())
        materials = (*materials, water_material(len(pictures) - 1))
        for number, part in enumerate(parts):
            if part.id in dress.water:
                wet, mesh = water_part(part, meshes[part.mesh], len(meshes), len(materials) - 1)
                parts, meshes = (*parts[:number], wet, *parts[number + 1 :]), (*meshes, mesh)
    if dress.figure is not None:
        more = figure_parts(*dress.figure, len(meshes), len(materials))
        meshes, parts, materials = meshes + more[0], parts + more[1], materials + more[2]
    return replace(level, meshes=meshes, parts=parts, materials=materials, pictures=pictures)

"""Nodes of a glTF file: places of meshes, cameras as shots, lights as sources."""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Shot
from wallum.document.sources import PointSource, Source, SpotSource, SunSource, new_id
from wallum.errors import LevelProblem
from wallum.level.importers.gltf.accessors import Accessors
from wallum.level.importers.gltf.document import Gltf
from wallum.level.importers.gltf.meshes import read_mesh, weights_of
from wallum.level.importers.gltf.pose import Pose, joint_matrices
from wallum.level.model.model import Finding, Material, Mesh, Part
from wallum.limits import MAX_LAMPS, MAX_PLACED
from wallum.physics.colour import light_colour, luminance_of

__all__ = ["SOURCE_EXTRAS", "node_matrix", "read_nodes"]

# Nodes below each other; a name path is as long.
DEEPEST = 500
# Scale, or metres from the origin: beyond it products leave single precision.
FARTHEST = 1e9
VISIBILITY, INSTANCING = "KHR_node_visibility", "EXT_mesh_gpu_instancing"
# Where an export keeps what the standard cannot say of a source.
SOURCE_EXTRAS = "wallum"


def node_matrix(node: Any) -> NDArray[np.float64]:
    """(4, 4) local transform: a matrix, or translation x rotation x scale."""
    if node.matrix:
        if len(node.matrix) != 16:
            raise LevelProblem(
                f"a matrix of {len(node.matrix)} numbers", f"node {node.name or ''}".strip(), "16"
            )
        return np.array(node.matrix, dtype=np.float64).reshape(4, 4).T
    out = np.eye(4)
    turn = _turns(np.array([node.rotation or (0.0, 0.0, 0.0, 1.0)], dtype=np.float64))[0]
    out[:3, :3] = turn * np.array(node.scale or (1.0, 1.0, 1.0))
    out[:3, 3] = node.translation or (0.0, 0.0, 0.0)
    return out


def _turns(quaternions: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N, 3, 3) of quaternions (N, 4), x y z w; none of no length turns."""
    length = np.linalg.norm(quaternions, axis=1, keepdims=True)
    x, y, z, w = (quaternions / np.where(length == 0.0, 1.0, length)).T
    rows = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    return np.moveaxis(np.array(rows), 2, 0)


@dataclass(frozen=True)
class Placed:
    """A node with the transform and the name path that it has in the level."""

    node: Any
    matrix: NDArray[np.float64]
    path: str
    index: int
    seen: bool = True  # whether neither it nor one that it stands below is hidden


def _check_tree(gltf: Gltf, roots: list[Any], source: str) -> None:
    """Raises LevelProblem for nodes that stand below themselves, that are missing, or that are far
    too many when one below two others counts twice; found without walking each path."""
    below: dict[int, int] = {}  # nodes placed by each, itself included
    depths: dict[int, int] = {}
    open_ones: set[int] = set()
    stack = list(roots)
    while stack:
        index = stack[-1]
        if not isinstance(index, int) or not 0 <= index < len(gltf.nodes):
            raise LevelProblem(f"there is no node {index!r}", source)
        children = gltf.nodes[index].children or []
        if index not in open_ones and index not in below:
            open_ones.add(index)
            if any(isinstance(child, int) and child in open_ones for child in children):
                raise LevelProblem(f"a node below {index} stands below itself", source)
            stack.extend(child for child in children if child not in below)
            continue
        stack.pop()
        if index in open_ones:
            open_ones.discard(index)
            below[index] = 1 + sum(below[child] for child in children)
            depths[index] = 1 + max((depths[child] for child in children), default=0)
    if sum(below[root] for root in roots) > MAX_PLACED:
        raise LevelProblem(
            f"places more than {MAX_PLACED:,} nodes, one below two others counted twice", source
        )
    if max((depths[root] for root in roots), default=0) > DEEPEST:
        raise LevelProblem(f"has nodes below more than {DEEPEST} others", source)


def _placed(gltf: Gltf, source: str) -> Iterator[Placed]:
    if gltf.scenes:
        roots = gltf.scenes[gltf.scene or 0].nodes or []
    else:
        children = {child for node in gltf.nodes for child in node.children or []}
        roots = [index for index in range(len(gltf.nodes)) if index not in children]
    _check_tree(gltf, roots, source)
    stack = [(index, np.eye(4), "", True) for index in reversed(roots)]
    while stack:
        index, above, path, seen = stack.pop()
        node = gltf.nodes[index]
        with np.errstate(over="ignore", invalid="ignore"):
            matrix = above @ node_matrix(node)
        if not np.abs(matrix).max() <= FARTHEST:
            raise LevelProblem(
                f"its transform goes beyond {FARTHEST:g}", f"{source}: node {node.name or index}"
            )
        here = f"{path}/{node.name or f'node {index}'}".lstrip("/")
        seen = seen and (node.extensions or {}).get(VISIBILITY, {}).get("visible", True) is not False
        yield Placed(node, matrix, here, index, seen)
        below = reversed(node.children or [])
        stack.extend((child, matrix, here, seen) for child in below)


def _forward(matrix: NDArray[np.float64]) -> tuple[float, float, float]:
    """Where a camera or light of this transform looks: its -Z."""
    axis = -matrix[:3, 2]
    x, y, z = axis / (np.linalg.norm(axis) or 1.0)
    return (float(x), float(y), float(z))


def _origin(matrix: NDArray[np.float64]) -> tuple[float, float, float]:
    x, y, z = matrix[:3, 3]
    return (float(x), float(y), float(z))


def _shot(gltf: Gltf, placed: Placed) -> Shot | Finding:
    camera = gltf.cameras[placed.node.camera]
    name = camera.name or placed.node.name or "Camera"
    if camera.perspective is None:
        text = f"{name} is a parallel camera; only perspective ones become shots."
        return Finding("camera not read", name, "warning", text)
    fov = math.degrees(camera.perspective.yfov)
    return Shot(
        id=new_id("shot"),
        name=placed.node.name or name,
        eye=_origin(placed.matrix),
        direction=_forward(placed.matrix),
        fov=min(max(fov, 1.0), 150.0),
    )


def _colour_fields(light: dict[str, Any]) -> tuple[dict[str, Any], float]:
    """(colour fields, luminance of the light's colour). A black light is white at 0."""
    rgb = [float(part) for part in light.get("color", (1.0, 1.0, 1.0))]
    weight = luminance_of(rgb[0], rgb[1], rgb[2])
    if weight <= 0.0:
        return {"colour_by": "colour", "colour": (1.0, 1.0, 1.0)}, 0.0
    red, green, blue = (part / max(rgb) for part in rgb)
    return {"colour_by": "colour", "colour": (red, green, blue)}, weight


def _kept_extras(light: dict[str, Any], colour: dict[str, Any]) -> dict[str, Any]:
    """What an export of ours wrote beside the standard's values; its colour only while the
    light still has it, so that an edit made elsewhere counts."""
    extras = light.get("extras")
    selected = dict(extras.get(SOURCE_EXTRAS, {})) if isinstance(extras, dict) else {}
    if selected.get("on") is not False:
        selected.pop("intensity", None)
        selected.pop("illuminance", None)
    if selected.get("colour_by") == "kelvin":
        text = light_colour(selected.get("kelvin", 0.0), selected.get("tint", 0.0))
        if not np.allclose(text / text.max(), colour["colour"], atol=2e-4):
            for name in ("colour_by", "kelvin", "tint", "colour"):
                selected.pop(name, None)
    elif "colour" in selected and not np.allclose(
        np.array(selected["colour"]) / max(selected["colour"]), colour["colour"], atol=2e-4
    ):
        selected.pop("colour")
    return selected


def _source(light: dict[str, Any], placed: Placed) -> Source:
    """A source from a KHR_lights_punctual light, in candela (lux for a directional one)."""
    colour, weight = _colour_fields(light)
    strength = float(light.get("intensity", 1.0)) * weight
    extras = _kept_extras(light, colour)
    common: dict[str, Any] = {
        "id": new_id("source"),
        "name": placed.node.name or light.get("name") or "Light",
        **colour,
    }
    if light["type"] == "directional":
        x, y, z = (-part for part in _forward(placed.matrix))
        aimed = {
            "azimuth": math.degrees(math.atan2(x, -z)) % 360.0,
            "elevation": math.degrees(math.asin(max(-1.0, min(1.0, y)))),
            "stands": "where set",
            "light": "own",
        }
        return SunSource(**{**common, "illuminance": strength, **aimed, **extras})
    common |= {
        "position": _origin(placed.matrix),
        "intensity": strength,
        "range": float(light.get("range") or 0.0),
    }
    if light["type"] == "point":
        return PointSource(**{**common, **extras})
    cone = light.get("spot", {})
    outer = math.degrees(cone.get("outerConeAngle", math.pi / 4))
    inner = min(math.degrees(cone.get("innerConeAngle", 0.0)), outer - 0.01, 89.9)
    cones = {"inner": max(inner, 0.0), "outer": outer, "direction": _forward(placed.matrix)}
    return SpotSource(**{**common, **cones, **extras})


def _lights(gltf: Gltf) -> list[dict[str, Any]]:
    lights = (gltf.extensions or {}).get("KHR_lights_punctual", {}).get("lights", [])
    return list(lights)


def _light_of(placed: Placed, lights: list[dict[str, Any]], source: str) -> Source | None:
    used = (placed.node.extensions or {}).get("KHR_lights_punctual")
    if used is None:
        return None
    index = used.get("light")
    if not isinstance(index, int) or not 0 <= index < len(lights):
        raise LevelProblem(f"there is no light {index}", f"{source}: node {placed.path}")
    if lights[index].get("type") not in ("directional", "point", "spot"):
        raise LevelProblem(f"unknown light {lights[index].get('type')!r}", f"{source}: {placed.path}")
    return _source(lights[index], placed)


def _one_sun(sources: list[Source]) -> tuple[list[Source], list[Finding]]:
    """Keep the strongest far light as the sun; name the others."""
    suns = [source for source in sources if isinstance(source, SunSource)]
    if not suns:
        return sources, []
    best = max(suns, key=lambda sun: sun.illuminance)
    findings = [
        Finding(
            "second sun left out",
            sun.name,
            "warning",
            f"{sun.name} is a second far light; {best.name} is stronger and is the sun.",
        )
        for sun in suns
        if sun is not best
    ]
    return [source for source in sources if source is best or not isinstance(source, SunSource)], findings


def _unique(paths: list[str]) -> list[str]:
    """The paths, with a number behind those that are taken: `Box`, `Box #2`, whatever others are called."""
    plain = set(paths)
    taken: set[str] = set()
    tried: dict[str, int] = {}
    out = []
    for path in paths:
        name, number = path, tried.get(path, 1)
        while name in taken or (number > 1 and name in plain):
            number += 1
            name = f"{path} #{number}"
        tried[path] = number
        taken.add(name)
        out.append(name)
    return out


def _instances(placed: Placed, accessors: Accessors, source: str) -> list[NDArray[np.float64]]:
    """Where a node places its mesh: once, or as often as EXT_mesh_gpu_instancing says."""
    inputs = (placed.node.extensions or {}).get(INSTANCING)
    if inputs is None:
        return [placed.matrix]
    attributes = inputs.get("attributes") or {}
    values = {
        name: accessors.floats(attributes[name], width)
        for name, width in (("TRANSLATION", 3), ("ROTATION", 4), ("SCALE", 3))
        if name in attributes
    }
    counts = {len(value) for value in values.values()}
    if len(counts) != 1:
        raise LevelProblem("its instances differ in number", f"{source}: node {placed.path}")
    (count,) = counts
    if count > MAX_PLACED:
        raise LevelProblem(f"has {count:,} instances", f"{source}: node {placed.path}", f"{MAX_PLACED:,}")
    local = np.tile(np.eye(4), (count, 1, 1))
    if "ROTATION" in values:
        local[:, :3, :3] = _turns(values["ROTATION"].astype(np.float64))
    if "SCALE" in values:
        local[:, :3, :3] *= values["SCALE"][:, None, :]
    if "TRANSLATION" in values:
        local[:, :3, 3] = values["TRANSLATION"]
    return list(placed.matrix @ local)


@dataclass
class ReadNodes:
    """What the nodes of a file's scene give, in their order."""

    meshes: list[Mesh]
    parts: list[tuple[str, str, int, NDArray[np.float64]]] = field(default_factory=list)
    shots: list[Shot] = field(default_factory=list)
    sources: list[Source] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)


class _MeshPoser:
    """Finds or makes the mesh that a node places: posed by a skin or weights of its own, or as it is."""

    def __init__(
        self, gltf: Gltf, accessors: Accessors, materials: tuple[Material, ...], placed: list[Placed]
    ) -> None:
        self._gltf, self._accessors, self._materials = gltf, accessors, materials
        self._places = {item.index: item.matrix for item in placed}
        self._made: dict[Any, int] = {}

    def mesh_of(self, placed: Placed, out: ReadNodes) -> tuple[int, NDArray[np.float64] | None]:
        """Its number among the meshes, and where it stands; None: where the node does."""
        node, number = placed.node, placed.node.mesh
        own = node.weights
        if node.skin is None and not own:
            return number, None
        joints = None
        if node.skin is not None:
            joints = joint_matrices(self._gltf, self._accessors, node.skin, self._places)
        pose = Pose(weights_of(own or self._gltf.meshes[number].weights), joints)
        key = (number, *pose.key)
        if key not in self._made:
            built, _ = read_mesh(self._gltf, self._accessors, number, self._materials, pose)
            self._made[key] = len(out.meshes)
            out.meshes.append(built)
        # A skin's joints say where its vertices are; the node itself has no say.
        return self._made[key], None if joints is None else np.eye(4)


def _add_parts(placed: Placed, poser: _MeshPoser, accessors: Accessors, out: ReadNodes, source: str) -> None:
    node = placed.node
    # Of Python's kinds true is a whole number, too.
    number = None if isinstance(node.mesh, bool) else node.mesh
    if not isinstance(number, int) or not 0 <= number < len(accessors.gltf.meshes):
        raise LevelProblem(f"there is no mesh {node.mesh}", f"{source}: node {placed.path}")
    number, stands = poser.mesh_of(placed, out)
    places = _instances(placed, accessors, source) if stands is None else [stands]
    out.parts += [(placed.path, node.name or placed.path, number, place) for place in places]
    if len(out.parts) > MAX_PLACED:
        raise LevelProblem(f"places more than {MAX_PLACED:,} meshes, instances counted", source)


def read_nodes(
    gltf: Gltf,
    accessors: Accessors,
    meshes: tuple[Mesh, ...],
    materials: tuple[Material, ...],
    source: str,
) -> tuple[tuple[Mesh, ...], tuple[Part, ...], tuple[Shot, ...], tuple[Source, ...], list[Finding]]:
    """Meshes with those that are posed, parts, shots and sources of the file's scene, in the order of
    its nodes."""
    lights, everything = _lights(gltf), list(_placed(gltf, source))
    poser = _MeshPoser(gltf, accessors, materials, everything)
    out = ReadNodes(list(meshes))
    for placed in (item for item in everything if item.seen):
        if placed.node.mesh is not None:
            _add_parts(placed, poser, accessors, out, source)
        if placed.node.camera is not None:
            shot = _shot(gltf, placed)
            if isinstance(shot, Shot):
                out.shots.append(shot)
            else:
                out.findings.append(shot)
        light = _light_of(placed, lights, source)
        if light is not None:
            out.sources.append(light)
        if max(len(out.sources), len(out.shots)) > MAX_LAMPS:
            raise LevelProblem("has too many lights or cameras", source, f"at most {MAX_LAMPS:,}")
    hidden = [item for item in everything if not item.seen and item.node.mesh is not None]
    if hidden:
        text = f"Meshes hidden in the file and left out: {len(hidden)} ({hidden[0].path} the first)."
        out.findings.append(Finding("hidden in the file", hidden[0].path, "note", text))
    ids = _unique([path for path, _, _, _ in out.parts])
    parts = tuple(
        Part(part_id, name if part_id == path else part_id.rpartition("/")[2], number, place)
        for part_id, (path, name, number, place) in zip(ids, out.parts, strict=True)
    )
    selected, more = _one_sun(out.sources)
    return tuple(out.meshes), parts, tuple(out.shots), tuple(selected), out.findings + more

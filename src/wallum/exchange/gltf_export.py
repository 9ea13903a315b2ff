"""The lit level as glTF 2.0 with KHR_lights_punctual: .glb, or .gltf with a .bin beside it.

What the standard cannot say of a source (its radius, kelvin, shadow, role) is kept in the
light's extras, so that Wallum reads back what it wrote.
"""

import json
import math
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import numpy as np

from wallum import __version__
from wallum.document.fields import declared
from wallum.document.project import Project
from wallum.document.sources import GOBO_VALUES, GROUPS, FarLight, Lamp, SpotSource, SunSource
from wallum.errors import ExportProblem
from wallum.exchange.export_losses import losses
from wallum.exchange.gltf_lights import WRITERS
from wallum.faults import said
from wallum.files import write_whole, written_whole
from wallum.level.gltf_writer import extensions_used, facing, level_document, to_glb
from wallum.level.importers.gltf.nodes import SOURCE_EXTRAS
from wallum.level.model.model import Level
from wallum.moment.at_moment import at_moment
from wallum.moment.evaluate import direction_to, evaluate
from wallum.moment.moment import own_moment
from wallum.moment.switching import is_on
from wallum.physics.colour import LUMINANCE_WEIGHTS, luminance

__all__ = ["build_gltf", "data_file", "export_gltf"]

Json = dict[str, Any]
KEPT_FIELDS = ("on", "role", "colour_by", "kelvin", "tint", "colour", "shadow")


def _light(source: SunSource | Lamp) -> Json:
    """A KHR_lights_punctual light; its colour's largest part is 1."""
    rgb = np.array(source.luminous_rgb())
    colour = rgb / rgb.max()
    weight = float(colour @ LUMINANCE_WEIGHTS)
    if isinstance(source, Lamp):
        writer, name, strength = WRITERS[source.word], source.STRENGTH, source.strength
        own = {"type": writer.type, **writer.more(source)}
        if source.range > 0.0:
            own["range"] = source.range
        inputs = writer.candela(source)
        more: Json = {"radius": source.radius}
        if isinstance(source, SpotSource) and source.gobo != "none":
            more |= {item: getattr(source, item) for item in ("gobo", *sorted(GOBO_VALUES))}
    else:
        name, strength = "illuminance", source.illuminance
        own, inputs, more = {"type": "directional"}, strength, {"disc": source.disc}
        if source.elevation >= 90.0 - 1e-6:
            more["azimuth"] = source.azimuth
    selected: Json = {field: getattr(source, field) for field in KEPT_FIELDS if hasattr(source, field)} | more
    if not source.on:
        # The standard knows no switch: off is no intensity, and the strength is kept aside.
        selected[name] = strength
    return {
        "name": source.name,
        "color": [float(v) for v in colour],
        "intensity": inputs / weight if source.on else 0.0,
        **own,
        "extras": {SOURCE_EXTRAS: selected},
    }


def _lamps_as_now(project: Project) -> list[Lamp]:
    """The lamps as they are at the project's own moment: lanes, switching and trims taken in."""
    moment = own_moment(project)
    now = at_moment(project, moment)
    lamps = [source for source in now.resolved_sources if isinstance(source, Lamp)]
    return [_plain_lamp(lamp, project, is_on(project, lamp, moment)) for lamp in lamps]


def _plain_lamp(lamp: Lamp, project: Project, on: bool) -> Lamp:
    """A lamp whose strength has the trims in it: the standard knows none."""
    stops = lamp.trim + getattr(project.balance, GROUPS[lamp.role])
    if stops == 0.0 and on == lamp.on:
        return lamp
    largest = declared(lamp)[lamp.STRENGTH].high or math.inf
    return lamp.with_strength(min(lamp.strength * 2.0**stops, largest), on=on, trim=0.0)


def _is_plain(sun: SunSource) -> bool:
    """Whether a sun's own numbers are its light."""
    return (sun.stands, sun.light, sun.trim) == ("where set", "own", 0.0)


def _far_light(project: Project) -> list[SunSource]:
    """The one far light in force, as a sun that stands where set with a light of its own.

    Where none is, the sun of the project, switched off.
    """
    far = evaluate(project).sun
    suns = [item for item in project.resolved_sources if isinstance(item, SunSource)]
    source = project.source(far.id) if far else None
    if far is None or not isinstance(source, FarLight):
        return [item.revised(on=False) for item in suns]
    if isinstance(source, SunSource) and _is_plain(source) and project.balance.base == 0.0:
        return [source]
    x, y, z = far.direction.tolist()
    strength = float(luminance(far.illuminance))
    red, green, blue = (far.illuminance / far.illuminance.max()).tolist()
    sun = SunSource(
        id=source.id, name=source.name, stands="where set", light="own", illuminance=strength,
        azimuth=math.degrees(math.atan2(x, -z)) % 360.0, elevation=math.degrees(math.asin(y)),
        colour_by="colour", colour=(red, green, blue), disc=source.disc, shadow=source.shadow,
    )  # fmt: skip
    return [sun]


def _light_node(source: SunSource | Lamp, index: int) -> Json:
    node: Json = {"name": source.name, "extensions": {"KHR_lights_punctual": {"light": index}}}
    if isinstance(source, Lamp):
        node["translation"] = list(source.position)
        if source.axis is not None:
            node["rotation"] = facing(source.axis)
    if isinstance(source, SunSource):
        node["rotation"] = facing(tuple(-direction_to(source.azimuth, source.elevation)))
    return node


def _lights_alone(project: Project, lit: list[SunSource | Lamp], nodes: list[Json]) -> Json:
    """A document of lights without the level, for games that have it: one node over all, one for each
    group, and the lights under them, so that each is known by its path of names."""
    groups: dict[str, list[int]] = {}
    taken: set[tuple[str, str]] = set()
    for index, (source, node) in enumerate(zip(lit, nodes, strict=True)):
        group = source.role if isinstance(source, Lamp) else "base"
        name, number = node["name"], 2
        while (group, node["name"]) in taken:
            node["name"], number = f"{name} #{number}", number + 1
        taken.add((group, node["name"]))
        groups.setdefault(group, []).append(index)
    first = len(nodes)
    over = [{"name": group, "children": children} for group, children in groups.items()]
    top: Json = {"name": f"{project.name} lights"}
    if over:
        top["children"] = list(range(first, first + len(over)))
    return {
        "asset": {"version": "2.0", "generator": f"Wallum {__version__}"},
        "scene": 0,
        "scenes": [{"name": project.name, "nodes": [first + len(over)]}],
        "nodes": [*nodes, *over, top],
    }


def build_gltf(project: Project, level: Level, lights_only: bool = False) -> tuple[Json, bytes, list[str]]:
    """The document, its binary buffer, and what is lost."""
    lit: list[SunSource | Lamp] = [*_far_light(project), *_lamps_as_now(project)]
    nodes = [_light_node(source, i) for i, source in enumerate(lit)]
    if lights_only:
        out, data = _lights_alone(project, lit, nodes), b""
    else:
        out, data = level_document(level, project.shots, project.name, nodes)
    if lit:
        out["extensions"] = {"KHR_lights_punctual": {"lights": [_light(s) for s in lit]}}
    out["extensionsUsed"] = extensions_used(out)
    selected = {key: value for key, value in out.items() if value != []}
    return selected, data, losses(project, level, lights_only)


def data_file(path: Path) -> Path | None:
    """The file of numbers that goes beside a .gltf file; None for a .glb."""
    return path.with_suffix(".bin") if path.suffix.lower() == ".gltf" else None


def export_gltf(project: Project, level: Level, path: Path, lights_only: bool = False) -> list[str]:
    """Write .glb, or .gltf and .bin. Returns what is lost; raises ExportProblem.

    lights_only : without the level's geometry, surfaces and cameras
    """
    document, data, warnings = build_gltf(project, level, lights_only)
    beside = data_file(path) if data else None
    try:
        if path.suffix.lower() == ".glb":
            write_whole(path, to_glb(document, data))
            return warnings
        with ExitStack() as both:
            # Both are written before either is put in its place.
            main = both.enter_context(written_whole(path))
            if beside is not None:
                document["buffers"][0]["uri"] = beside.name
                both.enter_context(written_whole(beside)).write_bytes(data)
            main.write_text(json.dumps(document, allow_nan=False, indent=1), encoding="utf-8")
    except OSError as error:
        raise ExportProblem(f"cannot be written: {said(error)}", str(path)) from None
    return warnings

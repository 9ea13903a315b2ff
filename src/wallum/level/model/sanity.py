"""What is plainly odd in a level, said when it comes in."""

import math
from collections.abc import Iterator
from typing import Final

import numpy as np

from wallum.document.sources import SunSource
from wallum.document.sources.punctual import Punctual
from wallum.level.model.level_fit import fit_findings
from wallum.level.model.model import Finding, Level
from wallum.level.model.reflectance import mean_base
from wallum.physics.colour import luminance

__all__ = ["sanity_findings"]

# Reflectances that real, clean surfaces keep to (soot and fresh snow are the ends).
DARKEST, BRIGHTEST = 0.02, 0.9
# Exporters that turn radiant watts into candela multiply by this: 683 lm/W over 4 pi sr.
CANDELA_PER_WATT: Final = 683.0 / (4.0 * math.pi)
STRONGEST_CD = 50_000.0
WEAKEST_SUN_LX = 100.0
# A glow below this is lost beside a surface in open shade.
DAY_GLOW_CD_M2 = 50.0


def _scale(level: Level) -> Iterator[Finding]:
    if not level.parts:
        yield Finding("empty level", level.name, "warning", "The level has no parts to light.")
        return
    yield from fit_findings(level)


def _mean_reflectance(level: Level, number: int) -> float:
    """Of a material as its meshes use it, each counted once."""
    material = level.materials[number]
    used = [p for mesh in level.meshes for p in mesh.primitives if p.material == number]
    if "base" not in material.textures and all(item.colours is None for item in used):
        return float(luminance(np.array(material.base[:3])))
    area, faces, uv, colours, first = [np.zeros(0)], [np.zeros((0, 3), np.int64)], [], [], 0
    for item in used:
        a, b, c = (item.positions[item.triangles[:, k]].astype(np.float64) for k in range(3))
        area.append(np.linalg.norm(np.cross(b - a, c - a), axis=1))
        faces.append(item.triangles.astype(np.int64) + first)
        first += len(item.positions)
        bare = np.zeros((len(item.positions), 2), np.float32)
        uv.append(np.concatenate([bare if s is None else s for s in (item.uv0, item.uv1)], axis=1))
        whole = np.ones((len(item.positions), 4), np.float32)
        colours.append(whole if item.colours is None else item.colours)
    corners = (np.concatenate(uv), np.concatenate(colours)) if used else (np.zeros((0, 4), np.float32),) * 2
    return float(luminance(mean_base(level, material, np.concatenate(area), np.concatenate(faces), *corners)))


def _surfaces(level: Level) -> Iterator[Finding]:
    used = {p.material for mesh in level.meshes for p in mesh.primitives}
    for index in sorted(used):
        material = level.materials[index]
        dark_by_nature = material.unlit or max(material.glow) > 0.0
        # The colour of glass is what goes through it: clear glass leaves all.
        if dark_by_nature or material.transmission > 0.0:
            continue
        value = _mean_reflectance(level, index)
        if not DARKEST <= value <= BRIGHTEST:
            side = "darker than soot" if value < DARKEST else "brighter than snow"
            text = f"{material.name} has a base colour of {value:.3f}: {side}; light will look wrong on it."
            yield Finding("base colour", material.name, "warning", text)


def _lamps(level: Level) -> Iterator[Finding]:
    for source in level.sources:
        if isinstance(source, SunSource) and 0.0 < source.illuminance < WEAKEST_SUN_LX:
            text = f"{source.name} gives {source.illuminance:g} lx; the sun gives up to 100 000 lx."
            yield Finding("weak sun", source.name, "warning", text)
        if not isinstance(source, Punctual) or source.intensity <= 0.0:
            continue
        watts = source.intensity / CANDELA_PER_WATT
        whole = round(watts) >= 1 and abs(watts - round(watts)) < 2e-4 * watts
        if whole or source.intensity > STRONGEST_CD:
            text = (
                f"{source.name} gives {source.intensity:,.0f} cd; that looks like "
                f"{watts:,.0f} W taken for light. A bright household lamp gives about 120 cd."
            )
            yield Finding("watts", source.name, "warning", text)


def _glow(level: Level) -> Iterator[Finding]:
    for material in level.materials:
        value = float(luminance(np.array(material.glow)))
        if 0.0 < value < DAY_GLOW_CD_M2:
            text = f"{material.name} glows with {value:.3g} cd/m2: by day it would look black."
            yield Finding("faint glow", material.name, "warning", text)


def sanity_findings(level: Level) -> tuple[Finding, ...]:
    """Scale, base colours, lamp strengths and glow that cannot be meant."""
    return (*_scale(level), *_surfaces(level), *_lamps(level), *_glow(level))

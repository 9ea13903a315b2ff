"""Cards and veils as they are at a moment: cards take light and shape from the source that they follow."""

import math
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Balance
from wallum.document.sources import GROUPS, CardSource, Source, VeilSource
from wallum.document.sources.sheets import Sheets
from wallum.moment.kinds import kind_of
from wallum.moment.lamps import LampRows, Lamps
from wallum.moment.moment import Moment
from wallum.moment.pockets import drifted
from wallum.moment.scene import Dome, Sun
from wallum.physics.card import RGB, Card, Fades, Sheet
from wallum.physics.dome import scattered
from wallum.physics.frames import frame_of
from wallum.physics.medium import KOSCHMIEDER, Medium, extinction_for

__all__ = ["cards_of", "visibility_at"]

# Share of light that the air which a card stands for scatters.
ALBEDO: Final = 0.95
# A card of a lamp is no wider than this, and begins so far along it.
WIDEST: Final = math.radians(55.0)
STARTS_AT: Final = 0.03
# Of veils: forwardness, and the share of their half sizes over which they fade.
VEIL_G, VEIL_SIDES = 0.5, 0.8
Vector3 = NDArray[np.float64]


def _tuple(values: Vector3) -> RGB:
    x, y, z = values.tolist()
    return x, y, z


def _fades(source: Sheets, sides: float, moment: Moment) -> Fades:
    gone = drifted(source, moment)
    return Fades(sides, source.surface_fade, source.camera_fade, source.noise, source.noise_size, gone)


def _gain(source: Sheets, balance: Balance) -> float:
    return float(2.0 ** (source.trim + getattr(balance, GROUPS[source.role])))


def _about_axis(
    start: Vector3, axis: Vector3, length: float, widths: tuple[float, float], count: int
) -> tuple[Sheet, ...]:
    """Sheets turned evenly about an axis."""
    side, up = (item[0] for item in frame_of(axis[None]))
    turns = np.arange(count) * np.pi / count
    sides = [side * math.cos(t) + up * math.sin(t) for t in turns]
    return tuple(Sheet(_tuple(start), _tuple(axis * length), _tuple(item), widths) for item in sides)


def _mean_over_cone(row: np.void, spread: float) -> float:
    """Mean illuminance over a lamp's cone, over that on its axis, without its gobo."""
    away = np.sqrt((np.arange(32) + 0.5) / 32) * math.tan(spread)
    side, _ = (item[0] for item in frame_of(row["direction"].astype(np.float64)[None]))
    distances = row["direction"].astype(np.float64) + away[:, None] * side
    free = np.array([row]).copy()
    free["range"] = free["gobo"] = 0.0
    strength = kind_of(row).sample(free, row["position"].astype(np.float64) + 4.0 * distances).strength
    middle = (
        kind_of(row)
        .sample(free, (row["position"] + row["direction"] * 4.0).astype(np.float64)[None])
        .strength
    )
    return float(np.mean(strength) / max(float(middle[0]), 1e-30))


def _lamp_beam(source: CardSource, row: np.void, gain: float, fades: Fades) -> Card:
    spread, reach = min(math.acos(max(float(row["cos_outer"]), 0.0)), WIDEST), float(row["range"])
    axis, radius = row["direction"].astype(np.float64), float(row["radius"])
    begins = max(2.0 * radius, STARTS_AT * source.length)
    widths = tuple(radius + along * math.tan(spread) for along in (begins, begins + source.length))
    start = row["position"].astype(np.float64) + axis * begins
    candela = float(kind_of(row).candela(np.array([row]))[0])
    hue = row["emission"].astype(np.float64) / max(
        float(row["emission"] @ np.array([0.2126, 0.7152, 0.0722])), 1e-30
    )
    # The profile of a card has half of its axis' illuminance in the mean.
    even = 2.0 * _mean_over_cone(row, spread)
    even *= float(row["gobo_open"])
    light = hue * (candela * even * gain * ALBEDO * extinction_for(source.visibility))
    sheets = _about_axis(start, axis, source.length, (widths[0], widths[1]), _count(source))
    toward, g = _tuple(axis), source.forwardness
    return Card(source.id, "beam", sheets, toward, g, _tuple(light), fades, source_m=begins, range_m=reach)


def _free_beam(source: CardSource, gain: float, fades: Fades) -> Card:
    axis, spread = np.array(source.direction), math.radians(source.spread)
    half = 0.5 * source.width
    behind = half / math.tan(spread) if spread > 1e-3 else 1e3 * source.length
    widths = half, half + source.length * math.tan(spread)
    candela = source.intensity * (behind / max(half, 0.05)) ** 2 if spread <= 1e-3 else source.intensity
    light = np.array(source.luminous_rgb()) * (candela * gain * ALBEDO * extinction_for(source.visibility))
    begins = max(behind, 0.05)
    sheets = _about_axis(np.array(source.position), axis, source.length, widths, _count(source))
    g = source.forwardness
    return Card(source.id, "beam", sheets, source.direction, g, _tuple(light), fades, source_m=begins)


def _count(source: CardSource | VeilSource) -> int:
    return max(round(source.sheets), 1)


def _slabs(
    middle: Vector3, way: Vector3, spread: Vector3, across: Vector3, sizes: tuple[float, float], count: int
) -> list[Sheet]:
    """Sheets along a shaft that stand beside each other, and cut it into slabs.

    way : (3,) along it, as long as it is; spread, across : (3,) unit, which way they follow each other, and
    which way each is wide; sizes : of the shaft, both ways [m]
    """
    half = 0.5 * sizes[1]
    starts = [middle + spread * (sizes[0] * ((n + 0.5) / count - 0.5)) for n in range(count)]
    built = [Sheet(_tuple(start), _tuple(way), _tuple(across), (half, half)) for start in starts]
    thick = sizes[0] / count * abs(float(spread @ built[0].normal)) if built else 0.0
    return [replace(item, thick=thick) for item in built]


def _opening(source: CardSource, sun: Sun, gain: float, fades: Fades) -> Card | None:
    """Slabs of the shaft that sun or moon throws through an opening; None where they do not shine in."""
    inward, direction = np.array(source.direction), -sun.direction
    if float(inward @ direction) <= 0.02:
        return None
    level = np.cross([0.0, 1.0, 0.0], inward)
    across = level / np.linalg.norm(level) if np.linalg.norm(level) > 1e-3 else np.array([1.0, 0.0, 0.0])
    up, middle, along = np.cross(inward, across), np.array(source.position), direction * source.length
    wide, high, count = source.width, source.height, _count(source)
    upright = _slabs(middle, along, across, up, (wide, high), count - count // 2)
    level_ones = _slabs(middle, along, up, across, (high, wide), count // 2)
    if level_ones:
        normals = _tuple(upright[0].normal), _tuple(level_ones[0].normal)
        upright = [replace(item, beside=normals[1]) for item in upright]
        level_ones = [replace(item, beside=normals[0]) for item in level_ones]
    lux = sun.at(middle[None])[0]
    light = lux * (gain * ALBEDO * extinction_for(source.visibility))
    g, sheets = source.forwardness, (*upright, *level_ones)
    return Card(source.id, "opening", sheets, _tuple(direction), g, _tuple(light), fades)


def _card(
    source: CardSource, rows: LampRows, ids: tuple[str, ...], sun: Sun | None, gain: float, moment: Moment
) -> Card | None:
    gain, fades = gain * source.gain, _fades(source, source.softness, moment)
    if source.shape == "opening":
        follows = sun is not None and source.of in ("", sun.id)
        return _opening(source, sun, gain, fades) if sun is not None and follows else None
    if not source.of:
        return _free_beam(source, gain, fades)
    if source.of not in ids:
        return None
    row = rows[ids.index(source.of)]
    return _lamp_beam(source, row, gain, fades) if float(row["cos_outer"]) >= 0.0 else None


def _veil(source: VeilSource, sun: Sun | None, sky: Dome | None, gain: float, moment: Moment) -> Card:
    turn = math.radians(source.turn)
    across, facing = (
        np.array([math.cos(turn), 0.0, math.sin(turn)]),
        np.array([-math.sin(turn), 0.0, math.cos(turn)]),
    )
    width, height, deep = source.size
    count = _count(source)
    places = (np.arange(count) / (count - 1) - 0.5) if count > 1 else np.zeros(1)
    foot = np.array(source.position) - np.array([0.0, 0.5 * height, 0.0])
    sheets = tuple(
        Sheet(
            _tuple(foot + facing * (deep * place)),
            (0.0, height, 0.0),
            _tuple(across),
            (0.5 * width, 0.5 * width),
        )
        for place in places
    )
    share = np.array(source.scattering) * source.lit
    far = np.zeros(3) if sun is None else sun.at(np.array([source.position]))[0]
    even = np.array(source.luminous_rgb()) * (source.own_light * gain)
    if sky is not None:
        even = even + scattered(sky.air_terms, np.array([[0.0, 1.0, 0.0]]), 0.0)[0] * share
    toward = (0.0, -1.0, 0.0) if sun is None else _tuple(-sun.direction)
    hides = 1.0 - (1.0 - min(source.hides, 0.9999)) ** (1.0 / count)
    fades = _fades(source, VEIL_SIDES, moment)
    light = _tuple(far * share)
    return Card(source.id, "veil", sheets, toward, VEIL_G, light, fades, _tuple(even), hides)


def visibility_at(air: Medium | None, place: Vector3) -> float:
    """How far one sees in the air about a place (3,) [m]; where there is none, as cards have it."""
    thick = 0.0
    if air is not None and air.straight is None:
        thick = float(air.extinction(place[1:2])[0, 1])
        thick += sum(pocket.extinction * float(pocket.density(place[None])[0]) for pocket in air.pockets)
    default: float = CardSource.model_fields["visibility"].default
    return min(max(KOSCHMIEDER / thick, 0.2), 100_000.0) if thick > 1e-6 else default


def cards_of(
    sources: tuple[Source, ...],
    lamps: Lamps,
    sun: Sun | None,
    sky: Dome | None,
    moment: Moment,
    balance: Balance,
) -> tuple[Card, ...]:
    """The cards and veils that are on, as their sources are lit."""
    out: list[Card] = []
    for source in sources:
        if not isinstance(source, Sheets) or not source.on:
            continue
        gain = _gain(source, balance)
        if isinstance(source, VeilSource):
            out.append(_veil(source, sun, sky, gain, moment))
        elif isinstance(source, CardSource):
            card = _card(source, lamps.rows, lamps.ids, sun, gain, moment)
            out += [card] if card is not None and max(card.light) > 0.0 else []
    return tuple(out)

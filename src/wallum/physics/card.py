"""Cards and veils: soft sheets that stand for lit air. Twin: realtime/shaders/card.frag.glsl.

A beam's sheets stand about its axis. What each shows is what would be seen of single scattering across a
beam that is brightest in its midst: illuminance there, times scattering, phase function and the width that is
looked through. A sheet that is seen from its edge shows nothing; among several turned evenly about the axis
the sum is the same from all sides. An opening's sheets cut its shaft into slabs, upright ones and level ones;
each shows the light of its own, and those count most that face the eye. A veil's sheets hide what is behind,
and show light as air too thick to see through does.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wallum.memo import FieldsAlone
from wallum.physics.arrays import Floats
from wallum.physics.medium import henyey_greenstein
from wallum.physics.pocket import noise_at

__all__ = ["MEAN_CUBE", "RGB", "Card", "Fades", "Sheet", "card_along", "seen_from_edge"]

RGB = tuple[float, float, float]
# Mean of the cube of a cosine over all turns: what turned sheets show of what one that faces the eye does.
MEAN_CUBE = 4.0 / (3.0 * np.pi)
# A way through a slab is at most this much longer than the slab is thick; the same along a beam.
LONGEST = 4.0
# Shares of its length over which a shaft ends, and over which one through an opening starts.
ENDS_OVER, STARTS_OVER = 0.3, 0.12
# A card is not seen at all along its beam below this sine, and wholly from this on.
ALONG = (0.05, 0.25)


@dataclass(frozen=True)
class Sheet(FieldsAlone):
    """A flat piece, from the middle of one side along to the middle of the other.

    start, along : place; way to the far side [m]; across : unit, to the side, not always at a right angle
    widths : half its width at the start and at the far side [m]
    thick : of the slab that it stands for [m]
    beside : unit normal of the slabs that cut the same shaft the other way, and count instead of it where
             they face the eye more; zeros where there are none
    """

    start: RGB
    along: RGB
    across: RGB
    widths: tuple[float, float]
    thick: float = 0.0
    beside: RGB = (0.0, 0.0, 0.0)

    @cached_property
    def normal(self) -> NDArray[np.float64]:
        """(3,) unit."""
        out = np.cross(self.along, self.across)
        return np.asarray(out / np.linalg.norm(out))

    @cached_property
    def middle(self) -> NDArray[np.float64]:
        """(3,) [m]"""
        return np.asarray(np.array(self.start) + 0.5 * np.array(self.along))

    @property
    def corners(self) -> NDArray[np.float64]:
        """(4, 3) its corners, around [m]."""
        start, side = np.array(self.start), np.array(self.across)
        far = start + self.along
        first, last = self.widths
        return np.stack([start - side * first, start + side * first, far + side * last, far - side * last])

    def within(self, places: Floats) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(N,) where places (N, 3) of its plane lie across, -1 to 1 within, and along, 0 to 1."""
        along, across = np.array(self.along), np.array(self.across)
        aslant = float(along @ across)
        offset = np.asarray(places, dtype=np.float64) - self.start
        v = offset @ (along - across * aslant) / (float(along @ along) - aslant**2)
        width = self.widths[0] + (self.widths[1] - self.widths[0]) * v
        return (offset @ across - v * aslant) / np.maximum(width, 1e-6), v


@dataclass(frozen=True)
class Fades:
    """How a card fades, and its noise.

    sides : share of half its width over which it fades to its sides; beams do by themselves
    surface, camera : before surfaces, and near the eye [m]
    contrast, grain_m, drifted : of its noise, see physics.pocket
    """

    sides: float = 0.35
    surface: float = 0.4
    camera: float = 1.0
    contrast: float = 0.0
    grain_m: float = 1.0
    drifted: RGB = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Card:
    """Sheets that share one look.

    kind   : beam, opening or veil
    toward : (3,) unit direction that its light travels in; forwardness : g of Henyey and Greenstein
    light  : RGB that each sheet shows of it, over the phase function: for a beam intensity [cd], for an
             opening illuminance [lx], both times scattering [1/m]; for a veil illuminance where it hides all
    even   : RGB luminance that a veil shows from all sides alike, where it hides all [cd/m2]
    hides  : share that each sheet hides in its midst; 0 for cards
    source_m : from the source of a beam to its start [m]; range_m : where that ends, 0 for no end
    """

    id: str
    kind: Literal["beam", "opening", "veil"]
    sheets: tuple[Sheet, ...]
    toward: RGB
    forwardness: float
    light: RGB
    fades: Fades
    even: RGB = (0.0, 0.0, 0.0)
    hides: float = 0.0
    source_m: float = 0.0
    range_m: float = 0.0

    @property
    def middle(self) -> NDArray[np.float64]:
        """(3,) [m]"""
        return np.asarray(np.mean([sheet.middle for sheet in self.sheets], axis=0))


def _smooth(x: Floats) -> NDArray[np.float64]:
    t = np.clip(x, 0.0, 1.0)
    return np.asarray(t * t * (3.0 - 2.0 * t))


def _profile(card: Card, u: Floats, v: Floats) -> NDArray[np.float64]:
    """(N,) how much is there across (-1..1) and along (0..1)."""
    if card.kind == "beam":
        sides = np.maximum(1.0 - np.asarray(u) ** 2, 0.0) ** 1.5
        return np.asarray(sides * _smooth((1.0 - np.asarray(v)) / ENDS_OVER))
    soft = max(card.fades.sides, 0.01)
    sides = _smooth((1.0 - np.abs(u)) / soft)
    if card.kind == "opening":
        ends = _smooth((1.0 - np.asarray(v)) / ENDS_OVER) * _smooth(np.asarray(v) / STARTS_OVER)
        return np.asarray(sides * ends)
    return np.asarray(sides * _smooth(np.minimum(v, 1.0 - np.asarray(v)) * 2.0 / soft))


def _shown(card: Card, sheet: Sheet, ways: Floats, v: Floats) -> NDArray[np.float64]:
    """(N,) what a card's sheet shows of its light along ways, without phase function and profile."""
    d = np.asarray(ways, dtype=np.float64)
    facing = np.abs(d @ sheet.normal)
    if card.kind == "opening":
        longer = np.minimum(1.0 / np.maximum(facing, 1e-6), LONGEST)
        other = d @ np.array(sheet.beside)
        counts = facing**2 / np.maximum(facing**2 + other**2, 1e-12)
        return np.asarray(sheet.thick * longer * counts * _smooth(facing / ALONG[1]))
    length = float(np.linalg.norm(sheet.along))
    sine = np.sqrt(np.maximum(1.0 - (d @ (np.array(sheet.along) / length)) ** 2, 1e-12))
    turned = np.minimum(facing / sine, 1.0) ** 2
    shown = turned * np.minimum(1.0 / sine, LONGEST) * _smooth((sine - ALONG[0]) / (ALONG[1] - ALONG[0]))
    away = card.source_m + np.asarray(v) * length
    width = sheet.widths[0] + (sheet.widths[1] - sheet.widths[0]) * np.asarray(v)
    many = len(card.sheets)
    norm = 4.0 / 3.0 / (MEAN_CUBE * many if many > 1 else 1.0)
    window = np.clip(1.0 - (away / card.range_m) ** 4, 0.0, 1.0) ** 2 if card.range_m > 0.0 else 1.0
    return np.asarray(shown * norm * width / np.maximum(away, 1e-3) ** 2 * window)


def card_along(
    card: Card, eye: Floats, ways: Floats, distance_m: Floats, back: Floats | None = None
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What a card shows (N, 3) [cd/m2] and what it leaves of light (N,) along ways from an eye (3,).

    ways : (N, 3) unit; distance_m : (N,) to the surface that is seen
    back : (3,) unit, the way the eye looks, by which fades are reckoned; None: along each way
    """
    d, distance = np.asarray(ways, dtype=np.float64), np.asarray(distance_m, dtype=np.float64)
    light, left = np.zeros((len(d), 3)), np.ones(len(d))
    for sheet in _far_first(card, eye):
        slope = d @ sheet.normal
        safe = np.where(np.abs(slope) < 1e-9, 1e-9, slope)
        at = float((np.array(sheet.start) - eye) @ sheet.normal) / safe
        rows = np.flatnonzero((at > 0.0) & (at < distance))
        if not len(rows):
            continue
        place = np.asarray(eye) + d[rows] * at[rows, None]
        u, v = sheet.within(place)
        inside = (v >= 0.0) & (v <= 1.0) & (np.abs(u) <= 1.0)
        rows, u, v, place = rows[inside], u[inside], v[inside], place[inside]
        much = _profile(card, u, v) * _faded(card, d[rows], at[rows], distance[rows], back)
        fades = card.fades
        if fades.contrast > 0.0:
            much = much * noise_at(place, fades.drifted, fades.grain_m, fades.contrast)
        phase = henyey_greenstein(d[rows] @ -np.array(card.toward), card.forwardness)[:, None]
        if card.kind == "veil":
            much = np.minimum(card.hides * much, 1.0)
            light[rows] = light[rows] * (1.0 - much[:, None]) + much[:, None] * (
                np.array(card.light) * phase + np.array(card.even)
            )
            left[rows] *= 1.0 - much
        else:
            light[rows] += np.array(card.light) * phase * (much * _shown(card, sheet, d[rows], v))[:, None]
    return light, left


def _faded(
    card: Card, ways: Floats, at: Floats, distance: Floats, back: Floats | None
) -> NDArray[np.float64]:
    along = 1.0 if back is None else np.asarray(ways) @ np.asarray(back)
    near = np.clip(at * along / max(card.fades.camera, 1e-3), 0.0, 1.0)
    before = np.clip((np.asarray(distance) - at) * along / max(card.fades.surface, 1e-3), 0.0, 1.0)
    return np.asarray(near * before)


def _far_first(card: Card, eye: Floats) -> list[Sheet]:
    def away(sheet: Sheet) -> float:
        return float(np.linalg.norm(sheet.middle - eye))

    return sorted(card.sheets, key=away, reverse=True)


def seen_from_edge(card: Card, eye: Floats) -> float:
    """How much of what a card shows from its best side is missing from an eye (3,), 0 to 1."""
    toward = card.middle - np.asarray(eye, dtype=np.float64)
    direction = (toward / max(float(np.linalg.norm(toward)), 1e-6))[None]
    if card.kind == "veil":
        return 1.0 - float(np.abs(direction @ card.sheets[0].normal)[0])
    middle = np.full(1, 0.5)
    shown = sum(float(_shown(card, sheet, direction, middle)[0]) for sheet in card.sheets)
    along = card.sheets[0].along
    side = np.cross(along, card.sheets[0].across)
    best = sum(
        float(_shown(card, sheet, (side / np.linalg.norm(side))[None], middle)[0]) for sheet in card.sheets
    )
    return max(1.0 - shown / max(best, 1e-12), 0.0)

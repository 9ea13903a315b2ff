"""What each source gives a picture: a small layer of light for each, by rays.

Direct light through the standard's surface model, one shadow ray a pixel to a lamp's middle or
a few to the sky; glow as it shows itself; and what probes know of each one's light from surfaces.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wallum.moment.bounce_gains import glow_of
from wallum.moment.kinds import kind_of
from wallum.moment.scene import GLOW_ID, OF, SCREEN_ID, UNLIT_ID, Dome, LitScene
from wallum.physics.arrays import Floats, dots
from wallum.physics.dome import sample_dome
from wallum.physics.emitters import disc_points, halton
from wallum.physics.exposure import exposure_scale
from wallum.physics.frames import frame_of
from wallum.physics.medium import AIR_END_M
from wallum.physics.surface import response
from wallum.transport.direct.sheet_shares import card_shares, screen_share
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.field.bounce import BounceField
from wallum.transport.field.scattering import even_albedo
from wallum.transport.paths.air_between import air_between, air_parts
from wallum.transport.paths.air_lit import AirSegments, air_light
from wallum.transport.scene.rays import LIFT_M, RayScene
from wallum.transport.scene.surfaces import SeenSurfaces

__all__ = ["LAYER_SIZE", "Layers", "fill_layers"]

LAYER_SIZE = (160, 90)
SKY_RAYS = 8
# Samples of what lights the air, a way.
AIR_TURNS = 2


@dataclass
class Layers:
    """Light by source: RGB luminance (P, 3) [cd/m2] of the surfaces in `seen`, by source id."""

    seen: SeenSurfaces
    light: dict[str, NDArray[np.float64]] = field(default_factory=dict)

    @property
    def total(self) -> NDArray[np.float64]:
        """(P, 3) all of it."""
        if not self.light:
            return np.zeros((len(self.seen.pixel), 3))
        return np.sum(list(self.light.values()), axis=0)


def _starts(seen: SeenSurfaces) -> NDArray[np.float64]:
    return seen.points + seen.normals * (LIFT_M * 20.0)


def _answer(seen: SeenSurfaces, rows: NDArray[np.int64], to_light: Floats) -> NDArray[np.float64]:
    return response(
        seen.base[rows],
        seen.metallic[rows],
        seen.roughness[rows],
        seen.normals[rows],
        seen.to_eye[rows],
        to_light,
    )


def _lit_through(
    rays: RayScene, seen: SeenSurfaces, lit: NDArray[np.int64], toward: Floats, reach: Floats
) -> tuple[NDArray[np.int64], Floats]:
    """Which of the surfaces that face a source are reached by it, and the share (K, 3) that comes through."""
    through = rays.let_through(_starts(seen)[lit], toward, reach)
    open_ones = through.any(axis=1)
    return lit[open_ones], through[open_ones]


def _lamp(rays: RayScene, seen: SeenSurfaces, scene: LitScene, index: int) -> NDArray[np.float64]:
    lamps = scene.lamps
    row = lamps.rows[index : index + 1]
    kind = kind_of(row[0])
    out = np.zeros((len(seen.pixel), 3))
    u = np.random.default_rng(index).random((len(seen.pixel), 3)) if kind.spreads else None
    toward, reach, strength = kind.sample(row, seen.points, u)
    lit = np.flatnonzero((strength > 0.0) & (dots(toward, seen.normals) > 0.0))
    if lamps.casting[index] and len(lit):
        lit, through = _lit_through(rays, seen, lit, toward[lit], reach[lit] - 2 * LIFT_M)
    else:
        through = np.ones((len(lit), 3))
    if len(lit):
        emission = row["emission"][0].astype(np.float64)
        out[lit] = _answer(seen, lit, toward[lit]) * emission * strength[lit, None] * through
        if scene.air is not None:
            out[lit] *= scene.air.between(
                np.broadcast_to(kind.origins(row, seen.points[lit]), (len(lit), 3)), seen.points[lit]
            )
    return out


def _sun(rays: RayScene, seen: SeenSurfaces, scene: LitScene) -> NDArray[np.float64]:
    assert scene.sun is not None
    out = np.zeros((len(seen.pixel), 3))
    lit = np.flatnonzero(seen.normals @ scene.sun.direction > 0.0)
    toward = np.broadcast_to(scene.sun.direction, (len(lit), 3))
    through: Floats = np.ones((len(lit), 3))
    if scene.sun.shadow and len(lit):
        lit, through = _lit_through(rays, seen, lit, toward, np.full(len(lit), np.inf))
    if len(lit):
        toward = np.broadcast_to(scene.sun.direction, (len(lit), 3))
        out[lit] = _answer(seen, lit, toward) * scene.sun.at(_starts(seen)[lit]) * through
    return out


def _sky_rays(seen: SeenSurfaces, turn: int) -> NDArray[np.float64]:
    """(P, 3) directions about the normals, by the cosine."""
    count = len(seen.pixel)
    u = (np.stack([halton(turn, 1, 2), halton(turn, 1, 3)], axis=1) + _scatter(count)) % 1.0
    disc = disc_points(u)
    height = np.sqrt(np.maximum(1.0 - (disc**2).sum(axis=1), 0.0))
    n = seen.normals
    side, up = frame_of(n)
    return np.asarray(disc[:, :1] * side + disc[:, 1:] * up + height[:, None] * n)


def _scatter(count: int) -> NDArray[np.float64]:
    """(count, 2) offsets in 0..1 that differ from pixel to pixel, the same each time."""
    return np.random.default_rng(5).random((count, 2))


def _kept(seen: SeenSurfaces, scene: LitScene) -> NDArray[np.float64]:
    """(P, 3) what the air leaves of light on its way to the eye; nothing of unlit surfaces' share."""
    selected, _ = air_between(scene, _eye(seen), -seen.to_eye, seen.distance)
    return selected * (~seen.unlit * _left_by_sheets(seen, scene))[:, None]


def _left_by_sheets(seen: SeenSurfaces, scene: LitScene) -> NDArray[np.float64]:
    """(P,) what veils and screen shafts leave of light."""
    left = np.ones(len(seen.pixel))
    if scene.cards:
        left *= card_shares(seen, scene)[1]
    if scene.screen is not None:
        left *= screen_share(seen, scene)[1]
    return left


def _eye(seen: SeenSurfaces) -> NDArray[np.float64]:
    if not len(seen.points):
        return np.zeros(3)
    return np.asarray(seen.points[0] + seen.to_eye[0] * seen.distance[0])


def _sky(
    rays: RayScene, seen: SeenSurfaces, scene: LitScene, dome: Dome, out: NDArray[np.float64]
) -> Iterator[None]:
    """Add the sky's light to `out`, a few rays at a time."""
    every = np.arange(len(seen.pixel))
    selected = _kept(seen, scene)
    for turn in range(SKY_RAYS):
        toward = _sky_rays(seen, turn)
        through = rays.let_through(_starts(seen), toward, np.full(len(toward), np.inf))
        light = sample_dome(dome.luminance, dome.ground, toward) * through
        cosine = np.maximum((toward * seen.normals).sum(axis=1), 1e-6)
        # Directions come by the cosine over pi; the response has the cosine in it.
        out += _answer(seen, every, toward) * light * selected * (np.pi / cosine / SKY_RAYS)[:, None]
        yield


def _air(rays: RayScene, seen: SeenSurfaces, scene: LitScene) -> dict[str, NDArray[np.float64]]:
    """What the layers together and each pocket show, by samples of what lights them; among each other by what
    they would show if all were lit alike."""
    assert scene.air is not None
    eye, directions = _eye(seen), -seen.to_eye
    _, alike = air_parts(scene, eye, directions, seen.distance)
    if scene.air.straight is not None or not len(seen.points):
        return alike
    whole = np.maximum(np.sum(list(alike.values()), axis=0), 1e-30)
    rng = np.random.default_rng(7)
    lit = air_light(
        rays, scene, AirSegments(eye, directions, np.minimum(seen.distance, AIR_END_M)), AIR_TURNS, rng
    )
    return {name: part / whole * lit for name, part in alike.items()}


def _add_bounce(layers: Layers, scene: LitScene, bounce: BounceField, kept: Floats) -> None:
    """Add what comes back of each source's light to its layer, as the picture shows it."""
    seen = layers.seen
    even = np.asarray(even_albedo(seen) * kept / np.pi, np.float64)
    shares = bounce.shares(scene, seen.points, seen.normals)
    shown = {source_id: even * light for source_id, light in shares.items()}
    if bounce.baked is not None and scene.still is not None:
        _as_baked(layers, scene, bounce.baked, even, shown)
    for source_id, light in shown.items():
        straight = layers.light.get(source_id)
        layers.light[source_id] = light if straight is None else straight + light


def _as_baked(
    layers: Layers,
    scene: LitScene,
    baked: BakedLight,
    even: NDArray[np.float64],
    shown: dict[str, NDArray[np.float64]],
) -> None:
    """Where light was baked, have the layers of its sources add up to that; among each other they stay as
    rays and probes have them.

    even : (P, 3) luminance for illuminance; shown : what comes back of each source's light
    """
    light, there = baked.at(layers.seen.triangle, layers.seen.weights)
    ids = baked.ids & (scene.still or frozenset())
    sky = {scene.sky.id} if scene.sky is not None else set()
    own = ids & ({*layers.light} if baked.straight else sky)
    parts = [shown[item] for item in shown if item.partition(OF)[0] in ids]
    parts += [layers.light[item] for item in layers.light if item in own and not item.startswith(GLOW_ID)]
    if not parts:
        return
    total = np.sum(parts, axis=0)
    wanted = even * light * scene.bounce[0]
    # Where none is known of, the first has all.
    parts[0] += np.where((total <= 0.0) & there[:, None], wanted, 0.0)
    factor = np.where(there[:, None] & (total > 0.0), wanted / np.maximum(total, 1e-30), 1.0)
    for part in parts:
        part *= factor


def fill_layers(
    layers: Layers, rays: RayScene, scene: LitScene, bounce: BounceField | None = None
) -> Iterator[None]:
    """Work out the layers of a scene, source after source; stops after each. bounce : what is known of light
    that comes back from surfaces"""
    seen = layers.seen
    selected = _kept(seen, scene)
    if scene.sky is not None:
        layers.light[scene.sky.id] = np.zeros((len(seen.pixel), 3))
        yield from _sky(rays, seen, scene, scene.sky, layers.light[scene.sky.id])
    if scene.sun is not None:
        layers.light[scene.sun.id] = _sun(rays, seen, scene) * selected
        yield
    for number in np.unique(seen.material[seen.glow.any(axis=1)]).tolist():
        own = seen.glow * (seen.material == number)[:, None]
        layers.light[glow_of("", seen.names[number])] = own * scene.glow_gain * selected
    if seen.unlit.any():
        shown = seen.base / exposure_scale(scene.look.ev100)
        layers.light[UNLIT_ID] = shown * seen.unlit[:, None]
    if scene.air is not None:
        left = _left_by_sheets(seen, scene)[:, None]
        layers.light |= {name: light * left for name, light in _air(rays, seen, scene).items()}
        yield
    if scene.cards:
        layers.light |= card_shares(seen, scene)[0]
    if scene.screen is not None:
        layers.light[SCREEN_ID] = screen_share(seen, scene)[0]
    for index, lamp_id in enumerate(scene.lamps.ids):
        layers.light[lamp_id] = _lamp(rays, seen, scene, index) * selected
        yield
    for room in scene.rooms:
        own = room.share(seen.points)[:, None] * np.array(room.light)
        layers.light[room.id] = np.asarray(even_albedo(seen) * selected / np.pi * own, np.float64)
    if bounce is not None:
        _add_bounce(layers, scene, bounce, selected)
        yield

"""By what light that has come back is multiplied, for each source of a scene: light adds up, so that what one
source gives for a strength of 1 gives its light at any strength and colour."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import GLOW_ID, OF, Dome, LitScene
from wallum.physics.colour import luminance

__all__ = [
    "Key",
    "bounce_gains",
    "bounce_keys",
    "coloured",
    "gains_of",
    "glow_of",
    "sky_strength",
    "strengths",
]

# Where a source's light falls; and what only dims it on the way, which a hurried look may leave as it was.
Key = tuple[object, object]


def glow_of(lamp_id: str, material: str = "") -> str:
    """Id of the glow that follows a lamp, of a material; of all glow that follows none for an empty one."""
    own = f"{GLOW_ID} {lamp_id}".strip()
    return f"{own}{OF}{material}" if material else own


def bounce_gains(scene: LitScene) -> dict[str, NDArray[np.float64]]:
    """By source id, what its light from surfaces is multiplied by: its strength, and what the look adds."""
    return {item: gain * scene.bounce[0] for item, gain in strengths(scene).items()}


def gains_of(scene: LitScene, ids: Iterable[str]) -> dict[str, NDArray[np.float64]]:
    """The same by id of what is kept, glow by its material too; of sources that the scene has."""
    gains = bounce_gains(scene)
    return {item: gains[base] for item in ids if (base := item.partition(OF)[0]) in gains}


def strengths(scene: LitScene) -> dict[str, NDArray[np.float64]]:
    """By source id, RGB strength: of the sun its illuminance [lx], of the sky its mean [lx], of a lamp its
    emission, of glow what its own luminance is multiplied with."""
    out: dict[str, NDArray[np.float64]] = {}
    if scene.sun is not None:
        out[scene.sun.id] = np.asarray(scene.sun.illuminance, np.float64)
    if scene.sky is not None:
        out[scene.sky.id] = sky_strength(scene.sky)
    for lamp_id, emission in zip(scene.lamps.ids, scene.lamps.rows["emission"], strict=True):
        out[lamp_id] = emission.astype(np.float64)
    if scene.glow_gain > 0.0:
        out[glow_of("")] = np.full(3, scene.glow_gain)
        out |= {glow_of(lamp): np.full(3, scene.glow_gain * share) for lamp, share in scene.glow.items()}
    return out


def sky_strength(sky: Dome) -> NDArray[np.float64]:
    """(3,) RGB strength of a sky: its mean [lx]."""
    return np.maximum(sky.terms[0], 1e-12)


def bounce_keys(scene: LitScene) -> dict[str, Key]:
    """By id of sun, sky and lamps, what else their light depends on."""
    keys: dict[str, Key] = {}
    sun, sky = scene.sun, scene.sky
    if sun is not None:
        shown = sun.illuminance / max(float(sun.illuminance.max()), 1e-30)
        clouds = None if sun.clouds is None else sun.clouds[0]
        where = tuple(np.round(sun.direction, 6)), sun.disc_rad, sun.shadow
        keys[sun.id] = (where, clouds, sun.through, tuple(np.round(shown, 4)) if clouds else None), None
    if sky is not None:
        keys[sky.id] = (sky.key, tuple(sky.ground)), None
    for index, lamp_id in enumerate(scene.lamps.ids):
        row = scene.lamps.rows[index : index + 1].copy()
        # A gobo is taken as before it drifted: else its light would be cast anew all through play.
        for name in ("emission", "in_air", "air_shadow", "point", "gobo_at"):
            row[name] = 0.0
        keys[lamp_id] = row.tobytes(), None if scene.air is None else scene.air.layers
    return keys


def coloured(light: NDArray[np.float32], keeps: float) -> NDArray[np.float32]:
    """Light (N, 3) that keeps a share of its colour: 0 is grey, above 1 is more than true."""
    if keeps == 1.0:
        return light
    grey = luminance(light.astype(np.float64))[:, None]
    return np.maximum(grey + (light - grey) * keeps, 0.0).astype(np.float32)

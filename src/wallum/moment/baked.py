"""What of a scene is baked, and whether it is as it was then."""

import hashlib
from dataclasses import replace

import numpy as np

from wallum.moment.bounce_gains import bounce_keys, glow_of, strengths
from wallum.moment.scene import GLOW_ID, LitScene

__all__ = ["baked_state", "changed_since", "fixed_ids", "still_alone"]

# Light that differs by less than this share is the same.
ALIKE = 1e-4


def still_alone(scene: LitScene, still: frozenset[str]) -> LitScene:
    """What of a scene is baked: its still sources, without the air that the eye looks through."""
    ids = {*scene.lamps.ids, *(item.id for item in (scene.sun, scene.sky) if item is not None)}
    alone = scene.without(frozenset(ids - still))
    dark = {lamp: 0.0 for lamp in scene.glow if glow_of(lamp) not in still}
    return replace(
        alone, glow={**scene.glow, **dark}, air=None, cards=(), screen=None, rooms=(), flat=None,
        bounce=(1.0, 1.0), still=None,
    )  # fmt: skip


def baked_state(scene: LitScene) -> dict[str, str]:
    """By source id, a word that says how strong it is and where its light falls."""
    keys, out = bounce_keys(scene), {}
    for source_id, strength in strengths(scene).items():
        if source_id.startswith(GLOW_ID) and not strength.any():
            continue
        # In steps of a share: two ways to the same value may differ in the last bit.
        steps = np.round(np.log(np.maximum(strength, 1e-12)) / ALIKE).astype(np.int64)
        text = f"{steps.tolist()} {keys.get(source_id)!r}"
        out[source_id] = hashlib.sha256(text.encode()).hexdigest()[:16]
    return out


def changed_since(then: dict[str, str], now: dict[str, str]) -> list[str]:
    """Ids of sources that are not as they were, or were not there, or are no more."""
    return sorted(key for key in then.keys() | now.keys() if then.get(key) != now.get(key))


def fixed_ids(scene: LitScene, baked: frozenset[str]) -> frozenset[str]:
    """Ids of the sun and the lamps of a scene that are baked with all their light: they are not drawn."""
    sun = {scene.sun.id} if scene.sun is not None else set()
    return frozenset(({*scene.lamps.ids} | sun) & baked)

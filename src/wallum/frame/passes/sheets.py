"""What stands for lit air over the picture: cards, veils and screen shafts."""

import numpy as np
from numpy.typing import NDArray

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork
from wallum.moment.camera import Camera
from wallum.moment.far_place import sun_in_picture
from wallum.moment.scene import SCREEN_ID
from wallum.physics.card import Card

__all__ = ["CARDS", "SCREEN_SHAFTS", "SHAFT_PART", "covered_share"]

# Places of the picture at which it is looked how often a card lies over it.
ACROSS, DOWN = 48, 27
# Screen shafts are worked out for one pixel of so many each way.
SHAFT_PART = 4


def covered_share(card: Card, camera: Camera) -> float:
    """How often a card's sheets lie over the picture: 2 where two of them cover all of it."""
    directions = _ways(camera)
    eye, count = np.array(camera.eye), 0
    for sheet in card.sheets:
        slope = directions @ sheet.normal
        at = float((np.array(sheet.start) - eye) @ sheet.normal) / np.where(np.abs(slope) < 1e-9, 1e-9, slope)
        rows = np.flatnonzero(at > 0.0)
        u, v = sheet.within(eye + directions[rows] * at[rows, None])
        count += int(((np.abs(u) <= 1.0) & (v >= 0.0) & (v <= 1.0)).sum())
    return count / (ACROSS * DOWN)


def _ways(camera: Camera) -> NDArray[np.float64]:
    across, along = camera.tangents
    x = ((np.arange(ACROSS) + 0.5) / ACROSS * 2.0 - 1.0) * across
    y = (1.0 - (np.arange(DOWN) + 0.5) / DOWN * 2.0) * along
    right, up, back = camera.rotation()
    offsets = x[None, :, None] * right + y[:, None, None] * up - back
    return np.asarray((offsets / np.linalg.norm(offsets, axis=2, keepdims=True)).reshape(-1, 3))


def _cards(asked: PassWork) -> PassCounts | None:
    if not asked.scene.cards:
        return None
    counted = PassCounts({"each": float(len(asked.scene.cards)), "pixels": 0.0})
    for card in asked.scene.cards:
        own = {"each": 1.0, "pixels": covered_share(card, asked.camera) * asked.pixels}
        counted.sources[card.id] = own
        counted.whole["pixels"] += own["pixels"]
    return counted


def _shafts(asked: PassWork) -> PassCounts | None:
    shafts = asked.scene.screen
    if shafts is None or sun_in_picture(shafts.toward, asked.camera)[2] <= 0.0:
        return None
    counts = {"each": 1.0, "pixels": asked.pixels}
    return PassCounts(counts, {SCREEN_ID: dict(counts)})


CARDS = PassSpec("cards", ("each", "pixels"), _cards)
SCREEN_SHAFTS = PassSpec("screen shafts", ("each", "pixels"), _shafts)

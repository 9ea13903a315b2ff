"""What cards, veils and screen shafts give to surfaces of a picture, and what they leave of other light."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera
from wallum.moment.far_place import sun_in_picture
from wallum.moment.scene import LitScene
from wallum.physics.card import card_along
from wallum.physics.colour import luminance
from wallum.physics.screen_shafts import drawn_out, open_sky
from wallum.transport.scene.surfaces import SeenSurfaces

__all__ = ["card_shares", "screen_shafts_over", "screen_share"]


def card_shares(
    seen: SeenSurfaces, scene: LitScene
) -> tuple[dict[str, NDArray[np.float64]], NDArray[np.float64]]:
    """Of each card and veil by its id what it shows before the surfaces (P, 3) [cd/m2], and what all leave
    of other light (P,)."""
    left = np.ones(len(seen.pixel))
    shown: dict[str, NDArray[np.float64]] = {}
    eye, back = np.array(seen.camera.eye), np.array(seen.camera.direction)

    def away(index: int) -> float:
        return float(np.linalg.norm(scene.cards[index].middle - eye))

    for index in sorted(range(len(scene.cards)), key=away, reverse=True):
        card = scene.cards[index]
        light, selected = card_along(card, eye, -seen.to_eye, seen.distance, back)
        for other in shown.values():
            other *= selected[:, None]
        shown[card.id] = light
        left *= selected
    return shown, left


def screen_shafts_over(
    scene: LitScene, camera: Camera, size: tuple[int, int], sky: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What screen shafts add (H, W, 3) [cd/m2] and leave (H, W) of a picture of a size whose places (H, W)
    show sky or not."""
    shape = size[::-1]
    if scene.screen is None or scene.sky is None:
        return np.zeros((*shape, 3)), np.ones(shape)
    x, y = np.meshgrid((np.arange(size[0]) + 0.5) / size[0], (np.arange(size[1]) + 0.5) / size[1])
    directions = camera.rays(x.ravel(), y.ravel()).astype(np.float64)
    bright = luminance(scene.sky.seen(directions, camera.eye, discs=True)).reshape(shape)
    across, down, left = sun_in_picture(scene.screen.toward, camera)
    return drawn_out(scene.screen, open_sky(scene.screen, bright, sky), (across, down), left)


def screen_share(seen: SeenSurfaces, scene: LitScene) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What screen shafts add to surfaces (P, 3) [cd/m2] and leave of their light (P,)."""
    sky = np.ones(seen.size[0] * seen.size[1], dtype=bool)
    sky[seen.pixel] = False
    added, left = screen_shafts_over(scene, seen.camera, seen.size, sky.reshape(seen.size[::-1]))
    return added.reshape(-1, 3)[seen.pixel], left.ravel()[seen.pixel]

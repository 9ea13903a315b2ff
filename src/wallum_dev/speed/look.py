"""What the look costs: all of it over no look, and each part by itself."""

import time
from collections.abc import Iterator
from typing import Any, Final

import numpy as np

from wallum.figures import Row, percentile
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

__all__ = ["look_rows"]

SIZE: Final = (960, 540)
TURNS: Final = 17
PARTS: Final[dict[str, dict[str, Any]]] = {
    "bloom": {"bloom": 0.06},
    "lens": {"vignette": 0.3, "shade": 0.3},
    "grain": {"grain": 200.0},
    "white balance and grade": {
        "neutral_kelvin": 4700.0, "saturation": 1.05, "lift": 0.3, "slope": (1.02, 1.0, 0.98),
        "shadows_slope": (0.9, 0.98, 1.14), "lights_slope": (1.05, 1.0, 0.92),
    },
}  # fmt: skip
MORE: Final[dict[str, dict[str, Any]]] = {
    "fringe": {"fringe": 1.0},
    "night eye": {"night_eye": 0.5},
    "hues": {"hues": (1.1, 1.0, 0.9), "hues_between": (1.0, 0.9, 1.0)},
    "depth of field": {"focus": "far and near", "focus_at": 2.0, "focus_stop": 1.4},
    "contrast and powers": {"contrast": 1.1, "power": (1.0, 1.05, 1.1), "shadows_power": (1.0, 1.0, 1.1)},
}


def _requests() -> dict[str, PictureRequest]:
    camera = Camera((2.4, 1.7, 3.4), (-0.55, -0.25, -0.8), 65.0, SIZE[0] / SIZE[1], far=60.0)
    base = pale_room_project()
    looks: dict[str, dict[str, Any]] = {"none": {}, **PARTS, **MORE}
    looks["whole"] = {name: value for part in PARTS.values() for name, value in part.items()}
    looks["all there is"] = {n: v for part in (*PARTS.values(), *MORE.values()) for n, v in part.items()}
    scenes = {name: evaluate(base.revised(look=base.look.revised(**look))) for name, look in looks.items()}
    return {name: PictureRequest(1, scene, camera, SIZE) for name, scene in scenes.items()}


def look_rows() -> Iterator[Row]:
    """What a whole look adds to the developing of a picture; each turn's differences, and their medians."""
    renderer = Renderer()
    renderer.set_level(bundle_level(pale_room()))
    requests = _requests()
    for _ in renderer.draw(requests["none"]):
        pass
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    added: dict[str, list[float]] = {name: [] for name in requests}
    for turn in range(TURNS):
        taken = {}
        for name, request in requests.items():
            renderer.engine.drawn += 1  # its light is taken for new: nothing found in it before counts
            began = time.perf_counter()
            renderer.read_into(request, 0, out)
            taken[name] = (time.perf_counter() - began) * 1e3
        if turn >= 2:  # programs are compiled by then
            for name, ms in taken.items():
                added[name].append(ms - taken["none"])
    middle = {name: round(percentile(item, 0.5), 1) for name, item in added.items() if name != "none"}
    whole = middle.pop("whole")
    yield Row("what a whole look adds to developing, 960x540", whole, "ms", 15.0, details=middle)

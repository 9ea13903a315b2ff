"""Baking from beginning to end: laid flat, lit by paths, cleaned; what is done is kept on the way."""

import hashlib
import json
import time
from collections.abc import Callable
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any, Final

import numpy as np

from wallum.document.baking import Baking as Settings
from wallum.errors import LevelProblem
from wallum.level.model.model import Level
from wallum.level.model.unwrapping import UnwrappedTriangles, unwrap_apart
from wallum.moment.baked import baked_state
from wallum.moment.scene import LitScene
from wallum.transport.field.baked_light import BakedLight, own_coordinates, to_be_laid
from wallum.transport.field.bounce import Field
from wallum.transport.lightmaps.bake_cache import load_part, save_part, unwrapped_of
from wallum.transport.lightmaps.baking import Baking, beside, cleaned, outside_bodies
from wallum.transport.lightmaps.texels import Texels, find_texels
from wallum.transport.scene.rays import RayScene

__all__ = ["BakeRequest", "bake", "foreseen_texels"]

# Of all that is done, what laying flat takes, and from where on it is cleaned.
LAID, LIT = 0.15, 0.97
# What is done is kept this often [s].
KEPT_S: Final = 15.0


@dataclass(frozen=True)
class BakeRequest:
    """What is to be baked.

    scene : its light, the still sources alone; key : of the level; when : its hour in words
    follows : by part id, the lamp that its glow follows
    """

    rays: RayScene
    level: Level
    made: Field
    scene: LitScene
    settings: Settings
    key: str
    when: str
    follows: dict[str, str]

    @property
    def straight(self) -> bool:
        return self.settings.holds == "all light"

    @property
    def word(self) -> str:
        """Tells one order from others."""
        messages = (baked_state(self.scene), self.key, self.settings.model_dump(mode="json"))
        return hashlib.sha256(json.dumps(messages, sort_keys=True).encode()).hexdigest()[:20]


def foreseen_texels(order: BakeRequest) -> float:
    """About how many texels there will be."""
    rows = _chosen(order)
    return float(order.rays.triangles.areas[rows].sum()) * order.settings.texels**2


def _chosen(order: BakeRequest) -> Any:
    return to_be_laid(order.level, order.rays.triangles, order.made.probes, order.settings.smallest)


def bake(
    order: BakeRequest, part: Path | None, keep_going: Callable[[float], bool] = lambda done: True
) -> BakedLight | None:
    """Bake; None where it was not to go on, what is done then being kept in `part`.

    keep_going : told the share that is done. Raises LevelProblem where there is nothing to bake
    """
    selected = None if part is None else load_part(part, order.word)
    laid = _laid(order, keep_going) if selected is None else _laid_of(selected)
    if laid is None or not keep_going(LAID):
        return None
    texels = find_texels(order.rays.triangles, laid)
    outside = outside_bodies(order.rays, texels)
    buried, texels = texels.only(~outside), texels.only(outside)
    baking = Baking(
        order.rays, order.level, order.scene, texels, order.straight, order.follows, order.made
    )  # fmt: skip
    if selected is not None and len(selected["squares"]) == len(texels):
        baking.sums, baking.squares, baking.samples = (
            selected["sums"],
            selected["squares"],
            int(selected["samples"]),
        )
    if not _light(order, baking, laid, part, keep_going):
        return None
    return _finished(order, baking, laid, buried)


def _laid(order: BakeRequest, keep_going: Callable[[float], bool]) -> UnwrappedTriangles | None:
    chosen = _chosen(order)
    if not len(chosen):
        raise LevelProblem("none of its parts is large enough to be baked", "level", "a lower Smallest part")
    own = own_coordinates(order.level)
    return unwrap_apart(order.rays.triangles, chosen, own, order.settings.texels, lambda: keep_going(0.0))


def _laid_of(kept: dict[str, Any]) -> UnwrappedTriangles:
    width, height = (int(item) for item in kept["size"])
    return unwrapped_of(kept, (width, height), int(kept["pages"]))


def _light(
    order: BakeRequest,
    made: Baking,
    laid: UnwrappedTriangles,
    part: Path | None,
    keep_going: Callable[[float], bool],
) -> bool:
    """Follow all paths; False where it was not to go on."""
    wanted, last = order.settings.paths, time.monotonic()

    def done() -> float:
        return LAID + (LIT - LAID) * made.samples / wanted

    while made.samples < wanted:
        went_on = made.step(lambda: keep_going(done()))
        if part is not None and (not went_on or time.monotonic() - last > KEPT_S):
            last = time.monotonic()
            _keep(order, made, laid, part)
        if not went_on:
            return False
    return keep_going(LIT)


def _keep(order: BakeRequest, made: Baking, laid: UnwrappedTriangles, part: Path) -> None:
    arrays = {field_.name: getattr(laid, field_.name) for field_ in fields(UnwrappedTriangles)}
    arrays |= {"size": np.array(laid.size), "pages": np.array(laid.pages)}
    sums = {"sums": made.sums, "squares": made.squares, "samples": np.array(made.samples)}
    save_part(part, order.word, arrays | sums)


def _finished(order: BakeRequest, made: Baking, laid: UnwrappedTriangles, buried: Texels) -> BakedLight:
    texels, light = made.texels, made.light()
    if len(buried) and len(texels):
        nearest = beside(texels, buried)
        texels, light = texels.joined(buried), np.concatenate([light, light[nearest]])
    pages = cleaned(laid, texels, light, order.settings.denoised)
    settings = (order.settings.texels, order.settings.smallest, order.settings.paths)
    state = baked_state(order.scene)
    return BakedLight(laid, pages, order.straight, state, order.when, settings, made.noise, order.key)

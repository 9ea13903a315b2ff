"""The three ways of showing shafts, held against rays and each other: how far each is off, and its price."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from wallum.document.project import Project
from wallum.document.shaft_methods import WAYS, Way, why_not, with_way, without_shafts
from wallum.document.sources import CardSource, PocketSource, Source
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.cost import frame_cost
from wallum.judge.device import DeviceProfile
from wallum.judge.work import count_work
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.moment.resolved_look import ResolvedLook
from wallum.moment.scene import LitScene
from wallum.physics.card import card_along
from wallum.physics.colour import luminance
from wallum.physics.exposure import ev_for_luminance, exposure_scale
from wallum.physics.medium import AIR_END_M
from wallum.physics.tone import srgb_decode
from wallum.transport.direct.sheet_shares import screen_shafts_over
from wallum.transport.paths.air_lit import AirSegments, far_light, lamp_light, samples_along
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import SeenSurfaces

__all__ = [
    "MEASURED",
    "ShaftWay",
    "Subject",
    "apart",
    "by_rays",
    "compare_ways",
    "exposure_for",
    "looked_along",
    "read_off",
]

# Pictures are compared at this size; samples of each way for the reference.
MEASURED: Final = (96, 54)
TURNS: Final = 48
# Places beside each other are taken together, so that noise of the samples counts little.
BLUR: Final = 5
MAX_GAIN: Final = 30.0


@dataclass(frozen=True)
class ShaftWay:
    """One way: the project that shows it, and what is to be said of it.

    gain     : what it is multiplied with, to be as near to the true one as can be
    ms       : of a frame on the target with it, less without any shafts of the source
    off      : how far its light lies from that by rays, over all of that; None: not known yet
    refused  : why there is none
    alone    : of the true way, the source and air as `truth` (N,) has them by rays [cd/m2]
    """

    way: Way
    project: Project
    gain: float = 1.0
    ms: float = 0.0
    off: float | None = None
    refused: str = ""
    alone: LitScene | None = None
    truth: NDArray[np.float64] | None = None


@dataclass(frozen=True)
class Subject:
    """What is compared: shafts of a source of a project, at a moment, for a camera, on a target."""

    project: Project
    moment: Moment
    source: Source
    cards: tuple[CardSource, ...]
    camera: Camera
    rays: RayScene
    boxes: Boxes
    seen: SeenSurfaces
    profile: DeviceProfile


def looked_along(rays: RayScene, camera: Camera) -> AirSegments:
    """Ways (N) from a camera through the middles of MEASURED places, to what is seen."""
    width, height = MEASURED
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    directions = camera.rays(x.ravel(), y.ravel()).astype(np.float64)
    eye = np.array(camera.eye, dtype=np.float64)
    result = rays.first_visible(np.broadcast_to(eye, directions.shape), directions).distance
    return AirSegments(
        eye, directions, np.where(np.isfinite(result), np.minimum(result, AIR_END_M), AIR_END_M)
    )


def _alone(subject: Subject, scene: LitScene) -> LitScene:
    """A scene with its source alone, in air that has no light of its own."""
    alone = scene.only(subject.source.id)
    if alone.air is None:
        return alone
    dark = replace(
        alone.air,
        layers=tuple(replace(layer, own=(0.0, 0.0, 0.0)) for layer in alone.air.layers),
        pockets=tuple(replace(pocket, own=(0.0, 0.0, 0.0)) for pocket in alone.air.pockets),
    )
    return replace(alone, air=dark)


def by_rays(subject: Subject, alone: LitScene, ways: AirSegments) -> NDArray[np.float64]:
    """(N,) luminance that air shows of a source alone, by rays [cd/m2]."""
    if alone.air is None:
        return np.zeros(len(ways.lengths))
    rng, light = np.random.default_rng(11), np.zeros((len(ways.lengths), 3))
    for _ in range(TURNS):
        light += lamp_light(subject.rays, alone, ways, rng)
        for samples in samples_along(alone.air, ways, rng) if alone.sun is not None else ():
            light += far_light(subject.rays, alone, ways, samples, None, rng)
    return np.asarray(luminance(light / TURNS))


def exposure_for(truth: NDArray[np.float64]) -> float:
    """EV100 at which light (N,) is best read off a picture of 8 bits."""
    return ev_for_luminance(max(float(np.quantile(truth, 0.8)), 1e-6))


def read_off(picture: NDArray[np.uint8], look: ResolvedLook) -> NDArray[np.float64]:
    """(N,) luminance of a picture (H, W, 3) of 8 bits that was developed with a plain look [cd/m2]."""
    linear = look.curve.own.undone(srgb_decode(picture.astype(np.float64) / 255.0)) / exposure_scale(
        look.ev100
    )
    return np.asarray(luminance(linear.reshape(-1, 3)))


def _of_cards(subject: Subject, scene: LitScene, ways: AirSegments) -> NDArray[np.float64]:
    mine = {card.id for card in scene.cards} - {card.id for card in _plain(subject).cards}
    light = np.zeros((len(ways.lengths), 3))
    back = np.array(subject.camera.direction)
    for card in scene.cards:
        if card.id in mine:
            light += card_along(card, ways.start, ways.directions, ways.lengths, back)[0]
    return np.asarray(luminance(light))


def _plain(subject: Subject) -> LitScene:
    return evaluate(without_shafts(subject.project, subject.source), subject.moment)


def _without_volume(subject: Subject) -> LitScene:
    """The scene without shafts of the source, and no air lit place by place: what true ones cost more."""
    plain = without_shafts(subject.project, subject.source)
    clear = tuple(
        source.revised(on=False) if isinstance(source, PocketSource) else source for source in plain.sources
    )
    return evaluate(plain.revised(air=plain.air.revised(shafts=False), sources=clear), subject.moment)


def _of_screen(subject: Subject, scene: LitScene, ways: AirSegments) -> NDArray[np.float64]:
    sky = (np.asarray(ways.lengths) >= AIR_END_M).reshape(MEASURED[::-1])
    added, _ = screen_shafts_over(scene, subject.camera, MEASURED, sky)
    return np.asarray(luminance(added).ravel())


def apart(light: NDArray[np.float64], truth: NDArray[np.float64]) -> float:
    """How far one picture of light (N,) lies from another, over all of that."""
    shape = MEASURED[::-1]
    item, other = (uniform_filter(part.reshape(shape), BLUR) for part in (light, truth))
    return float(np.abs(item - other).sum() / max(float(other.sum()), 1e-12))


def _fitted(light: NDArray[np.float64], truth: NDArray[np.float64]) -> float:
    """By what a picture of light is multiplied to lie as near to another as can be, by the sum of what they
    are apart: the median of their ratios, each by its light."""
    shape = MEASURED[::-1]
    item, other = (uniform_filter(part.reshape(shape), BLUR).ravel() for part in (light, truth))
    rows = np.flatnonzero(item > 1e-6 * item.max()) if item.any() else np.zeros(0, int)
    if not len(rows) or not other.any():
        return 1.0
    ratios = other[rows] / item[rows]
    order = np.argsort(ratios)
    weights = np.cumsum(item[rows][order])
    gain = float(ratios[order][np.searchsorted(weights, 0.5 * weights[-1])])
    # What hardly shows here is left as it is: it cannot stand for the true one.
    return gain if 1.0 / MAX_GAIN < gain < MAX_GAIN else 1.0


def _ms(subject: Subject, scene: LitScene) -> float:
    target = subject.project.target
    work = count_work(
        PassWork(subject.boxes, scene, subject.seen, subject.camera, (target.width, target.height))
    )
    return frame_cost(work, target, subject.profile).frame_ms


def compare_ways(subject: Subject) -> Iterator[ShaftWay]:
    """Each way in turn, fitted to the true one. How far the true one is off is left to who draws it."""
    project, source, moment = subject.project, subject.source, subject.moment
    true = with_way(project, source, "true", ())
    scene = evaluate(true, moment)
    ways = looked_along(subject.rays, subject.camera)
    alone = _alone(subject, scene)
    truth = by_rays(subject, alone, ways)
    without = _ms(subject, _plain(subject))
    of_way: dict[Way, Callable[[Subject, LitScene, AirSegments], NDArray[np.float64]]] = {
        "screen": _of_screen, "card": _of_cards,
    }  # fmt: skip
    for way in WAYS:
        refused = why_not(project, source, way, subject.cards)
        if refused:
            yield ShaftWay(way, project, refused=refused)
            continue
        if way == "true":
            ms = _ms(subject, scene) - _ms(subject, _without_volume(subject))
            yield ShaftWay(way, true, ms=ms, alone=alone, truth=truth)
            continue
        light = of_way[way](subject, evaluate(with_way(project, source, way, subject.cards), moment), ways)
        gain = _fitted(light, truth)
        built = with_way(project, source, way, subject.cards, gain)
        shown = evaluate(built, moment)
        yield ShaftWay(way, built, gain, _ms(subject, shown) - without, apart(light * gain, truth))

"""Banding: contour steps in smooth areas of a developed picture, and what causes them.

Where one sees bands, the picture goes on in even steps with flat parts between: each a jump of a few of the
256 values along a line, several of them one after the other. Dither, a pattern that repeats every 8 pixels,
is taken out by means over squares of that size.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import find_objects, label, uniform_filter

from wallum.document.lanes import format_clock
from wallum.document.project import Project
from wallum.document.sources import SkySource
from wallum.judge.findings import Finding, Remedy
from wallum.judge.look_checks import is_plain, steepened
from wallum.level.model.model import Level
from wallum.moment.camera import Camera
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.physics.colour import luminance
from wallum.physics.medium import AIR_END_M
from wallum.transport.paths.air_between import air_parts
from wallum.transport.scene.rays import RayScene

__all__ = ["BandingPicture", "Bands", "banding", "bands_in"]

DITHER_PX: Final = 8
# Windows beside a step: from so far to so far away.
NEAR_PX, FAR_PX = 6, 20
# A step has between so many of the 256 values; the parts beside it slope less, by the pixel.
MIN_STEP, MAX_STEP, MAX_SLOPE = 0.6, 6.0, 0.035
# A contour is at least so long; so many make bands.
MIN_PX, MIN_CONTOURS = 40, 5
# So many times steeper than none a look is named as the cause.
STEEP: Final = 1.6
LUMA: Final = np.array([0.2126, 0.7152, 0.0722])
WORDS: Final = {
    "grade": "the grade, which spreads few values far apart",
    "air": "the air's light",
    "sky": "the sky",
    "picture": "the sky's picture, of 8 bits a channel",
}


@dataclass(frozen=True)
class BandingPicture:
    """A developed picture, (H, W, 3) 8 bits, of a place by its words, with what it shows."""

    where: str
    rgb: NDArray[np.uint8]
    camera: Camera
    moment: Moment
    scene: LitScene


@dataclass(frozen=True)
class Bands:
    """Contours of steps: how many, and their pixels (N, 2) as row and column."""

    contours: int
    pixels: NDArray[np.int64]


def _steps(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """(H, W) signed steps along rows between flat parts, 0 where there are none."""

    def shifted(by: int) -> NDArray[np.float64]:
        return np.roll(values, -by, axis=1)

    before, after = (shifted(-NEAR_PX), shifted(-FAR_PX)), (shifted(NEAR_PX), shifted(FAR_PX))
    wide = FAR_PX - NEAR_PX
    slope_before, slope_after = (before[0] - before[1]) / wide, (after[1] - after[0]) / wide
    jump = after[0] - before[0] - (slope_before + slope_after) * NEAR_PX
    flat = np.maximum(np.abs(slope_before), np.abs(slope_after)) < MAX_SLOPE
    there = flat & (np.abs(jump) > MIN_STEP) & (np.abs(jump) < MAX_STEP)
    there[:, :FAR_PX] = there[:, -FAR_PX:] = False
    return np.where(there, jump, 0.0)


def bands_in(rgb: NDArray[np.uint8]) -> Bands:
    """Bands of a picture (H, W, 3)."""
    grey = rgb.astype(np.float64) @ LUMA
    smooth = uniform_filter(grey, DITHER_PX)
    # Where it is busy there are no contours that one would see.
    rough = np.sqrt(
        np.maximum(uniform_filter(grey**2, 3 * DITHER_PX) - uniform_filter(grey, 3 * DITHER_PX) ** 2, 0.0)
    )
    result, places = 0, []
    for values, turned in ((smooth, False), (smooth.T, True)):
        steps = _steps(values)
        steps[(rough.T if turned else rough) > MAX_STEP] = 0.0
        for sign in (1.0, -1.0):
            named, count = label(steps * sign > 0.0, structure=np.ones((3, 3)))
            for number, box in enumerate(find_objects(named), start=1):
                if box is not None and box[0].stop - box[0].start >= MIN_PX:
                    result += 1
                    rows, columns = np.nonzero(named[box] == number)
                    here = np.stack([rows + box[0].start, columns + box[1].start], axis=1)
                    places.append(here[:, ::-1] if turned else here)
            assert count >= 0
    pixels = np.concatenate(places) if places else np.zeros((0, 2), int)
    return Bands(result, pixels)


def banding(
    project: Project, level: Level, rays: RayScene, pictures: list[BandingPicture]
) -> Iterator[Finding]:
    """Pictures that show bands, and what causes them."""
    for picture in pictures:
        bands = bands_in(picture.rgb)
        if bands.contours < MIN_CONTOURS:
            continue
        cause = _of_grade(picture, bands) or _cause(picture, bands, level, rays)
        share = len(bands.pixels) / (picture.rgb.shape[0] * picture.rgb.shape[1])
        text = (
            f"{bands.contours} contour steps over {share:.1%} of the picture at "
            f"{format_clock(picture.moment.clock)}, by {WORDS.get(cause, cause)}"
        )
        yield Finding("banding", picture.where, "note", text, _remedy(project, cause, picture))


def _of_grade(pictured: BandingPicture, bands: Bands) -> str:
    """That it is the grade; empty where the look is no steeper than others there."""
    rows = bands.pixels[:: max(len(bands.pixels) // 400, 1)]
    greys = pictured.rgb[rows[:, 0], rows[:, 1]].astype(np.float64) @ LUMA / 255.0
    plain = is_plain(pictured.scene.look)
    return "" if plain or steepened(pictured.scene.look, greys) < STEEP else "grade"


def _cause(pictured: BandingPicture, bands: Bands, level: Level, rays: RayScene) -> str:
    """What most pixels of bands show: the air, the sky, or a part by its name."""
    rows = bands.pixels[:: max(len(bands.pixels) // 400, 1)]
    height, width = pictured.rgb.shape[:2]
    directions = pictured.camera.rays((rows[:, 1] + 0.5) / width, (rows[:, 0] + 0.5) / height).astype(
        np.float64
    )
    eye = np.array(pictured.camera.eye)
    hits = rays.first_visible(np.broadcast_to(eye, directions.shape), directions)
    seen = np.isfinite(hits.distance)
    far = np.where(seen, hits.distance, AIR_END_M).astype(np.float64)
    if pictured.scene.air is not None:
        selected, added = air_parts(pictured.scene, eye, directions, far)
        if float(luminance(1.0 - selected).mean()) > 0.5 and any(part.any() for part in added.values()):
            return "air"
    if seen.mean() < 0.5:
        picture = pictured.scene.sky is not None and pictured.scene.sky.picture is not None
        return "picture" if picture else "sky"
    parts = rays.triangles.part[hits.triangle[seen]]
    return level.parts[int(np.bincount(parts).argmax())].name


def _remedy(project: Project, cause: str, pictured: BandingPicture) -> Remedy | None:
    if cause == "grade":
        values = {"look/contrast": 1.0, "look/lift": 0.0}
        return Remedy("contrast and lift back to none, or grain over it", values, pictured.moment)
    if cause == "air" and project.air.on and project.air.shafts:
        reach = round(0.5 * project.air.reach, 1)
        return Remedy(
            "shafts of half the reach have slices twice as fine",
            {"air/reach": max(reach, 2.0)},
            pictured.moment,
        )
    sky = next((s for s in project.resolved_sources if isinstance(s, SkySource)), None)
    if cause == "picture" and sky is not None:
        return Remedy("take a picture of more than 8 bits, EXR or HDR", {})
    return None

"""Banding: found where a gradient goes on in steps, and nowhere else."""

import numpy as np
import pytest
from level_shapes import grey_level

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.judge.banding import BandingPicture, banding, bands_in
from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.tone import bayer_matrix
from wallum.transport.scene.rays import RayScene

SIZE = (270, 480)
CAMERA = Camera((0.0, 2.0, 10.0), (0.0, 0.2, -1.0), 50.0, 16 / 9, far=300.0)


def _gradient(across, low=90.0, high=104.0):
    y, x = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    share = x / SIZE[1] if across else y / SIZE[0]
    return low + (high - low) * share


def _eight_bits(values, dithered=False):
    if dithered:
        thresholds = np.tile(bayer_matrix(3), (-(-SIZE[0] // 8), SIZE[1] // 8))[: SIZE[0]]
        values = values + thresholds - 0.5
    return np.repeat(np.round(values).astype(np.uint8)[..., None], 3, axis=2)


@pytest.mark.parametrize(("across", "high"), [(True, 104.0), (False, 97.0)])
def test_a_gradient_that_goes_in_steps_has_as_many_bands_as_steps(across, high):
    bands = bands_in(_eight_bits(_gradient(across, high=high)))
    assert bands.contours == pytest.approx(high - 90.0, abs=2)


@pytest.mark.parametrize("across", [True, False])
def test_dithered_it_has_none(across):
    assert bands_in(_eight_bits(_gradient(across), dithered=True)).contours == 0


def test_steps_that_were_there_before_dither_are_found():
    # As from a sky picture of few values: dither does not mend what came in steps.
    values = np.round(_gradient(True) / 3.0) * 3.0
    assert bands_in(_eight_bits(values, dithered=True)).contours >= 3


def test_edges_textures_and_noise_are_no_bands():
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    edge = np.where(x > 200, 140.0, 90.0)
    checks = 100.0 + 20.0 * ((x // 12 + y // 12) % 2)
    noise = _gradient(True) + rng.normal(0.0, 4.0, SIZE)
    soft = 90.0 + 60.0 / (1.0 + np.exp(-(x - 240.0) / 25.0))
    for picture in (edge, checks, noise, soft):
        assert bands_in(_eight_bits(picture, dithered=True)).contours < 3


def _pictured(rgb, camera=CAMERA):
    scene = evaluate(Project(sources=base_light(), look=Look(ev100=13.0)))
    return BandingPicture("shots/one", rgb, camera, Moment(10.0), scene)


def test_a_finding_names_how_many_where_and_what_causes_them():
    level = grey_level(box((-500.0, -0.2, -500.0), (500.0, 0.0, 500.0), 0))
    rays = RayScene(level, flatten(level))
    stepped = _eight_bits(_gradient(True))
    (up,) = banding(Project(sources=base_light()), level, rays, [_pictured(stepped)])
    assert up.kind == "banding"
    assert up.where == "shots/one"
    assert "by the sky" in up.text
    down = Camera((0.0, 2.0, 10.0), (0.0, -1.0, -0.2), 50.0, 16 / 9, far=300.0)
    (ground,) = banding(Project(sources=base_light()), level, rays, [_pictured(stepped, down)])
    assert level.parts[0].name in ground.text
    clean = _eight_bits(_gradient(True), dithered=True)
    assert list(banding(Project(sources=base_light()), level, rays, [_pictured(clean)])) == []


def test_a_grade_that_spreads_few_values_apart_is_the_cause():
    level = grey_level(box((-500.0, -0.2, -500.0), (500.0, 0.0, 500.0), 0))
    rays = RayScene(level, flatten(level))
    stepped = _eight_bits(_gradient(True))
    for contrast, named in ((3.0, True), (1.05, False)):
        look = Look(ev100=13.0, contrast=contrast)
        scene = evaluate(Project(sources=base_light(), look=look))
        picture = BandingPicture("shots/one", stepped, CAMERA, Moment(10.0), scene)
        (result,) = banding(Project(sources=base_light(), look=look), level, rays, [picture])
        assert ("by the grade" in result.text) is named
        if named:
            assert result.remedy.values["look/contrast"] == 1.0

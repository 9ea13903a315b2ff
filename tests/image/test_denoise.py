"""Noise taken out of pictures of few paths, by either filter."""

import numpy as np
import pytest

from wallum.image import denoise
from wallum.image.denoise import denoised, denoiser
from wallum.image.edge_avoiding import edge_avoiding
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene

FILTERS = (denoised, edge_avoiding)
SIZE = (120, 80)


@pytest.fixture(scope="module")
def room_pictures():
    """The pale room from 4 and from 96 paths, and what it shows."""
    level, rays = pale_room(), None
    rays = RayScene(level, flatten(level))
    camera = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 1.5, far=50.0)
    reference = Reference(rays, level, evaluate(pale_room_project()), camera, SIZE, 2)
    pictures = []
    for paths in (4, 96):
        while reference.samples < paths:
            reference.step()
        pictures.append((reference.luminance, reference.guides))
    return pictures


def off(picture, true):
    """Mean share that the pixels are off, of those with light."""
    seen, right = luminance(picture), luminance(true)
    lit = right > 0.02 * right.mean()
    return float((np.abs(seen - right) / right)[lit].mean())


@pytest.mark.parametrize("filtered", FILTERS)
def test_it_is_nearer_to_the_truth_than_what_it_was_given(filtered, room_pictures):
    (few, guides), (many, _) = room_pictures
    clean = filtered(few, *guides)
    assert off(clean, many) < 0.6 * off(few, many)
    assert luminance(clean).mean() == pytest.approx(luminance(many).mean(), rel=0.03)


@pytest.mark.parametrize("filtered", FILTERS)
@pytest.mark.parametrize("scale", [1e-4, 1.0, 1e5])
def test_even_light_stays_and_the_unit_does_not_matter(filtered, scale, rng):
    albedo, normals = np.full((64, 48, 3), 0.5), np.tile([0.0, 1.0, 0.0], (64, 48, 1))
    light = scale * (1.0 + 0.2 * rng.standard_normal((64, 48, 3)))
    clean = filtered(light, albedo, normals)
    assert clean.mean() == pytest.approx(scale, rel=0.02)
    assert clean.std() < 0.08 * scale


@pytest.mark.parametrize("filtered", FILTERS)
def test_an_edge_of_the_surface_stays_where_it_is(filtered, rng):
    albedo = np.where(np.arange(64)[None, :, None] < 32, 0.2, 0.8) * np.ones((64, 64, 3))
    light = albedo * (1.0 + 0.3 * rng.standard_normal((64, 64, 3)))
    clean = luminance(filtered(light, albedo, np.tile([0.0, 0.0, 1.0], (64, 64, 1)))).mean(axis=0)
    assert clean[30] == pytest.approx(0.2, rel=0.1)
    assert clean[33] == pytest.approx(0.8, rel=0.1)


def test_where_the_package_is_missing_the_other_filter_serves_and_says_so(monkeypatch):
    monkeypatch.setattr(denoise, "_open_image_denoise", lambda: None)
    assert denoiser((32, 32, 3)) == "an edge-avoiding filter"
    light, flat = np.random.default_rng(1).random((32, 32, 3)), np.ones((32, 32, 3))
    assert np.array_equal(denoised(light, flat, flat), edge_avoiding(light, flat, flat))


def test_a_picture_too_small_for_the_package_has_its_noise_taken_out_too():
    light = 1.0 + np.random.default_rng(1).random((5, 7, 3))
    clean = denoised(light, np.ones((5, 7, 3)), np.ones((5, 7, 3)))
    assert clean.mean() == pytest.approx(light.mean(), rel=0.05)
    assert clean.std() < 0.5 * light.std()
    assert denoiser(light.shape) == "an edge-avoiding filter"

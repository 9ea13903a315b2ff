"""Small bright surfaces as few rays of others meet them, and as they light those: the law of distance."""

import numpy as np
import pytest
from level_shapes import grey_level, slabs_about

from wallum.level.model.flatten import flatten
from wallum.transport.field.bounce import smoothing
from wallum.transport.field.bright import bright_light
from wallum.transport.field.cast import cast
from wallum.transport.field.placing import place_probes
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

FEW = 72
LIT, FARTHER = (2.0, 1.5, 0.0), 5.0  # a patch of the end of a hall, and what lies so far from it [m]
SENT_LX = 10_000.0


@pytest.fixture(scope="module")
def hall():
    """Two closed halls end to end: the rays, the probes, and what few rays of theirs say."""
    shapes = slabs_about((0.0, 0.0, 0.0), (4.0, 3.0, 14.0), 0.1)
    level = grey_level(*shapes, *slabs_about((0.0, 0.0, 14.3), (4.0, 3.0, 18.0), 0.1))
    rays = RayScene(level, flatten(level))
    tables = SurfaceTables(level, rays.triangles)
    probes = list(place_probes(rays, tables, level.bounds, ()))[-1]
    return rays, probes, list(cast(rays, tables, probes, FEW))[-1].others


def _patch(probes):
    away = np.linalg.norm(probes.places - np.array(LIT, np.float32), axis=1)
    return np.flatnonzero((away < 0.5) & (probes.normals[:, 2] > 0.9))


def _found(hall, sent):
    rays, probes, others = hall
    straight = np.zeros(len(probes), np.float32)
    more = bright_light(rays, probes, others, smoothing(probes), FEW, straight, sent)
    return others @ sent, more


def test_a_small_bright_patch_lights_a_hall_by_the_law_of_distance(hall):
    """As a small source of its flux at its middle, to a few hundredths; by few rays alone most have none of it."""
    _, probes, _ = hall
    patch, sent = _patch(probes), np.zeros((len(probes), 3), np.float32)
    assert len(patch) > 0
    sent[patch] = SENT_LX
    by_rays, more = _found(hall, sent)
    flux = SENT_LX * float(probes.area[patch].sum())
    offsets = probes.places[patch].mean(axis=0) - probes.places
    far = np.linalg.norm(offsets, axis=1)
    own, its = (offsets * probes.normals).sum(axis=1) / far, -offsets[:, 2] / far
    wanted = flux * np.maximum(own, 0.0) * its / (np.pi * far**2)
    inside = ((probes.places > -0.01) & (probes.places < [4.01, 3.01, 14.01])).all(axis=1) & (far > FARTHER)
    lit = inside & (wanted > 0.2 * wanted[inside].max())
    assert lit.sum() > 40
    off = np.abs((by_rays + more)[lit, 0] / wanted[lit] - 1.0)
    assert np.median(off) < 0.05
    assert np.quantile(off, 0.9) < 0.15
    assert (by_rays[lit, 0] == 0.0).mean() > 0.5


def test_none_of_it_gets_through_a_wall(hall):
    _, probes, _ = hall
    sent = np.zeros((len(probes), 3), np.float32)
    sent[_patch(probes)] = SENT_LX
    by_rays, more = _found(hall, sent)
    beyond = probes.places[:, 2] > 14.25
    assert beyond.sum() > 50
    assert np.abs((by_rays + more)[beyond]).max() == 0.0


def test_even_light_is_left_to_rays(hall):
    """A white furnace keeps its light: nothing in it is bright beside the rest."""
    _, more = _found(hall, np.full((len(hall[1]), 3), 100.0, np.float32))
    assert np.abs(more).max() == 0.0

"""Edges of the picture as it is delivered: the filter is its twin's, both ways come nearer to the settled picture,
and that stays as it is."""

import numpy as np
import pytest
from twins.edge_smoothing import smoothed

from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.offline import render_picture
from wallum.realtime.process.request import PictureRequest

SIZE = (160, 90)
CAMERA = Camera((2.4, 1.7, 3.4), (-0.55, -0.25, -0.8), 65.0, SIZE[0] / SIZE[1], far=60.0)


@pytest.fixture
def drawn(renderer):
    """A picture by how its edges are smoothed."""
    renderer.set_level(bundle_level(pale_room()))

    def draw(edges, settle=False):
        room = pale_room_project()
        return render_picture(room, pale_room(), CAMERA, SIZE, settle, renderer, edges=edges).rgb

    return draw


def test_the_filter_is_its_twin(drawn):
    off = np.abs(drawn("filter").astype(int) - smoothed(drawn("none")).astype(int))
    assert (off > 1).mean() < 2e-3
    assert not np.array_equal(drawn("filter"), drawn("none"))


def test_both_ways_come_nearer_to_the_settled_picture_where_there_are_edges(drawn):
    settled = drawn("none", settle=True).astype(int)
    plain = drawn("none")
    changed = np.abs(smoothed(plain).astype(int) - plain).max(axis=2) > 8
    assert changed.sum() > 100
    off = {
        name: np.abs(drawn(name).astype(int) - settled)[changed].mean()
        for name in ("none", "filter", "samples")
    }
    assert off["filter"] < 0.8 * off["none"]
    assert off["samples"] < 0.8 * off["none"]


@pytest.mark.parametrize("edges", ["filter", "samples"])
def test_settled_pictures_stay_as_they_are(drawn, edges):
    assert np.array_equal(drawn(edges, settle=True), drawn("none", settle=True))


def test_a_picture_settles_no_further_than_it_is_asked_to(renderer):
    renderer.set_level(bundle_level(pale_room()))
    request = PictureRequest(1, evaluate(pale_room_project()), CAMERA, SIZE, settle=True, most=4)
    renderer.settler.begin(request)
    while not renderer.settler.done:
        for _ in renderer.refine():
            pass
    assert renderer.settler.count == 4
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    assert renderer.read_into(request, 4, out).delivered

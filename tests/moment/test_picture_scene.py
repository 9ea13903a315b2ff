"""What a camera shows: a value of the project, the moment and the camera, and of nothing else."""

import numpy as np
import pytest

from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import FiredCue, Moment, own_moment
from wallum.moment.picture_scene import picture_scene

CAMERA = Camera((0.0, 1.0, 0.0), (0.0, 0.0, -1.0), 50.0, 1.0, far=100.0)
BEFORE = PointSource(id="before", name="Before", position=(0.0, 1.0, -5.0), range=3.0)
BEHIND = PointSource(id="behind", name="Behind", position=(0.0, 1.0, 9.0), range=3.0)
ASIDE = SpotSource(
    id="aside", name="Aside", position=(-9.0, 1.0, -8.0), direction=(-1.0, 0.0, 0.0), range=6.0
)
PROJECT = Project(sources=(BEFORE, BEHIND, ASIDE))


def test_lamps_that_light_nothing_in_the_picture_are_left_out():
    scene = picture_scene(PROJECT, Moment(12.0), CAMERA, (100, 100))
    assert scene.lamps.ids == ("before",)
    whole = evaluate(PROJECT, Moment(12.0))
    assert np.array_equal(scene.lamps.rows, whole.lamps.rows[:1])


def test_light_by_way_of_other_surfaces_needs_them_all():
    scene = picture_scene(PROJECT, Moment(12.0), CAMERA, (100, 100), indirect=True)
    assert scene.lamps.ids == ("before", "behind", "aside")


def test_the_pictures_own_width_counts():
    at_the_side = PROJECT.revised(sources=(BEFORE.revised(position=(7.0, 1.0, -6.0), range=2.0),))
    narrow, wide = (picture_scene(at_the_side, Moment(12.0), CAMERA, (w, 100)) for w in (100, 300))
    assert narrow.lamps.ids == ()
    assert wide.lamps.ids == ("before",)


@pytest.mark.parametrize("more", [{}, {"play_s": 40.0}, {"cues": (FiredCue("dusk", 3.0),)}, {"tier": "low"}])
def test_a_moment_is_a_value(more):
    moment = Moment(18.5, **more)
    assert moment == Moment(18.5, **more)
    assert hash(moment) == hash(Moment(18.5, **more))
    assert moment.at(3.0).clock == 3.0
    assert moment.at(3.0).at(18.5) == moment
    assert own_moment(PROJECT) == Moment(PROJECT.setting.clock)

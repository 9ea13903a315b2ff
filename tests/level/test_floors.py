"""What a level's floors send back."""

import numpy as np
import pytest

from wallum.level.demos.pale_room import pale_room
from wallum.level.model.flatten import flatten
from wallum.level.model.floors import floor_albedo
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import grid
from wallum.level.opening import new_project, on_floors
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance


def albedo_of(level):
    return floor_albedo(level, flatten(level))


def floor(materials, wide=(1.0,)):
    meshes = []
    for number, width in enumerate(wide):
        x, z = np.meshgrid([0.0, width], [0.0, 1.0])
        meshes.append(Mesh(f"m{number}", (grid(np.stack([x, 0 * x, z], axis=-1)[::-1], number),)))
    parts = tuple(Part(m.name, m.name, i, np.eye(4)) for i, m in enumerate(meshes))
    return Level("floor", tuple(meshes), parts, materials)


def material(colour, metallic=0.0):
    return Material("m", (*colour, 1.0), metallic, 1.0)


def test_floors_count_by_their_area():
    red, grey = material((0.6, 0.1, 0.1)), material((0.3, 0.3, 0.3))
    assert albedo_of(floor((red,))) == pytest.approx([0.6, 0.1, 0.1])
    mixed = albedo_of(floor((red, grey), (1.0, 3.0)))
    assert mixed == pytest.approx([0.375, 0.25, 0.25])


def test_walls_metal_and_nothing_say_nothing():
    assert albedo_of(Level("empty")) == pytest.approx([0.2] * 3)
    assert albedo_of(floor((material((0.9, 0.9, 0.9), 1.0),))) == pytest.approx([0.2] * 3)
    assert 0.05 < albedo_of(pale_room()).mean() < 0.9


def test_far_ground_takes_after_them_where_it_is_to_and_only_there():
    level = floor((material((0.5, 0.2, 0.1)),))
    project = new_project(level, "")
    assert project.floors == (0.5, 0.2, 0.1)
    by_level = evaluate(project, Moment(12.0)).sky.ground
    share = float(luminance(np.array(project.floors)))
    chosen = project.with_source(project.source("sky").revised(ground_by="choice", ground=share))
    by_choice = evaluate(chosen, Moment(12.0)).sky.ground
    assert by_level / by_choice == pytest.approx(np.array(project.floors) / share)
    assert on_floors(chosen, level) is chosen

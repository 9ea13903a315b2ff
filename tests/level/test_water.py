"""Water as a surface: its ripples repeat, it lies where the part lay, and mirrors what is over it."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.look import Look
from wallum.document.project import PartMarks, Project, Setting, base_light
from wallum.level.model.level_overrides import dress_of, dressed
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import grid
from wallum.level.model.water import RIPPLES_M, STEEPNESS, ripple_picture
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.realtime.process.offline import render_picture, renderer_for


def pond():
    line = np.linspace(-40.0, 40.0, 5)
    x, z = np.meshgrid(line, line)
    mesh = Mesh("pond", (grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0),))
    turned = np.eye(4)
    turned[:3, 3] = (3.0, 0.5, 0.0)
    return Level(
        "pond",
        (mesh,),
        (Part("pond", "pond", 0, turned),),
        (Material("earth", (0.4, 0.3, 0.2, 1.0), 0.0, 1.0),),
    )


MARKED = Project(marks=(PartMarks(part="pond", water=True),))


def test_the_ripples_repeat_and_are_as_steep_as_stated():
    pixels = ripple_picture().pixels[..., :3] / 127.5 - 1.0
    slopes = pixels[..., :2] / pixels[..., 2:]
    assert np.sqrt((slopes**2).sum(axis=-1).mean() / 2.0) == pytest.approx(STEEPNESS, rel=0.05)
    assert np.abs(slopes.mean(axis=(0, 1))).max() < 0.01
    inside = np.abs(np.diff(slopes, axis=1)).mean()
    assert np.abs(slopes[:, 0] - slopes[:, -1]).mean() < 1.5 * inside


def test_a_marked_part_is_water_where_it_lay_and_others_stay():
    level = pond()
    wet = dressed(level, dress_of(MARKED))
    assert wet.materials[wet.meshes[wet.parts[0].mesh].primitives[0].material].name == "water"
    assert wet.bounds == pytest.approx(level.bounds)
    (primitive,) = wet.meshes[wet.parts[0].mesh].primitives
    assert primitive.normals == pytest.approx(np.tile([0.0, 1.0, 0.0], (len(primitive.normals), 1)))
    assert np.ptp(primitive.uv0[:, 0]) == pytest.approx(80.0 / RIPPLES_M)
    assert level.meshes[0].primitives[0].material == 0
    assert dressed(level, dress_of(Project())) is level


def test_water_mirrors_the_sky_that_is_over_it_and_glitters_toward_the_sun():
    desert = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12")
    sun, moon, sky = base_light()
    project = MARKED.revised(
        setting=desert.revised(clock=16.5), sources=(sun, moon, sky), look=Look(ev100=13.0)
    )
    level = dressed(pond(), dress_of(project))
    renderer = renderer_for(project, level)
    toward = evaluate(project).sun.direction
    away = -np.array([toward[0], 0.0, toward[2]])

    def seen(direction, **changes):
        camera = Camera((3.0, 2.2, 0.0), tuple(direction), 24.0, 16 / 9, far=400.0)
        light = render_picture(
            project.revised(**changes), level, camera, (160, 90), False, renderer
        ).luminance
        return luminance(light.astype(np.float64))

    ahead = seen((toward[0], -0.35, toward[2]))
    behind = seen((away[0], -0.35, away[2]))
    assert ahead.max() > 20.0 * np.median(behind)
    # With another sky it shows another light.
    red = sky.revised(
        model="gradient", zenith=(0.9, 0.05, 0.05), middle=(0.9, 0.05, 0.05), horizon=(0.9, 0.05, 0.05)
    )
    camera = Camera((3.0, 2.2, 0.0), tuple(away - 0.35 * np.array([0.0, 1.0, 0.0])), 24.0, 16 / 9, far=400.0)
    scene_project = project.revised(sources=(replace_off(sun), replace_off(moon), red))
    light = render_picture(scene_project, level, camera, (160, 90), False, renderer).luminance
    assert light[..., 0].mean() > 5.0 * light[..., 2].mean()


def replace_off(source):
    return source.revised(on=False)


def test_dress_of_two_equal_projects_is_equal():
    assert dress_of(MARKED) == dress_of(Project(marks=(PartMarks(part="pond", water=True),)))
    assert replace(dress_of(MARKED), water=frozenset()) == dress_of(Project())

"""What checks notice of the air, and that their remedies help."""

import pytest
from level_shapes import level_of
from test_cost_and_checks import checked, setting  # noqa: F401  (a fixture)

from wallum.document.air import Air, Mist
from wallum.document.look import Look
from wallum.document.project import PartMarks, Project
from wallum.document.sources import PocketSource, PointSource
from wallum.frame.pass_work import Boxes
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Material
from wallum.level.model.solids import box
from wallum.realtime.level.bundling import chunk_boxes
from wallum.transport.scene.rays import RayScene

LAMP = PointSource(id="p", name="P", position=(0.0, 1.5, 0.0), intensity=50.0, range=9.0)


def found(setting, project, kind):  # noqa: F811
    return [item for item in checked(setting, project) if item.kind == kind]


def _helps(setting, project, kind):  # noqa: F811
    findings = found(setting, project, kind)
    assert len(findings) >= 1
    assert findings[0].remedy is not None
    for finding in findings:
        project = finding.remedy.applied(project)
    return found(setting, project, kind)


def _project(level, **more):
    part = level.parts[-1].id
    marks = (PartMarks(part=part, hero=True),)
    return Project(look=Look(ev100=6.0), sources=(LAMP,), marks=marks, **more)


def test_clear_air_is_not_found_fault_with(setting):  # noqa: F811
    kinds = {item.kind for item in checked(setting, _project(setting[0]))}
    air = {"hero in fog", "shafts cut short", "lit air", "level under its fog", "light behind a wall"}
    assert not kinds & air


@pytest.mark.parametrize("by_pocket", [False, True])
def test_a_hero_in_fog(setting, by_pocket):  # noqa: F811
    thick = Air(on=True, visibility=5.0, base_height=50.0)
    project = _project(setting[0], air=thick)
    if by_pocket:
        pocket = PocketSource(
            id="k", name="K", position=(0.0, 1.0, 0.0), size=(9.0, 9.0, 9.0), visibility=5.0
        )
        project = _project(setting[0]).with_source(pocket)
    assert not _helps(setting, project, "hero in fog")


def test_shafts_that_end_too_near(setting):  # noqa: F811
    air = Air(on=True, visibility=12.0, base_height=50.0, reach=2.0)
    assert not _helps(setting, _project(setting[0], air=air), "shafts cut short")


def test_a_level_that_lies_under_its_fog(setting):  # noqa: F811
    for name, layer in (("air", Air), ("mist", Mist)):
        project = _project(setting[0], **{name: layer(on=True, visibility=800.0, base_height=40.0)})
        assert not _helps(setting, project, "level under its fog")


def test_lit_air_that_outshines_the_lamps(setting):  # noqa: F811
    air = Air(on=True, visibility=40.0, base_height=20.0, own_light=300.0)
    assert not _helps(setting, _project(setting[0], air=air), "lit air")


def test_lamps_that_light_air_behind_a_wall_are_one_finding():
    wall = box((-8.0, 0.0, -0.05), (8.0, 5.0, 0.05), 0)
    level = level_of(wall, Material("grey", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0))
    flat = flatten(level)
    walled = level, RayScene(level, flat), Boxes(*chunk_boxes(level, flat))
    lamps = tuple(LAMP.revised(id=f"l{n}", name=f"L {n}", position=(n, 1.5, 1.0)) for n in range(4))
    project = Project(look=Look(ev100=6.0), sources=lamps, air=Air(on=True, visibility=900.0))
    here = found(walled, project, "light behind a wall")
    assert len(here) == 1
    assert "4 lamps" in here[0].text
    assert "and 1 more" in here[0].text
    assert not _helps(walled, project, "light behind a wall")
    assert not found(walled, project.revised(air=Air()), "light behind a wall")

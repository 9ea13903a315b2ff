"""Findings about baked light: each is there when it should be, and gone after its remedy."""

import numpy as np
import pytest
from set_lights import plain_sky

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.baked_checks import baked_light
from wallum.judge.cost import frame_cost
from wallum.judge.device import load_profile
from wallum.judge.work import count_work, with_baked
from wallum.level.demos.pale_room import pale_room
from wallum.level.model.flatten import flatten
from wallum.level.model.unwrapping import UnwrappedTriangles
from wallum.moment.baked import baked_state, still_alone
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.static_sources import still_ids
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces


def project_of(**more):
    inputs = {"id": "lamp", "name": "Kiln lamp", "position": (0.0, 2.0, 0.0), "intensity": 80.0}
    lamp = PointSource(**{**inputs, **more})
    return Project(sources=(lamp, plain_sky()), look=Look(indirect="lightmaps"))


def baked_as(project, triangles=0, straight=False):
    state = baked_state(still_alone(evaluate(project), still_ids(project)))
    faces = np.arange(3 * triangles, dtype=np.uint32).reshape(-1, 3)
    corners = np.zeros((3 * triangles, 2), np.float32)
    numbers = np.arange(triangles)
    laid = UnwrappedTriangles(
        numbers,
        np.zeros(3 * triangles, np.int64),
        corners,
        np.zeros(3 * triangles, np.int32),
        faces,
        (64, 64),
        1,
    )
    return BakedLight(
        laid, np.zeros((1, 64, 64, 3), np.float32), straight, state, "12:00", (4.0, 2.0, 64), 0.1, "key"
    )  # fmt: skip


def test_what_is_as_it_was_baked_is_no_finding():
    project = project_of()
    assert list(baked_light(project, baked_as(project), fits=True)) == []


@pytest.mark.parametrize("there", [False, True])
def test_nothing_to_show_is_an_error_and_probes_help(there):
    project = project_of()
    (result,) = baked_light(project, baked_as(project) if there else None, fits=False)
    assert result.grade == "error"
    assert ("another" in result.text) == there
    assert list(baked_light(result.remedy.applied(project), None, fits=False)) == []


def test_a_source_that_changed_is_named():
    project = project_of()
    baked = baked_as(project)
    (result,) = baked_light(project_of(intensity=90.0), baked, fits=True)
    assert result.kind == "baked light stale"
    assert "Kiln lamp" in result.text
    assert "12:00" in result.text


def test_a_baked_source_that_is_live_counts_twice():
    project = project_of()
    baked, live = baked_as(project), project_of(baked="live")
    (result,) = baked_light(live, baked, fits=True)
    assert result.kind == "baked and live"
    assert list(baked_light(result.remedy.applied(live), baked, fits=True)) == []


def test_a_target_that_can_show_none_says_so():
    project = project_of()
    project = project.revised(target=project.target.revised(baked="no"))
    (result,) = baked_light(project, baked_as(project), fits=True)
    assert project.target.name in result.text


def test_baked_light_costs_less_than_probes_and_takes_memory():
    """With all its light baked a lamp costs nothing; the pages count in the memory of a target."""
    level = pale_room()
    flat = flatten(level)
    camera = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)
    seen = seen_surfaces(RayScene(level, flat), level, camera, (64, 36))
    boxes = Boxes(np.full((1, 3), -50.0), np.full((1, 3), 50.0), np.array([len(flat.faces)]))
    project = project_of(position=(0.0, 1.5, 0.0))
    asked = PassWork(boxes, evaluate(project), seen, camera, (960, 540))
    target = project.target
    profile = load_profile(target.profile)
    around = baked_as(project, len(flat.faces))
    whole = baked_as(project, len(flat.faces), straight=True)
    ms = {
        name: frame_cost(count_work(item), target, profile).frame_ms
        for name, item in (
            ("probes", asked), ("around", with_baked(asked, around)), ("all", with_baked(asked, whole)),
        )
    }  # fmt: skip
    assert ms["all"] < ms["around"] < ms["probes"]
    work = count_work(with_baked(asked, around))
    assert work.passes["baked light"]["pixels"] == pytest.approx(960 * 540 * around.share_of(seen.triangle))
    assert "probe light" not in work.passes
    assert work.baked_bytes > 64 * 64 * 6
    small = target.revised(memory_mb=1.0)
    work.baked_bytes = 2e6
    assert "baked light 2 MB" in frame_cost(work, small, profile).broken["memory"]

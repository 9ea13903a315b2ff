"""Levels as they are lit, and as they are received again; the stand-in figure."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.document.level_light import LevelLight
from wallum.document.project import Figure, PartMarks, Project, base_light
from wallum.document.stripping import light_givers, stripped
from wallum.level.demos.pale_room import pale_room
from wallum.level.model.flatten import flatten
from wallum.level.model.level_overrides import LevelOverrides, dress_of, dressed
from wallum.level.model.matching import match_parts
from wallum.level.model.model import Material, Part, TextureUse
from wallum.transport.scene.inside import inside_solids
from wallum.transport.scene.rays import RayScene


@pytest.fixture(scope="module")
def level():
    return pale_room()


def test_nothing_said_changes_nothing(level):
    assert dressed(level, dress_of(Project())) is level


def test_ignored_parts_are_gone_and_uncast_ones_let_light_through(level):
    names = {part.name: part for part in level.parts}
    block = next(item for name, item in names.items() if "block" in name.lower())
    gone = dressed(level, LevelOverrides(ignored=frozenset({block.id})))
    assert block.id not in {part.id for part in gone.parts}
    ghost = dressed(level, LevelOverrides(uncast=frozenset({block.id})))
    whole, through = RayScene(level, flatten(level)), RayScene(ghost, flatten(ghost))
    points = np.concatenate([p.positions for p in level.meshes[block.mesh].primitives])
    middle = points.mean(axis=0) @ block.matrix[:3, :3].T + block.matrix[:3, 3]
    start, direction = middle + np.array([0.0, 1.5, 0.0]), np.array([[0.0, -1.0, 0.0]])
    assert whole.blocked(start[None], direction, np.array([1.4]))[0]
    assert not through.blocked(start[None], direction, np.array([1.4]))[0]
    assert through.first_hit(start[None], direction).distance[0] == pytest.approx(
        whole.first_hit(start[None], direction).distance[0]
    )


def test_light_that_was_painted_in_can_be_left_out(level):
    painted = replace(
        level.meshes[0].primitives[0],
        colours=np.full((len(level.meshes[0].primitives[0].positions), 4), 0.5, np.float32),
    )
    odd = replace(
        level,
        meshes=(replace(level.meshes[0], primitives=(painted,)), *level.meshes[1:]),
        materials=(Material("sign", unlit=True, textures={"occlusion": TextureUse(0)}), *level.materials[1:]),
    )
    dress = dress_of(Project(level_light=LevelLight(unlit=False, vertex_colours=False, occlusion=False)))
    plain = dressed(odd, dress)
    assert plain.meshes[0].primitives[0].colours is None
    assert not plain.materials[0].unlit
    assert plain.materials[0].textures == {}
    assert dressed(odd, LevelOverrides()).materials[0].unlit


@given(turn=st.floats(-360.0, 360.0), x=st.floats(-50.0, 50.0), z=st.floats(-50.0, 50.0))
def test_the_figure_is_one_metre_eighty_and_turns_about_its_feet(turn, x, z):
    room = pale_room()
    with_it = dressed(room, dress_of(Project(figure=Figure(on=True, position=(x, 1.0, z), turn=turn))))
    more = with_it.parts[len(room.parts) :]
    body = more[0]
    points = np.concatenate([p.positions for p in with_it.meshes[body.mesh].primitives])
    placed = points @ body.matrix[:3, :3].T + body.matrix[:3, 3]
    assert placed[:, 1].min() == pytest.approx(1.0, abs=1e-4)
    assert placed[:, 1].max() == pytest.approx(2.8, abs=1e-4)
    balls = np.array([item.matrix[:3, 3] for item in more[1:]]) - (x, 1.0, z)
    ahead = np.array([np.sin(np.radians(turn)), 0.0, -np.cos(np.radians(turn))])
    assert (balls @ ahead > 0.2).all()
    assert balls[0, 1] == balls[1, 1]


def test_parts_are_known_by_their_path_and_else_by_their_shape(level):
    level = replace(level, parts=(*level.parts, replace(level.parts[1], id="third", name="third")))
    first, second, *rest = level.parts
    moved = replace(second, matrix=second.matrix + np.array([[0, 0, 0, 2.0]] + [[0] * 4] * 3))
    called = replace(first, id="floor-of-old", name="floor of old")
    extra = Part("new", "new", 0, np.eye(4))
    result = match_parts(level, replace(level, parts=(called, moved, *rest[1:], extra)))
    assert result.same[first.id] in ("floor-of-old", "new")
    assert second.name in result.moved
    assert rest[0].name in result.removed
    assert len(result.added) == 1
    same = match_parts(level, level)
    assert (same.added, same.removed, same.moved, same.renamed) == ((), (), (), ())


def test_stripping_leaves_values_and_takes_what_was_asked():
    project = Project(sources=base_light(), marks=(PartMarks(part="p", hero=True),))
    assert set(light_givers(project)) >= {"sun", "moon", "sky", "glow", "unlit"}
    dark = stripped(project, light_givers(project))
    assert light_givers(dark) == []
    assert [source.revised(on=True) for source in dark.sources] == list(project.sources)
    assert dark.marks == project.marks
    part = stripped(project, ["sky", "glow"])
    assert set(light_givers(project)) - set(light_givers(part)) == {"sky", "glow"}


def test_inside_is_inside_a_closed_solid_only(level):
    rays = RayScene(level, flatten(level))
    block = next(part for part in level.parts if "block" in part.name.lower())
    points = np.concatenate([p.positions for p in level.meshes[block.mesh].primitives])
    placed = points @ block.matrix[:3, :3].T + block.matrix[:3, 3]
    middle = 0.5 * (placed.min(axis=0) + placed.max(axis=0))
    above = middle + np.array([0.0, 1.2, 0.0])
    assert inside_solids(rays, np.array([middle, above, above + np.array([0.0, 60.0, 0.0])])).tolist() == [
        True,
        False,
        False,
    ]
    assert inside_solids(rays, np.zeros((0, 3))).shape == (0,)

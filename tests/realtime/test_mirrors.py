"""Mirror images of the level in smooth surfaces: closed forms in a room of six colours."""

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest
from level_shapes import ROOM_COLOURS, ROOM_HIGH, ROOM_LOW, field_of, glowing_room, level_of

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.level.model.model import Material, Mesh
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.physics.octahedron import octahedron_directions
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.transport.field.bounce import BounceField
from wallum.transport.paths.reference import Reference

SIZE = (160, 90)
EYE = Camera((1.2, 1.9, 4.4), (0.25, -0.55, -0.8), 70.0, SIZE[0] / SIZE[1], far=60.0)


@lru_cache(maxsize=1)
def _mirror_room():
    """The room on a mirror, and its field: several tests look into the same."""
    level = glowing_room(MIRROR)
    return level, *field_of(level)


def _in_mirror_room(renderer):
    level, rays, built = _mirror_room()
    renderer.set_level(bundle_level(level))
    return BounceField.of(rays, level, built, {})


def _shown(renderer, level):
    rays, built = field_of(level)
    renderer.set_level(bundle_level(level))
    return BounceField.of(rays, level, built, {})


def _picture(renderer, scene, view="final"):
    request = PictureRequest(1, scene, EYE, SIZE, view=view)
    for _ in renderer.draw(request):
        pass
    return renderer.luminance(request, False).astype(float)


def _mirrored(renderer, scene):
    """A picture in whose light all images have been taken."""
    _picture(renderer, scene)
    request = PictureRequest(1, scene, EYE, SIZE)
    for _ in renderer.take_mirrors(request, renderer.stale_mirrors(request, seen=False)):
        pass
    return _picture(renderer, scene)


def _met():
    """(P, 3) places of the floor that pixels see, the pixels, and which wall lies in the mirror there."""
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    d = EYE.rays(x.ravel(), y.ravel())
    eye = np.array(EYE.eye)
    place = eye + d * (-eye[1] / d[:, 1])[:, None]
    on_floor = (d[:, 1] < 0.0) & ((place > ROOM_LOW + 0.02) | [False, True, False]).all(axis=1)
    on_floor &= ((place < ROOM_HIGH - 0.02) | [False, True, False]).all(axis=1)
    place, d = place[on_floor], d[on_floor] * [1.0, -1.0, 1.0]
    distances = np.where(d > 0.0, ROOM_HIGH - place, ROOM_LOW - place) / d
    axis = distances.argmin(axis=1)
    wall = np.array([[0, 1], [2, 2], [3, 4]])[axis, (d[np.arange(len(d)), axis] > 0.0).astype(int)]
    # Not where two walls meet: an image has texels.
    second = np.sort(distances, axis=1)
    clear = second[:, 1] > 1.12 * second[:, 0]
    return np.flatnonzero(on_floor)[clear], wall[clear]


@pytest.fixture(scope="module")
def dark():
    return evaluate(Project(sources=(), look=Look(ev100=4.0)))


MIRROR = Material("mirror", (1.0, 1.0, 1.0, 1.0), 1.0, 0.05)


def test_a_mirror_shows_what_lies_where_the_ray_goes_on(renderer, dark):
    """Plane by plane: the colour of the wall that the mirrored ray meets, as bright as it glows."""
    bounce = _in_mirror_room(renderer)
    relit(renderer, bounce, dark)
    picture = _mirrored(renderer, dark).reshape(-1, 3)
    pixels, wall = _met()
    off = np.abs(picture[pixels] / ROOM_COLOURS[wall] - 1.0).max(axis=1)
    assert len(np.unique(wall)) >= 3
    assert np.quantile(off, 0.9) < 0.03
    # Before there is any image, light from surfaces is all alike.
    renderer.engine.lighting.mirrors.set_places(renderer.engine.lighting.mirrors.places)
    alike = _picture(renderer, dark).reshape(-1, 3)
    assert np.median(np.abs(alike[pixels] / ROOM_COLOURS[wall] - 1.0).max(axis=1)) > 0.3


@pytest.mark.parametrize("roughness", [0.05, 0.43, 0.6])
def test_in_a_room_that_is_alike_all_around_a_smooth_metal_sends_all_back(renderer, dark, roughness):
    """White furnace: no light is won or lost between images and probes, at any roughness."""
    bounce = _shown(renderer, glowing_room(replace(MIRROR, roughness=roughness), np.full((5, 3), 100.0)))
    relit(renderer, bounce, dark)
    pixels, _ = _met()
    picture = luminance(_mirrored(renderer, dark)).ravel()[pixels]
    assert np.median(picture) == pytest.approx(100.0, rel=0.05)


@pytest.mark.parametrize("roughness", [0.55, 0.8])
def test_under_a_roof_a_dull_floor_gleams_against_the_light(renderer, dark, roughness):
    """The floor before the one bright wall, seen against it: as much light as paths have, in the mean. Without
    images, by what lies about on the whole, it has a third to half less."""
    colours = np.full((5, 3), 5.0)
    colours[3] = 500.0
    level = glowing_room(Material("dull", (0.02, 0.02, 0.02, 1.0), 0.0, roughness), colours)
    bounce = _shown(renderer, level)
    renderer.engine.lighting.glossy = True  # as where anything in the level is smooth
    relit(renderer, bounce, dark)
    pixels, _ = _met()
    alike = luminance(_picture(renderer, dark)).ravel()[pixels].mean()
    shown = luminance(_mirrored(renderer, dark)).ravel()[pixels].mean()
    reference = Reference(bounce.rays, level, dark, EYE, SIZE, 3)
    for _ in range(30):
        reference.step()
    true = luminance(reference.luminance).ravel()[pixels].mean()
    assert abs(np.log2(shown / true)) < 0.35
    assert np.log2(alike / true) < -0.45


def test_images_follow_the_light_by_as_much_until_they_are_taken_anew(renderer):
    """So that those of noon do not burn in the night. Half of all glow: every wall is half as bright."""
    bounce = _in_mirror_room(renderer)
    lamp = PointSource(id="lamp", name="Lamp", position=(2.0, 1.5, 2.0), intensity=0.0, shadow=True)
    dark = evaluate(Project(sources=(lamp,), look=Look(ev100=4.0)))
    relit(renderer, bounce, dark)
    before = _mirrored(renderer, dark)
    request = PictureRequest(1, dark, EYE, SIZE)
    assert renderer.stale_mirrors(request, seen=False) == []
    half = replace(dark, glow_gain=0.5)
    relit(renderer, bounce, half)
    pixels, _ = _met()
    current = _picture(renderer, half).reshape(-1, 3)[pixels]
    assert current == pytest.approx(0.5 * before.reshape(-1, 3)[pixels], rel=0.05, abs=1.0)
    assert renderer.stale_mirrors(PictureRequest(1, half, EYE, SIZE))
    after = _mirrored(renderer, half).reshape(-1, 3)[pixels]
    assert after == pytest.approx(current, rel=0.05, abs=1.0)
    assert renderer.stale_mirrors(PictureRequest(1, half, EYE, SIZE)) == []


@pytest.mark.parametrize("hand", ["sky", "lamp"])
def test_what_is_under_the_hand_is_added_to_a_mirror_as_to_all_else(renderer, hand):
    """The sum of the others and of what is under the hand is the whole picture, images and all."""
    level = level_of(box((-6.0, -0.2, -6.0), (6.0, 0.0, 6.0), 0), MIRROR)
    wall = level_of(box((-6.0, 0.0, -3.2), (6.0, 3.0, -3.0), 1), MIRROR).meshes[0].primitives[0]
    mesh = Mesh("one", (*level.meshes[0].primitives, wall))
    level = replace(
        level, meshes=(mesh,), materials=(MIRROR, Material("wall", (0.6, 0.3, 0.2, 1.0), 0.0, 0.9))
    )
    lamp = PointSource(id="lamp", name="Lamp", position=(1.0, 1.5, 0.0), intensity=9000.0, shadow=True)
    scene = evaluate(Project(sources=(*base_light(), lamp), look=Look(ev100=12.0)), Moment(12.0))
    relit(renderer, _shown(renderer, level), scene)
    camera = Camera((0.0, 1.6, 4.5), (0.0, -0.3, -0.95), 60.0, SIZE[0] / SIZE[1], far=100.0)
    whole = PictureRequest(1, replace(scene, air=None), camera, SIZE)
    for _ in renderer.draw(whole):
        pass
    for _ in renderer.take_mirrors(whole, renderer.stale_mirrors(whole, seen=False)):
        pass
    pictures = []
    for active in (frozenset(), frozenset({hand})):
        request = replace(whole, active=active)
        for _ in renderer.draw(request):
            pass
        pictures.append(luminance(renderer.luminance(request, False).astype(float)))
    assert pictures[1] == pytest.approx(pictures[0], rel=0.02, abs=2e-3 * pictures[0].max())


def test_another_exposure_needs_no_other_images(renderer, dark):
    bounce = _in_mirror_room(renderer)
    relit(renderer, bounce, dark)
    before = _mirrored(renderer, dark)
    brighter = replace(dark, look=replace(dark.look, ev100=10.0))
    request = PictureRequest(1, brighter, EYE, SIZE)
    after = _picture(renderer, brighter)
    assert renderer.stale_mirrors(request, seen=False) == []
    pixels, _ = _met()
    assert after.reshape(-1, 3)[pixels] == pytest.approx(before.reshape(-1, 3)[pixels], rel=0.02, abs=0.5)


def test_a_level_of_rough_surfaces_takes_none_and_is_bit_for_bit_as_before(renderer, dark):
    bounce = _shown(renderer, glowing_room(Material("rough", (0.5, 0.5, 0.5, 1.0), 0.0, 0.9)))
    relit(renderer, bounce, dark)
    before = _picture(renderer, dark)
    assert renderer.stale_mirrors(PictureRequest(1, dark, EYE, SIZE), seen=False) == []
    assert np.array_equal(_mirrored(renderer, dark), before)


def test_the_view_of_reflections_shows_them_alone(renderer, dark):
    bounce = _in_mirror_room(renderer)
    relit(renderer, bounce, dark)
    whole = _mirrored(renderer, dark).reshape(-1, 3)
    alone = _picture(renderer, dark, "reflections").reshape(-1, 3)
    pixels, _ = _met()
    assert alone[pixels] == pytest.approx(whole[pixels], rel=0.02, abs=0.5)
    walls = np.setdiff1d(np.arange(len(alone)), pixels)
    assert np.median(luminance(alone[walls])) < 0.05 * np.median(luminance(whole[walls]))


def test_an_octahedron_has_the_zenith_in_its_middle_and_the_nadir_at_its_corners():
    places = np.array([[0.5, 0.5], [0.0, 0.0], [1.0, 0.0], [1.0, 0.5], [0.5, 1.0], [0.0, 0.5]])
    directions = octahedron_directions(places)
    wanted = [[0, 1, 0], [0, -1, 0], [0, -1, 0], [1, 0, 0], [0, 0, 1], [-1, 0, 0]]
    assert directions == pytest.approx(np.array(wanted, float), abs=1e-9)
    # Opposite places of one edge are the same direction.
    edge = octahedron_directions(np.array([[1.0, 0.2], [1.0, 0.8], [0.3, 0.0], [0.7, 0.0]]))
    assert edge[0] == pytest.approx(edge[1] * [1, 1, -1]) or edge[0] == pytest.approx(edge[1])

"""What is seen through: in the picture and by rays, against what alpha and thin glass are by definition."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from wallum.document.air import Air
from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource, SunSource
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.work import count_work
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level, chunk_boxes
from wallum.realtime.process.request import PictureRequest
from wallum.transport.direct.contributions import LAYER_SIZE
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

CAMERA = Camera((0.0, 0.0, 5.0), (0.0, 0.0, -1.0), 40.0, 1.0, far=60.0)
SIZE = (96, 96)
LAMP = PointSource(id="l", name="L", position=(1.0, 1.0, 4.5), intensity=2000.0, shadow=True)
SUN = SunSource(
    id="sun", name="Sun", azimuth=180.0, elevation=89.0, stands="where set", light="own", illuminance=50000.0
)


def sheet(z, half=3.0):
    """A sheet that faces the camera, at a depth."""
    side = np.linspace(-half, half, 2)
    x, y = np.meshgrid(side, side)
    return grid(np.stack([x, y, 0 * x + z], axis=-1), 0)


def sheets(*pairs):
    """A level of sheets (z, material), each a part."""
    meshes = tuple(Mesh(f"m{n}", (replace(sheet(z), material=n),)) for n, (z, _) in enumerate(pairs))
    parts = tuple(Part(f"p{n}", f"p{n}", n, np.eye(4)) for n in range(len(pairs)))
    return Level("sheets", meshes, parts, tuple(material for _, material in pairs))


def glowing(rgb, alpha=1.0):
    """A surface that has no light but its own [cd/m2]."""
    kind = "blend" if alpha < 1.0 else "opaque"
    return Material("g", (0.0, 0.0, 0.0, alpha), 0.0, 1.0, emissive=rgb, emissive_strength=100.0, alpha=kind,
                    reflectance=0.0, double_sided=True)  # fmt: skip


def scene_of(*sources, air=None):
    more = {} if air is None else {"air": air}
    return evaluate(Project(sources=sources, look=Look(ev100=8.0), **more))


def shown(renderer, level, scene, camera=CAMERA, settled=False, active=frozenset()):
    renderer.set_level(bundle_level(level))
    request = PictureRequest(1, scene, camera, SIZE, active=active)
    for _ in renderer.draw(request):
        pass
    if settled:
        renderer.settle(request)
    return renderer.luminance(request, settled=settled)


def by_paths(level, scene, camera=CAMERA, paths=24):
    reference = Reference(RayScene(level, flatten(level)), level, scene, camera, (32, 32), bounces=1)
    for _ in range(paths):
        reference.step()
    return reference.luminance[8:24, 8:24].mean(axis=(0, 1))


BACK, NEAR, FAR = glowing((1.0, 0.5, 0.2)), glowing((0.1, 0.9, 0.3), 0.25), glowing((0.3, 0.2, 1.0), 0.6)
OVER = 100.0 * (
    0.25 * np.array([0.1, 0.9, 0.3])
    + 0.75 * (0.6 * np.array([0.3, 0.2, 1.0]) + 0.4 * np.array([1.0, 0.5, 0.2]))
)


@pytest.mark.parametrize("order", list(itertools.permutations(range(3))))
def test_what_lies_behind_is_covered_by_alpha_in_whatever_order_it_comes(renderer, order):
    """Porter, Duff 1984: over."""
    pairs = [(-1.0, BACK), (0.0, FAR), (1.0, NEAR)]
    light = shown(renderer, sheets(*(pairs[n] for n in order)), scene_of())
    assert light[48, 48] == pytest.approx(OVER, rel=0.01)


def test_paths_see_the_same(renderer):
    level = sheets((-1.0, BACK), (0.0, FAR), (1.0, NEAR))
    assert by_paths(level, scene_of(), paths=200) == pytest.approx(OVER, rel=0.03)


def test_what_stands_before_a_pane_hides_it(renderer):
    level = sheets((2.0, BACK), (0.0, FAR), (-1.0, NEAR))
    assert shown(renderer, level, scene_of())[48, 48] == pytest.approx([100.0, 50.0, 20.0], rel=0.01)


GREEN = Material(
    "pane", (0.2, 0.9, 0.4, 1.0), 0.0, 0.1, transmission=1.0, tint=(0.5, 1.0, 1.0), double_sided=True
)


def test_thin_glass_leaves_its_colour_less_what_its_gloss_sends_back(renderer):
    """1 - 0.04 of base times tint, looked at straight; nothing else lights it."""
    level = sheets((-1.0, BACK), (0.0, GREEN))
    expected = 0.96 * np.array([100.0, 50.0, 20.0]) * np.array([0.1, 0.9, 0.4])
    # Eight bits hold what goes through.
    assert shown(renderer, level, scene_of())[48, 48] == pytest.approx(expected, rel=0.01, abs=0.25)
    assert by_paths(level, scene_of(), paths=60) == pytest.approx(expected, rel=0.03)


def test_a_pane_is_lit_like_any_surface(renderer):
    """Half covered, it has half of a solid one's light, whether its lamp is in the hand or not."""
    solid = Material("s", (0.5, 0.5, 0.5, 1.0), 0.0, 0.9, double_sided=True)
    half = replace(solid, base=(0.5, 0.5, 0.5, 0.5), alpha="blend")
    black = glowing((0.0, 0.0, 0.0))
    whole = shown(renderer, sheets((0.0, solid)), scene_of(LAMP))[48, 48]
    for active in (frozenset(), frozenset({"l"})):
        light = shown(renderer, sheets((-9.0, black), (0.0, half)), scene_of(LAMP), active=active)[48, 48]
        assert light == pytest.approx(0.5 * whole, rel=0.02)


FLOOR_CAMERA = Camera((0.0, 3.0, 6.0), (0.0, -0.45, -1.0), 40.0, 1.0, far=60.0)


def over_floor(*materials):
    """A floor, and sheets above it that the sun must come through."""
    side = np.linspace(-3.0, 3.0, 2)
    x, z = np.meshgrid(side, side)

    def flat(y, number):
        return grid(np.stack([x, 0 * x + y, z], axis=-1)[::-1], number)

    floor = Material("floor", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0)
    meshes = [Mesh("floor", (flat(0.0, 0),))]
    meshes += [Mesh(f"m{n}", (flat(5.0 + n, n),)) for n in range(1, len(materials) + 1)]
    parts = tuple(Part(mesh.name, mesh.name, n, np.eye(4)) for n, mesh in enumerate(meshes))
    return Level("under", tuple(meshes), parts, (floor, *materials))


def curtain(alpha):
    return Material("c", (0.5, 0.5, 0.5, alpha), 0.0, 1.0, alpha="blend", double_sided=True)


@pytest.mark.parametrize(
    ("materials", "left"),
    [
        ((), (1.0, 1.0, 1.0)),
        ((curtain(0.3),), (0.7, 0.7, 0.7)),
        ((curtain(0.3), curtain(0.5)), (0.35, 0.35, 0.35)),
        ((GREEN,), (0.096, 0.864, 0.384)),
    ],
)
def test_shadows_are_as_dark_as_what_is_covered_and_have_the_colour_of_glass(renderer, materials, left):
    bare = shown(renderer, over_floor(), scene_of(SUN), FLOOR_CAMERA)[44:52, 44:52].mean(axis=(0, 1))
    level = over_floor(*materials)
    light = shown(renderer, level, scene_of(SUN), FLOOR_CAMERA)[44:52, 44:52].mean(axis=(0, 1))
    assert light / bare == pytest.approx(np.array(left), rel=0.03, abs=0.005)
    rays = RayScene(level, flatten(level))
    up = np.array([[0.0, 1.0, 0.0]])
    through = rays.let_through(np.array([[0.1, 0.01, 0.1]]), up, np.array([np.inf], np.float32))[0]
    assert through == pytest.approx(np.array(left), rel=0.01)


def test_a_lamp_shines_through_a_curtain(renderer):
    lamp = PointSource(id="l", name="L", position=(0.0, 9.0, 0.0), intensity=9000.0, shadow=True)
    bare = shown(renderer, over_floor(), scene_of(lamp), FLOOR_CAMERA)[48, 48]
    light = shown(renderer, over_floor(curtain(0.4)), scene_of(lamp), FLOOR_CAMERA)[48, 48]
    assert light / bare == pytest.approx(np.full(3, 0.6), rel=0.03)


def test_what_covers_nothing_changes_nothing_in_thick_air(renderer):
    """Air before and behind a pane counts once."""
    air = Air(on=True, visibility=8.0)
    scene = scene_of(SUN, air=air)
    clear = replace(curtain(0.0), alpha="blend")
    without = shown(renderer, sheets((-6.0, BACK)), scene)[40:56, 40:56]
    through = shown(renderer, sheets((-6.0, BACK), (0.0, clear)), scene)[40:56, 40:56]
    assert through == pytest.approx(without, rel=0.01)
    glass = Material("g", (1.0,) * 4, 0.0, 0.1, transmission=1.0, reflectance=0.0, double_sided=True)
    through = shown(renderer, sheets((-6.0, BACK), (0.0, glass)), scene)[40:56, 40:56]
    assert through == pytest.approx(without, rel=0.01)


def test_a_settled_picture_has_it_too(renderer):
    light = shown(renderer, sheets((-1.0, BACK), (0.0, FAR), (1.0, NEAR)), scene_of(), settled=True)
    assert light[48, 48] == pytest.approx(OVER, rel=0.01)


def test_what_is_mostly_seen_through_is_looked_through_for_the_shares():
    level = sheets((-1.0, BACK), (0.0, curtain(0.2)))
    seen = seen_surfaces(RayScene(level, flatten(level)), level, CAMERA, LAYER_SIZE)
    assert set(np.unique(seen.part)) == {0}
    level = sheets((-1.0, BACK), (0.0, curtain(0.8)))
    seen = seen_surfaces(RayScene(level, flatten(level)), level, CAMERA, LAYER_SIZE)
    assert set(np.unique(seen.part)) == {1}


def test_a_level_without_any_has_no_pass_for_it(renderer):
    shown(renderer, sheets((0.0, BACK)), scene_of())
    assert not [record for record in renderer.engine.log.records if "see-through" in record.name]


def test_a_pane_costs_as_many_pixels_as_it_covers():
    plain, paned = sheets((-1.0, BACK)), sheets((-1.0, BACK), (0.0, curtain(0.2)))
    work = []
    for level in (plain, paned):
        flat = flatten(level)
        seen = seen_surfaces(RayScene(level, flat), level, CAMERA, (40, 40))
        boxes = Boxes(*chunk_boxes(level, flat))
        work.append(count_work(PassWork(boxes, scene_of(SUN, LAMP), seen, CAMERA, SIZE)).passes["light"])
    for name in ("pixels", "sun pixels", "lamp pixels"):
        assert work[1][name] == pytest.approx(2.0 * work[0][name])


def test_a_picture_given_up_before_its_layers_were_laid_is_laid_whole_the_next_time(renderer):
    """Whoever drives the renderer turns to something newer between passes."""
    renderer.set_level(bundle_level(sheets((-1.0, BACK), (0.0, FAR), (1.0, NEAR))))
    request = PictureRequest(1, scene_of(), CAMERA, SIZE)
    for passes in range(1, 8):
        renderer.engine.forget_light()
        given_up = renderer.draw(request)
        for _ in range(passes):
            next(given_up, None)
        given_up.close()
        for _ in renderer.draw(replace(request, number=2)):
            pass
        assert renderer.luminance(request, settled=False)[48, 48] == pytest.approx(OVER, rel=0.01), passes

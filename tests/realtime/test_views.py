"""Views of the picture, each against what it says."""

from dataclasses import replace

import numpy as np
import pytest
from set_lights import set_sun

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.frame.views import VIEWS
from wallum.level.demos.pale_room import pale_room_project
from wallum.level.model.level_overrides import LevelOverrides, dressed
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.metered import metered_cells
from wallum.moment.resolved_look import Metering
from wallum.physics.colour import luminance
from wallum.physics.exposure import exposure_scale
from wallum.physics.false_colour import false_colour, grain_ramp, ramp
from wallum.physics.tone import srgb_encode
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.passes.shadows.cascades import nearest_grain
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

SIZE = (96, 54)
FRONT = Camera((0.0, 0.0, 4.0), (0.0, 0.0, -1.0), 40.0, 16 / 9, far=50.0)
LAMP = PointSource(id="l", name="L", position=(0.0, 0.0, 3.0), intensity=400.0, radius=0.01)


@pytest.fixture(scope="module")
def renderer():
    return Renderer()


def wall(base=(0.6, 0.2, 0.1, 1.0), metallic=0.0, emissive=0.0):
    x, y = np.meshgrid([-3.0, 3.0], [-2.0, 2.0])
    built = grid(np.stack([x, y, 0 * x], axis=-1), 0)
    material = Material("wall", base, metallic, 1.0, emissive=(1.0,) * 3, emissive_strength=emissive)
    return Level("wall", (Mesh("wall", (built,)),), (Part("wall", "wall", 0, np.eye(4)),), (material,))


def shown(renderer, view, ev100=7.0, sources=(LAMP,)):
    project = Project(sources=sources, look=Look(ev100=ev100))
    request = PictureRequest(1, evaluate(project), FRONT, SIZE, view=view)
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for _ in renderer.draw(request):
        pass
    renderer.read_into(request, 0, out)
    return out[:, :, 2::-1].astype(int), request


def test_surface_is_the_base_colour_whatever_the_light(renderer):
    renderer.set_level(bundle_level(wall()))
    exact = np.round(srgb_encode(np.array([0.6, 0.2, 0.1])) * 255)
    for ev100 in (0.0, 14.0):
        picture, _ = shown(renderer, "surface", ev100)
        assert np.abs(picture[27, 48] - exact).max() <= 2


def test_normals_show_where_faces_look(renderer):
    renderer.set_level(bundle_level(wall()))
    picture, _ = shown(renderer, "normals")
    assert np.abs(picture[27, 48] - np.round(srgb_encode(np.array([0.25, 0.25, 1.0])) * 255)).max() <= 2


def test_grey_shows_light_alone(renderer):
    values = []
    for level in (wall(), wall(base=(0.1, 0.9, 0.3, 1.0), metallic=1.0)):
        renderer.set_level(bundle_level(level))
        picture, _ = shown(renderer, "grey")
        values.append(picture[27, 20])
    assert np.abs(values[0] - values[1]).max() <= 1


def test_false_colour_is_stops_about_mid_grey(renderer):
    renderer.set_level(bundle_level(wall()))
    near = LAMP.revised(position=(0.0, 0.0, 0.4))
    picture, request = shown(renderer, "false colour", sources=(near,))
    light = luminance(renderer.luminance(request, settled=False).astype(float))
    stops = np.log2(light * exposure_scale(7.0) / 0.18)
    clear = np.abs(stops - np.floor(stops) - 0.5) > 0.05  # away from the borders of two colours
    exact = np.round(false_colour(stops[clear]) * 255)
    assert np.abs(picture[clear] - exact).max() <= 1
    assert len(np.unique(np.round(stops[clear]))) >= 2


def test_the_scale_grows_lighter_and_is_grey_at_grey():
    steps = luminance(ramp().astype(float))
    assert (np.diff(steps) > 0.0).all()
    assert np.ptp(ramp()[6]) == 0.0


def test_zebra_marks_the_burnt_and_the_buried(renderer):
    renderer.set_level(bundle_level(wall()))
    for ev100, burnt in ((-4.0, True), (20.0, False)):
        plain, _ = shown(renderer, "final", ev100)
        striped, _ = shown(renderer, "zebra", ev100)
        changed = (np.abs(striped - plain).max(axis=2) > 30).mean()
        assert 0.2 < changed < 0.6
        marks = striped[np.abs(striped - plain).max(axis=2) > 30].mean(axis=0)
        assert (marks[0] > marks[2]) == burnt
    middle, _ = shown(renderer, "final", 7.0)
    marked, _ = shown(renderer, "zebra", 7.0)
    assert (np.abs(middle - marked).max(axis=2) > 30).mean() < 0.05


@pytest.mark.parametrize("view", VIEWS)
def test_every_view_drags_settles_and_comes_back(renderer, view):
    renderer.set_level(bundle_level(wall()))
    _, request = shown(renderer, view)
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for _ in renderer.draw(replace(request, active=frozenset({"l"}))):
        pass
    renderer.read_into(request, 0, out)
    dragged = out.copy()
    renderer.settle(request, 4)
    renderer.read_into(request, 4, out)
    assert np.abs(out.astype(int) - dragged.astype(int)).mean() < 6.0
    final, _ = shown(renderer, "final")
    again, _ = shown(renderer, "final")
    assert np.array_equal(final, again)


def test_casters_show_what_lets_light_through_and_grain_is_the_cascades(renderer, room):
    block = next(part for part in room.parts if "block" in part.name.lower())
    renderer.set_level(bundle_level(dressed(room, LevelOverrides(uncast=frozenset({block.id})))))
    scene = evaluate(pale_room_project())
    inside = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 16 / 9, far=50.0)
    request = PictureRequest(1, scene, inside, SIZE, view="casters")
    for _ in renderer.draw(request):
        pass
    light = renderer.luminance(request, settled=False)
    bluish = light[..., 2] > 1.3 * light[..., 0]
    assert 0.005 < bluish.mean() < 0.3  # the block alone
    for _ in renderer.draw(replace(request, view="shadow grain", view_of="spot")):
        pass
    grain = renderer.luminance(replace(request, view="shadow grain"), settled=False)
    assert grain.std(axis=(0, 1)).max() > 0.02


@pytest.mark.parametrize("texels", [512, 2048])
def test_grain_of_the_sun_has_the_tone_of_its_texels(renderer, texels):
    """A step of the scale a stop: 512 texels a metre, 256, ... down to 1."""
    level = wall()
    bundle = bundle_level(level)
    renderer.set_level(bundle)
    sun = set_sun(azimuth=180.0, elevation=40.0, shadow_texels=str(texels), shadow_reach=30.0)
    scene = evaluate(Project(sources=(sun,), look=Look(ev100=7.0)))
    close = Camera((0.0, 0.0, 1.0), (0.0, 0.0, -1.0), 30.0, 16 / 9, far=50.0)
    request = PictureRequest(1, scene, close, SIZE, view="shadow grain")
    for _ in renderer.draw(request):
        pass
    drawn = renderer.luminance(request, settled=False)[SIZE[1] // 2, SIZE[0] // 2]
    step = 9 - int(np.floor(np.log2(nearest_grain(scene.sun, close, bundle.bounds)) + 0.5))
    tone = grain_ramp()[np.clip(step, 0, 9)].astype(float) ** 2
    assert drawn / drawn.sum() == pytest.approx(tone / tone.sum(), abs=0.01)


def test_a_uniform_whose_end_a_program_does_not_read_takes_the_rest(renderer):
    from wallum.realtime.gl.programs import set_uniforms

    context = renderer.engine.context
    vertex = "#version 430 core\nvoid main() { gl_Position = vec4(0.0); }"
    fragment = "#version 430 core\nuniform vec4 rows[3];\nout vec4 o;\nvoid main() { o = rows[0] + rows[1]; }"
    program = context.program(vertex_shader=vertex, fragment_shader=fragment)
    rows = np.arange(12, dtype="f4").reshape(3, 4)
    set_uniforms(program, rows=rows.tobytes(), not_there=1.0)
    selected = np.frombuffer(program["rows"].read(), "f4")
    assert selected.tolist() == rows.ravel()[: len(selected)].tolist()
    assert len(selected) >= 8


def test_a_view_of_a_part_of_the_light_is_exposed_for_where_there_is_some():
    """The black sky of what comes back from surfaces does not make the rest burn; with none at all it is as dark."""
    metering = Metering("centre", 0.0, (-12.0, 20.0), (0.0, 0.0))
    cells = np.full((36, 64), 12.5 / 100.0 * 2.0**9)
    assert metered_cells(cells, metering, lit_alone=True) == pytest.approx(9.0)
    cells[:14] = 0.0
    assert metered_cells(cells, metering, lit_alone=True) == pytest.approx(9.0)
    assert metered_cells(cells, metering) < 5.0
    assert (
        metered_cells(0.0 * cells, metering, lit_alone=True) == metered_cells(0.0 * cells, metering) == -12.0
    )

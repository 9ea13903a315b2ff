"""The chain of the look, in the picture and in NumPy: within one step of 8 bits."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.picture_values import EFFECTS
from wallum.image.develop import develop
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.importers.images.cube_file import write_cube
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.looks import shown_look
from wallum.physics.colour_table import ColourTable
from wallum.physics.focus import focused
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest

SIZE = (160, 90)
ODD = (157, 93)
CAMERA = Camera((2.4, 1.7, 3.4), (-0.55, -0.25, -0.8), 65.0, SIZE[0] / SIZE[1], far=60.0)


@pytest.fixture(scope="module")
def tables(tmp_path_factory):
    """A cube and a curve that bend colours smoothly."""
    folder = tmp_path_factory.mktemp("tables")
    share = np.linspace(0.0, 1.0, 17)
    red, green, blue = np.meshgrid(share, share, share, indexing="ij")
    bent = np.stack([red**0.8, 0.9 * green + 0.1 * red * blue, 0.2 + 0.8 * blue**1.3], axis=-1)
    write_cube(folder / "bent.cube", ColourTable(bent.astype(np.float32)), "Bent", [])
    rows = "\n".join(f"{item**0.7:.6f} {item:.6f} {item**1.4:.6f}" for item in np.linspace(0.0, 1.0, 1500))
    (folder / "line.cube").write_text(f"LUT_1D_SIZE 1500\n{rows}\n")
    return folder


def _pictures(renderer, look, size=SIZE):
    """(H, W, 3) as the renderer develops a scene, and as NumPy develops the same light."""
    renderer.set_level(bundle_level(pale_room()))
    scene = evaluate(pale_room_project().revised(look=look))
    request = PictureRequest(1, scene, CAMERA, size)
    out = np.zeros((size[1], size[0], 4), np.uint8)
    for _ in renderer.draw(request):
        pass
    renderer.read_into(request, 0, out)
    light = renderer.luminance(request, settled=False)
    return out[..., 2::-1], develop(light, replace(shown_look(look), ev100=look.ev100))


GRADED = {
    "neutral_kelvin": 3200.0, "neutral_tint": 0.004, "contrast": 1.2, "slope": (1.1, 1.0, 0.9),
    "offset": (0.0, 0.01, 0.02), "power": (1.0, 1.1, 0.95), "saturation": 1.3,
}  # fmt: skip


@pytest.mark.parametrize("on", ["channel", "luminance"])
@pytest.mark.parametrize("kind", ["own", "linear", "reinhard", "neutral", "filmic"])
def test_curves_and_grade_are_the_twins(renderer, kind, on):
    look = pale_room_project().look.revised(curve=kind, curve_on=on, white=5.0, **GRADED)
    shown, twin = _pictures(renderer, look)
    off = np.abs(shown.astype(int) - twin.astype(int))
    assert off.max() <= 2
    assert (off > 1).mean() < 1e-3
    assert shown.std() > 5.0


LENS = {
    "bloom": {"bloom": 0.4, "bloom_reach": 0.8, "bloom_tint": (1.0, 0.8, 0.5)},
    "fake bloom": {"bloom": 0.5, "bloom_threshold": 0.4},
    "fringe": {"fringe": 6.0},
    "vignette": {"vignette": 1.0, "shade": 1.5, "shade_radius": 0.3},
    "grain": {"grain": 3200.0},
    "all": {"bloom": 0.2, "fringe": 4.0, "shade": 1.0, "grain": 800.0, "night_eye": 0.5},
}
RANGES = {
    "shadows_slope": (0.8, 0.9, 1.2), "middles_power": (1.0, 1.1, 1.2), "lights_saturation": 0.5,
    "lights_offset": (0.02, 0.0, -0.02), "range_low": -1.5, "range_high": 0.5, "range_soft": 1.5,
    "lift": 1.2, "pivot": -1.0, "contrast": 1.3,
}  # fmt: skip


POWERS = {"shadows_power": (0.9, 1.0, 1.1), "lights_power": (1.2, 1.0, 0.9)}
HUES = {"hues": (0.3, 1.5, 0.8), "hues_between": (1.6, 0.5, 1.0)}
LINES = {"middles_power": (1.0,) * 3, "lights_saturation": 1.0, "lights_offset": (0.02, 0.0, 0.01)}


@pytest.mark.parametrize("size", [SIZE, ODD], ids=["even", "odd"])
@pytest.mark.parametrize("name", LENS)
def test_lens_and_film_are_the_twins(renderer, name, size):
    """The grey of half floats in the pyramid is within a step."""
    base = pale_room_project().look.revised(ev100=3.0)
    plain, _ = _pictures(renderer, base, size)
    shown, twin = _pictures(renderer, base.revised(**LENS[name]), size)
    off = np.abs(shown.astype(int) - twin.astype(int))
    assert off.max() <= 2
    assert (off > 1).mean() < 1e-3
    assert np.abs(shown.astype(int) - plain).mean() > 0.3


@pytest.mark.parametrize(
    "change",
    [{}, POWERS, HUES, {"middles_power": (1.0,) * 3}, LINES],
    ids=["all", "powers", "hues", "no power", "lines"],
)
def test_ranges_lift_and_pivot_are_the_twins(renderer, change):
    shown, twin = _pictures(renderer, pale_room_project().look.revised(**{**RANGES, **change}))
    off = np.abs(shown.astype(int) - twin.astype(int))
    assert off.max() <= 2
    assert (off > 1).mean() < 1e-3


@pytest.mark.parametrize("size", [(480, 270), (471, 263)], ids=["even", "odd"])
@pytest.mark.parametrize(("side", "at"), [("far and near", 2.0), ("far", 0.6), ("near", 9.0)])
def test_depth_of_field_is_the_twin(renderer, side, at, size):
    look = pale_room_project().look.revised(ev100=3.0, focus=side, focus_at=at, focus_stop=0.7)
    plain, _ = _pictures(renderer, look.revised(focus="off"), size)
    shown, _ = _pictures(renderer, look, size)
    request = PictureRequest(1, evaluate(pale_room_project()), CAMERA, size)
    light = renderer.luminance(request, settled=False)
    texture = renderer.engine.depth_of(request, False)
    depth = np.frombuffer(texture.read(), np.float32).reshape(size[1], size[0])
    spread = focused(light[::-1], depth, shown_look(look).focus, CAMERA.fov)[::-1]
    twin = develop(spread, replace(shown_look(look), ev100=3.0))
    off = np.abs(shown.astype(int) - twin.astype(int))
    assert (off > 2).mean() < 0.01
    assert np.abs(shown.astype(int) - plain).max() > 10


EVERY = {**GRADED, **RANGES, **LENS["all"], "curve": "filmic"}


def test_every_effect_has_a_switch_that_leaves_the_picture_as_before(renderer):
    base = pale_room_project().look
    plain, _ = _pictures(renderer, base)
    off, _ = _pictures(renderer, base.revised(**EVERY).only(""))
    assert np.array_equal(plain, off)
    graded, _ = _pictures(renderer, base.revised(**EVERY).only("with_grade"))
    alone, _ = _pictures(renderer, base.revised(
        **{name: EVERY[name] for name in EFFECTS["with_grade"] if name in EVERY}))  # fmt: skip
    assert np.array_equal(graded, alone)
    assert not np.array_equal(graded, plain)


@pytest.mark.parametrize("name", ["bent.cube", "line.cube"])
@pytest.mark.parametrize("on", ["display", "linear", "log"])
def test_tables_are_the_twins(renderer, tables, on, name):
    look = pale_room_project().look.revised(table=str(tables / name), table_on=on, table_strength=0.7)
    shown, twin = _pictures(renderer, look)
    off = np.abs(shown.astype(int) - twin.astype(int))
    assert off.max() <= 3
    assert (off > 1).mean() < 0.01
    plain, _ = _pictures(renderer, pale_room_project().look)
    assert np.abs(shown.astype(int) - plain).mean() > 2.0


def test_neutral_values_leave_the_picture_as_it_was_bit_for_bit(renderer):
    """Which program develops it does not change either."""
    look = pale_room_project().look
    plain, _ = _pictures(renderer, look)
    named = look.revised(
        neutral_kelvin=6500.0, slope=(1.0, 1.0, 1.0), curve="own", white=11.52, table_strength=0.5
    )
    again, _ = _pictures(renderer, named)
    assert np.array_equal(plain, again)


def test_a_table_that_is_gone_leaves_the_picture_without_it(renderer, tables, tmp_path):
    plain, _ = _pictures(renderer, pale_room_project().look)
    gone, _ = _pictures(renderer, pale_room_project().look.revised(table=str(tmp_path / "gone.cube")))
    assert np.array_equal(plain, gone)


@pytest.mark.parametrize(
    "change",
    [{"saturation": 1.4}, {"bloom": 0.1}, {"grain": 400.0}, {"curve": "neutral"}, {"neutral_kelvin": 4000.0}],
)
def test_no_light_is_drawn_anew_for_what_the_look_does(renderer, change):
    renderer.set_level(bundle_level(pale_room()))
    drawn = []
    for look in (pale_room_project().look, pale_room_project().look.revised(**change)):
        request = PictureRequest(1, evaluate(pale_room_project().revised(look=look)), CAMERA, SIZE)
        for _ in renderer.draw(request):
            pass
        drawn.append({record.name for record in renderer.engine.log.records})
    assert {"surfaces", "light"} <= drawn[0]
    assert drawn[1] <= {"develop", "meter", "read back"}


SEEN_LATER = (
    {"bloom": 0.3, "focus": "far and near", "focus_at": 2.0, "focus_stop": 0.7},
    {"bloom": 0.6, "focus": "far and near", "focus_at": 2.0, "focus_stop": 0.7},
    {"bloom": 0.6, "bloom_reach": 0.3},
    {"bloom": 0.6, "bloom_reach": 0.8},
    {"bloom": 0.6, "bloom_reach": 0.3, "ev100": 4.0},
    {"bloom": 0.6, "bloom_threshold": 0.3, "ev100": 4.0},
    {"bloom": 0.6, "bloom_threshold": 0.3, "ev100": 5.0},
    {"bloom": 0.3, "exposed": "metered", "compensation": 1.0},
)


def test_what_is_found_in_the_light_is_kept_as_long_as_that_is_the_same(renderer):
    """One look after another over the same light, and over another, and back: each as if nothing was before."""
    renderer.set_level(bundle_level(pale_room()))
    project = pale_room_project()
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)

    def seen(camera, change, known):
        scene = evaluate(project.revised(look=project.look.revised(ev100=3.0).revised(**change)))
        request = PictureRequest(1, scene, camera, SIZE)
        for _ in renderer.draw(request):
            pass
        renderer.engine.drawn += 0 if known else 1
        renderer.read_into(request, 0, out)
        return out.copy()

    views = (CAMERA, replace(CAMERA, direction=(0.5, -0.2, -0.8)), CAMERA)
    shown, alone = (
        [seen(camera, change, known) for camera in views for change in SEEN_LATER] for known in (True, False)
    )
    assert (np.stack(shown) == np.stack(alone)).all()
    assert len({item.tobytes() for item in shown}) == 2 * len(SEEN_LATER)


def test_a_look_that_changes_alone_spreads_no_light_anew(renderer, monkeypatch):
    renderer.set_level(bundle_level(pale_room()))
    base = pale_room_project()
    drawn = []
    programs = renderer.engine.programs
    before = programs.over_screen
    monkeypatch.setattr(programs, "over_screen", lambda program: (drawn.append(program), before(program)))

    def passes(**look):
        drawn.clear()
        request = PictureRequest(1, evaluate(base.revised(look=base.look.revised(**look))), CAMERA, SIZE)
        for _ in renderer.draw(request):
            pass
        renderer.read_into(request, 0, np.zeros((SIZE[1], SIZE[0], 4), np.uint8))
        return len(drawn)

    passes(bloom=0.3)
    assert passes(bloom=0.5, contrast=1.1) == 1  # the developing
    assert passes(bloom=0.5, bloom_reach=0.2) > 1

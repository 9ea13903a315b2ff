"""The passes of a picture: their order stands once, and what is kept is never what is not wanted."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource, SunSource
from wallum.frame.order import COUNTS, LIT, PASSES
from wallum.frame.quality import HIGH
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.engine import Engine, open_context
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest

SIZE = (96, 54)
CAMERA = Camera((0.0, 2.0, 6.0), (0.0, -0.25, -0.968), 55.0, 16 / 9, far=60.0)
ASIDE = Camera((1.5, 2.5, 6.0), (-0.2, -0.3, -0.933), 55.0, 16 / 9, far=60.0)
SUN = SunSource(id="sun", name="Sun", azimuth=150.0, elevation=40.0, stands="where set", light="own",
                illuminance=3000.0)  # fmt: skip
SPOT = SpotSource(id="spot", name="Spot", position=(1.0, 3.0, 1.0), intensity=900.0, shadow=True)
POINT = PointSource(id="point", name="Point", position=(-1.5, 1.5, 1.0), intensity=300.0, shadow=True)


def sheet(number, low, high, y=None, z=None):
    x = np.linspace(low[0], high[0], 3)
    other = np.linspace(low[1], high[1], 3)
    a, b = np.meshgrid(x, other)
    flat = [a, 0 * a + y, -b] if z is None else [a, b, 0 * a + z]
    return Mesh(f"m{number}", (grid(np.stack(flat, axis=-1), number),))


def level():
    """A floor, a block before it, and a pane that is seen through before both."""
    meshes = (
        sheet(0, (-6, -6), (6, 6), y=0.0),
        sheet(1, (-1, 0), (1, 1.5), z=-1.0),
        sheet(2, (-2, 0.2), (2, 2), z=2.0),
    )
    parts = tuple(Part(f"p{n}", f"p{n}", n, np.eye(4)) for n in range(3))
    materials = (
        Material("floor", (0.5, 0.5, 0.5, 1.0), 0.0, 0.8, double_sided=True),
        Material("block", (0.6, 0.3, 0.2, 1.0), 0.0, 0.6, double_sided=True),
        Material("pane", (0.4, 0.6, 0.8, 0.4), 0.0, 0.4, alpha="blend", double_sided=True),
    )
    return Level("passes", meshes, parts, materials)  # fmt: skip


def scene(*sources):
    return evaluate(Project(sources=sources or (SUN, SPOT, POINT), look=Look(ev100=8.0)))


def finished(steps):
    for _ in steps:
        pass


@pytest.fixture(scope="module")
def shown(renderer):
    bundle = bundle_level(level())

    def fresh(request):
        """A picture for which nothing was kept."""
        renderer.set_level(bundle)
        finished(renderer.draw(request))
        return renderer.luminance(request, settled=False)

    return fresh


WANTED = {
    "full": PictureRequest(1, scene(), CAMERA, SIZE),
    "another camera": PictureRequest(2, scene(), ASIDE, SIZE),
    "brighter": PictureRequest(3, scene(SUN, SPOT.revised(intensity=3000.0), POINT), CAMERA, SIZE),
    "moved lamp": PictureRequest(4, scene(SUN, SPOT.revised(position=(0.4, 3.0, 1.4)), POINT), CAMERA, SIZE),
    "moved sun": PictureRequest(5, scene(SUN.revised(azimuth=210.0), SPOT, POINT), CAMERA, SIZE),
    "under the hand": PictureRequest(6, scene(), CAMERA, SIZE, active=frozenset({"spot"})),
    "the sun under the hand": PictureRequest(7, scene(), CAMERA, SIZE, active=frozenset({"sun"})),
    "inspected": PictureRequest(8, scene(), CAMERA, SIZE, view="normals"),
    "grey": PictureRequest(9, scene(), CAMERA, SIZE, view="grey"),
    "fewer": PictureRequest(10, scene(POINT), CAMERA, SIZE),
    "thumb": PictureRequest(11, scene(POINT, SPOT), ASIDE, (72, 40), detail="thumb"),
}  # fmt: skip
AT_REST = [name for name, item in WANTED.items() if not item.active]


def test_the_engine_draws_every_pass_in_the_order_that_stands_in_one_place(renderer):
    assert [pass_.described for pass_ in renderer.engine.passes] == list(LIT)
    names = [pass_.name for pass_ in PASSES]
    assert len(set(names)) == len(names)
    for pass_ in renderer.engine.passes:
        assert all(names.index(read) < names.index(pass_.name) for read in pass_.reads), pass_.name
    assert set(COUNTS) <= set(names)


@pytest.mark.parametrize("name", AT_REST)
def test_nothing_is_drawn_twice(renderer, shown, name):
    if name == "inspected":
        pytest.skip("a view without light is drawn each time")
    request = WANTED[name]
    first = shown(request)
    finished(renderer.draw(replace(request, number=20)))
    assert [record.name for record in renderer.engine.log.records] == []
    assert np.array_equal(renderer.luminance(request, settled=False), first)


@pytest.mark.parametrize("before", list(WANTED))
def test_a_picture_given_up_anywhere_leaves_nothing_false_behind(renderer, shown, before):
    """Whoever drives the renderer turns to something newer between draws."""
    after = "full" if before != "full" else "moved lamp"
    true = shown(WANTED[after])
    steps = sum(1 for _ in renderer.draw(WANTED[before])) + 1
    for stop in range(steps):
        shown(WANTED["full"])
        given_up = renderer.draw(WANTED[before])
        for _ in range(stop):
            next(given_up, None)
        given_up.close()
        finished(renderer.draw(replace(WANTED[after], number=30)))
        assert np.allclose(renderer.luminance(WANTED[after], settled=False), true, rtol=2e-3), stop


@pytest.mark.parametrize("before", list(WANTED))
@pytest.mark.parametrize("after", AT_REST)
def test_what_is_kept_of_another_picture_changes_none(renderer, shown, before, after):
    true = shown(WANTED[after])
    shown(WANTED[before])
    finished(renderer.draw(WANTED[after]))
    assert np.allclose(renderer.luminance(WANTED[after], settled=False), true, rtol=2e-3, atol=1e-6)


@pytest.mark.parametrize("active", ["spot", "point", "sun"])
def test_what_is_not_under_the_hand_is_lit_once(renderer, shown, active):
    """However the source under the hand moves: its shadow is drawn anew, the others' light is not."""
    drawn = []
    for step in range(3):
        away = 0.1 * step
        sources = {
            "sun": SUN.revised(azimuth=150.0 + 9.0 * step) if active == "sun" else SUN,
            "spot": SPOT.revised(position=(1.0 + away, 3.0, 1.0)) if active == "spot" else SPOT,
            "point": POINT.revised(position=(-1.5 + away, 1.5, 1.0)) if active == "point" else POINT,
        }
        request = PictureRequest(step, scene(*sources.values()), CAMERA, SIZE, active=frozenset({active}))
        if not step:
            shown(request)
        else:
            finished(renderer.draw(request))
        drawn.append({record.name for record in renderer.engine.log.records})
    shadows = "sun shadows" if active == "sun" else "lamp shadows"
    assert "light of the others" in drawn[0]
    for names in drawn[1:]:
        assert names == {shadows, "light added", "light of see-through"}


def test_quality_is_a_value(renderer):
    """A coarser one draws fewer texels, and is a renderer's own."""
    low = replace(HIGH, tile_sizes=(128,), lamp_atlas=1024, sun_texels=256)
    works = []
    for quality in (HIGH, low):
        engine = Engine(open_context(), quality)
        engine.set_level(bundle_level(level()))
        finished(engine.picture(WANTED["full"]))
        works.append({record.name: record.work for record in engine.log.records})
    for name in ("lamp shadows", "sun shadows"):
        assert works[1][name]["texels"] < 0.3 * works[0][name]["texels"]
    assert works[1]["surfaces"] == works[0]["surfaces"]

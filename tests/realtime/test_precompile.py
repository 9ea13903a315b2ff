"""What a hand draws with first is there before it does: no program is made in the midst of a drag."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.level.demos.pale_room import pale_room
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.realtime.gl import programs as gl_programs
from wallum.realtime.gl.sizes import non_power_of_two
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.precompile import _one_probe, precompile
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

CAMERA = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)
LAMP = PointSource(id="lamp", name="Lamp", position=(0.5, 1.5, 0.5), intensity=500.0, shadow=True)


def _power(side):
    return side & (side - 1) == 0


@pytest.fixture(scope="module")
def drawn_with():
    """A renderer that has compiled what it thinks of; and of each program that it draws with, since it was made,
    which sides of the textures that it reads are powers of two."""
    seen: dict[str, set[object]] = {}
    own = gl_programs.bind_textures

    def noted(program):
        names = {unit: name for name, unit in program.extra.units.items()}
        textures = {names[unit]: texture for unit, texture in program.extra.textures.items()}
        sizes = {
            name: getattr(texture, "size", None) or (texture.width, texture.height)
            for name, texture in textures.items()
        }
        sides = tuple(sorted((name, tuple(map(_power, size))) for name, size in sizes.items()))
        seen.setdefault(program.glo, set()).add(sides)
        own(program)

    patch = pytest.MonkeyPatch()
    patch.setattr(gl_programs, "bind_textures", noted)
    renderer = Renderer()
    renderer.set_level(bundle_level(pale_room()))
    resting = PictureRequest(0, _scene(12.0), CAMERA, (96, 54))
    for _ in precompile(renderer, lambda: resting):
        pass
    yield renderer, seen
    patch.undo()


def _scene(hour):
    return evaluate(Project(sources=(*base_light(), LAMP)), Moment(hour))


def _drawn(renderer, request):
    for _ in renderer.draw(request):
        pass
    renderer.read_into(request, 0, np.zeros((request.size[1], request.size[0], 4), np.uint8))


@pytest.mark.parametrize("size", [(96, 54), (300, 170), (480, 270)])
@pytest.mark.parametrize("hour", [12.0, 18.5, 23.0])
def test_day_and_night_and_their_drags_need_no_other_programs(drawn_with, hour, size):
    """Whatever the size: of pictures, of lists of lamps, of shadow maps, of the air's volume."""
    renderer, seen = drawn_with
    scene = _scene(hour)
    renderer.set_probes(_one_probe())
    renderer.engine.probe_light.take({"lamp": np.zeros((1 + 27, 3), np.float16)})
    before = {program: set(sides) for program, sides in seen.items()}
    whole = PictureRequest(1, scene, CAMERA, size)
    for request in (whole, replace(whole, detail="reduced"), replace(whole, active=frozenset({"lamp"}))):
        _drawn(renderer, request)
    more = {program: sides - before.get(program, set()) for program, sides in seen.items()}
    assert {program: sides for program, sides in more.items() if sides} == {}


def test_a_side_is_no_power_of_two_and_hardly_larger():
    for size in range(1, 5000):
        side = non_power_of_two(size)
        assert not _power(side)
        assert side == size or (_power(size) and side <= size + 2)

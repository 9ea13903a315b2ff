"""While strength or colour of what is under the hand alone changes, no light is drawn: it is linear.

Of a scene drawn once with the hand's lamps and once as if they gave nothing, the picture at any other
strength is the second plus so much of what the first has more.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.frame.views import INSPECTED
from wallum.moment.lamps import Lamps
from wallum.moment.scene import LitScene
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import Size
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.interaction.light_key import light_key
from wallum.realtime.process.request import PictureRequest

__all__ = ["HandLight", "HandRequest", "dark", "hand_request"]

# So many times as strong as what was drawn, and the steps of half floats would begin to show.
MAX_GAIN = 12.0
SAME = 1e-4
Gain = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class HandRequest:
    """What a request asks for, of a hand that holds lamps.

    rest     : all that the picture shows beside how strong these are, to be compared
    emission : (N, 3) of theirs; glow : what glow that follows them gives, by lamp
    held     : exposure that the light is held with
    """

    rest: bytes
    emission: NDArray[np.float64]
    glow: dict[str, float]
    held: float


def hand_request(request: PictureRequest) -> HandRequest | None:
    """None where a hand holds nothing, or the picture shows no light. All but lamps that it holds is of the
    rest."""
    if request.detail != "full" or request.view in INSPECTED or not request.active:
        return None
    scene = request.shown_scene
    own = _own(scene.lamps, request.active)
    emission = scene.lamps.rows["emission"][own].astype(np.float64)
    glow = {item: value for item, value in scene.glow.items() if item in request.active}
    rest = light_key(request, dark(scene, request.active))
    return HandRequest(rest, emission, glow, pre_exposure(scene.look.ev100))


def dark(scene: LitScene, active: Iterable[str]) -> LitScene:
    """A scene whose lamps under the hand give nothing, and what glows with them neither."""
    rows = scene.lamps.rows.copy()
    rows["emission"][_own(scene.lamps, active)] = 0.0
    glow = {item: 0.0 if item in active else value for item, value in scene.glow.items()}
    return replace(scene, lamps=Lamps(scene.lamps.ids, rows), glow=glow)


def _own(lamps: Lamps, active: Iterable[str]) -> NDArray[np.bool_]:
    return np.array([item in active for item in lamps.ids], dtype=bool)


def gain_between(was: HandRequest, now: HandRequest) -> Gain | None:
    """(3,) how many times as strong the hand's lamps have become in each channel, all alike; None: they have
    not, or so much that the picture is to be drawn."""
    if not len(was.emission):
        return np.ones(3)  # none of them reaches the picture
    lit = was.emission > 0.0
    if (now.emission[~lit] > 0.0).any():
        return None
    ratios = np.where(lit, now.emission / np.where(lit, was.emission, 1.0), 0.0)
    largest = ratios.max(axis=0)
    gain = np.where(lit.any(axis=0), largest, largest.max())  # of a channel that no lamp has any will do
    if (lit & (np.abs(ratios - gain) > SAME * np.maximum(gain, SAME))).any():
        return None
    for item, value in was.glow.items():
        if np.abs(now.glow.get(item, 0.0) - value * gain).max() > 10.0 * SAME * max(value, SAME):
            return None
    return gain if gain.max() <= MAX_GAIN else None


class HandLight:
    """Keeps the two pictures."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._textures: dict[str, tuple[moderngl.Texture, moderngl.Framebuffer]] = {}
        self._was: HandRequest | None = None
        self._drawn = 0
        self.has_two = False
        self.shown = False  # whether the last picture was made of them

    @property
    def light(self) -> moderngl.Texture:
        """Of the last picture that was made of the two, pre-exposed as its request is."""
        return self._textures["shown"][0]

    def forget(self) -> None:
        """What lights the level otherwise has changed."""
        self._was, self.has_two = None, False

    def note(self, asked: HandRequest | None, drawn: int, light: moderngl.Framebuffer) -> None:
        """A picture has been drawn, its light is this; drawn : passes up to now."""
        # Without the hand's lamps it is as it was: it need not be drawn once more.
        was = self._was
        same = asked is not None and was is not None and (asked.rest, asked.held) == (was.rest, was.held)
        stays = self.has_two and same
        self._was, self._drawn, self.has_two, self.shown = asked, drawn, False, False
        if stays:
            self.keep("with", light)
            self.has_two = True

    def gain(self, asked: HandRequest | None, drawn: int) -> Gain | None:
        """How many times as strong the hand's lamps are as in the picture that is kept, or was just drawn;
        None where that is of something else."""
        if asked is None or self._was is None or asked.rest != self._was.rest:
            return None
        if not self.has_two and drawn != self._drawn:
            return None
        return gain_between(self._was, asked)

    def _target(self, name: str, size: Size) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        built = self._textures.get(name)
        if built is not None and built[0].size == size:
            return built
        if built is not None:
            built[1].release()
            built[0].release()
        texture = self._context.texture(size, 4, dtype="f2")
        texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._textures[name] = texture, self._context.framebuffer([texture])
        return self._textures[name]

    def keep(self, name: str, light: moderngl.Framebuffer) -> None:
        """Keep a picture: "with" the hand's lamps, or "without"."""
        self._context.copy_framebuffer(self._target(name, light.size)[1], light)
        self.has_two = name == "without"

    def draw(self, gain: Gain, asked: HandRequest) -> dict[str, int]:
        """The picture with that much of their light. Returns the work that was done."""
        assert self._was is not None
        size = self._textures["with"][0].size
        program = self._programs.get("screen", "hand")
        set_uniforms(
            program,
            with_hand=self._textures["with"][0],
            without=self._textures["without"][0],
            gain=tuple(gain.tolist()),
            scale=asked.held / self._was.held,
        )
        self._target("shown", size)[1].use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        self.shown = True
        return {"pixels": size[0] * size[1]}

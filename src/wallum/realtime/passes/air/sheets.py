"""What stands for lit air over the picture: cards and veils, and what is drawn out from the sun."""

from typing import Final

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.frame.passes.air import AIR
from wallum.frame.passes.light import LIGHT, LIGHT_ADDED, LIGHT_OF_SEE_THROUGH
from wallum.frame.passes.sheets import CARDS, SCREEN_SHAFTS, SHAFT_PART
from wallum.frame.passes.surfaces import SURFACES
from wallum.moment.camera import Camera
from wallum.moment.far_place import sun_in_picture
from wallum.physics.card import MEAN_CUBE, Card
from wallum.physics.pocket import NOISE_CELLS
from wallum.physics.screen_shafts import Radial
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import Size
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.air.pockets import noise_texture
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps

__all__ = ["Cards", "ScreenShafts", "sheet_rows"]

# A row of card.vert.glsl, in numbers, and its parts as they are called there.
PARTS: Final = (
    "in_start", "in_along", "in_across", "in_light", "in_even", "in_toward", "in_shown", "in_fades",
    "in_grain",
)  # fmt: skip
FORMAT: Final = "4f 4f 4f 4f 4f 4f 4f 4f 1f /i"
WORDS: Final = 33
KINDS: Final = {"beam": 0.0, "opening": 1.0, "veil": 2.0}
# What is finished before these are laid over it.
BEFORE: Final = tuple(item.name for item in (SURFACES, LIGHT, LIGHT_ADDED, AIR, LIGHT_OF_SEE_THROUGH))


def _rows_of(card: Card, exposure: float) -> NDArray[np.float32]:
    out = np.zeros((len(card.sheets), WORDS), np.float32)
    fades, count = card.fades, len(card.sheets)
    shown = 4.0 / 3.0 / (MEAN_CUBE * count if count > 1 else 1.0)
    cells = NOISE_CELLS / 8.0 / fades.grain_m
    # Noise repeats: what it has moved by is kept small, for single precision.
    gone = np.mod(fades.drifted, NOISE_CELLS / cells * 100.0)
    for row, sheet in zip(out, card.sheets, strict=True):
        row[0:4] = *sheet.start, sheet.widths[0]
        row[4:8] = *sheet.along, sheet.widths[1]
        row[8:12] = *sheet.across, KINDS[card.kind]
    out[:, 12:16] = *(np.array(card.light) * exposure), card.hides
    out[:, 16:20] = *(np.array(card.even) * exposure), max(fades.sides, 0.01)
    if card.kind == "opening":
        out[:, 16:19] = [sheet.beside for sheet in card.sheets]
    out[:, 20:24] = *card.toward, card.forwardness
    out[:, 24:28] = shown, card.source_m, 1.0 / card.range_m if card.range_m > 0.0 else 0.0, fades.contrast
    if card.kind == "opening":
        out[:, 24] = [sheet.thick for sheet in card.sheets]
    out[:, 28:32] = 1.0 / max(fades.surface, 1e-3), 1.0 / max(fades.camera, 1e-3), gone[0], gone[2]
    out[:, 32] = cells
    return out


def sheet_rows(cards: tuple[Card, ...], camera: Camera, exposure: float) -> NDArray[np.float32]:
    """(N, WORDS) of every sheet, the farthest first, light times `exposure`."""
    rows = np.concatenate([_rows_of(card, exposure) for card in cards])
    middles = np.concatenate([[sheet.middle for sheet in card.sheets] for card in cards])
    away = np.linalg.norm(middles - np.array(camera.eye), axis=1)
    return np.ascontiguousarray(rows[np.argsort(-away, kind="stable")])


class _Composite(Pass):
    """What is laid over a finished picture, in its place."""

    reads = BEFORE
    over = True

    def __init__(self, log: PassLog, context: moderngl.Context, programs: Programs) -> None:
        super().__init__(log)
        self._context, self._programs = context, programs

    def _lay(self, draft: FrameContext, blend: tuple[int, int]) -> None:
        """Get ready to be laid over the picture's light."""
        frame = draft.targets.result.frame
        frame.use()
        frame.viewport = (0, 0, *draft.size)
        frame.depth_mask = False
        self._context.enable_only(moderngl.BLEND)
        self._context.blend_func = blend


class Cards(_Composite):
    """Cards and veils, the farthest sheet first."""

    described = CARDS

    def __init__(self, log: PassLog, context: moderngl.Context, programs: Programs) -> None:
        super().__init__(log, context, programs)
        self._noise = noise_texture(context)
        self._buffer = context.buffer(reserve=WORDS * 4 * 64, dynamic=True)

    def wanted(self, draft: FrameContext) -> bool:
        return bool(draft.scene.cards) and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return None if draft.active else draft.scene.cards

    def draw(self, draft: FrameContext) -> Steps:
        view, exposure = draft.view, pre_exposure(draft.scene.look.ev100)
        rows = sheet_rows(draft.scene.cards, view.camera, exposure)
        with self.log.measure(self.name) as work:
            if rows.nbytes > self._buffer.size:
                self._buffer.orphan(rows.nbytes)
            self._buffer.write(rows)
            program = self._programs.get("card", "card")
            set_uniforms(
                program,
                **view.uniforms,
                **view.pixel_uniforms(draft.size),
                to_clip=view.to_clip.T.astype("f4").tobytes(),
                g_depth=draft.gbuffer.distance,
                pocket_noise=self._noise,
            )
            self._lay(draft, (moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA))
            array = self._programs.array(program, (self._buffer, FORMAT, *PARTS))
            array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=len(rows))
            work["sheets"] = len(rows)
        yield


class ScreenShafts(_Composite):
    """Light and shade drawn out from sun or moon."""

    described = SCREEN_SHAFTS
    reads = (*BEFORE, CARDS.name)

    def __init__(self, log: PassLog, context: moderngl.Context, programs: Programs) -> None:
        super().__init__(log, context, programs)
        self._held: tuple[Size, list[moderngl.Framebuffer]] | None = None

    def wanted(self, draft: FrameContext) -> bool:
        shafts = draft.scene.screen
        there = shafts is not None and sun_in_picture(shafts.toward, draft.view.camera)[2] > 0.0
        return there and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return None if draft.active else draft.scene.screen

    def _frames(self, size: Size) -> list[moderngl.Framebuffer]:
        if self._held is None or self._held[0] != size:
            for frame in [] if self._held is None else self._held[1]:
                for texture in frame.color_attachments:
                    texture.release()
                frame.release()
            textures = [self._context.texture(size, components, dtype="f2") for components in (1, 4)]
            for texture in textures:
                texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
                texture.repeat_x = texture.repeat_y = False
            self._held = size, [self._context.framebuffer([texture]) for texture in textures]
        return self._held[1]

    def draw(self, draft: FrameContext) -> Steps:
        shafts = draft.scene.screen
        assert shafts is not None
        with self.log.measure(self.name) as work:
            width, height = (max(-(-side // SHAFT_PART), 1) for side in draft.size)
            opened, drawn = self._frames((width, height))
            self._context.enable_only(0)
            self._find_open(draft, shafts, opened)
            self._draw_out(draft, shafts, opened, drawn)
            self._lay(draft, (moderngl.ONE, moderngl.SRC_ALPHA))
            program = self._programs.get("screen", "copy")
            set_uniforms(program, picture=drawn.color_attachments[0])
            self._programs.over_screen(program)
            work["pixels"] = width * height
        yield

    def _find_open(self, draft: FrameContext, shafts: Radial, opened: moderngl.Framebuffer) -> None:
        program = self._programs.get("screen", "shaft_open")
        width, height = opened.size
        set_uniforms(
            program,
            pixel_size=(1.0 / width, 1.0 / height),
            part=(0.5 / width, 0.5 / height),
            picture=draft.targets.result.light,
            g_depth=draft.gbuffer.distance,
            over_bright=1.0 / max(shafts.bright * pre_exposure(draft.scene.look.ev100), 1e-9),
        )
        opened.use()
        self._programs.over_screen(program)

    def _draw_out(
        self, draft: FrameContext, shafts: Radial, opened: moderngl.Framebuffer, drawn: moderngl.Framebuffer
    ) -> None:
        program = self._programs.get("screen", "shaft_drawn")
        x, y, left = sun_in_picture(shafts.toward, draft.view.camera)
        width, height = drawn.size
        light = np.array(shafts.light) * pre_exposure(draft.scene.look.ev100)
        set_uniforms(
            program,
            pixel_size=(1.0 / width, 1.0 / height),
            opened=opened.color_attachments[0],
            sun_place=(x, 1.0 - y, left),
            shape=draft.size[0] / draft.size[1],
            shaft_length=(shafts.length, shafts.darkens),
            shaft_light=tuple(light.tolist()),
        )
        drawn.use()
        self._programs.over_screen(program)

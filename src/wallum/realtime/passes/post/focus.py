"""Depth of field over the light of a picture. Twin of physics/focus.py."""

from dataclasses import dataclass

import moderngl
import numpy as np

from wallum.physics.focus import MAXIMUM, SPIRAL, Focus, tile_of
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import Size

__all__ = ["FocusBlur"]

MAX_SIZES = 4


@dataclass(frozen=True)
class FocusTargets:
    """Textures, and what draws into them."""

    textures: tuple[moderngl.Texture, ...]
    frame: moderngl.Framebuffer


class FocusBlur:
    """Keeps what it draws into, of the last few sizes, and what it drew last."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._made: dict[Size, dict[str, FocusTargets]] = {}
        self._kept: tuple[tuple[object, ...], moderngl.Texture] | None = None

    def _target(self, size: Size, many: int) -> FocusTargets:
        textures = tuple(self._context.texture(size, 4, dtype="f2") for _ in range(many))
        for texture in textures:
            texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
            texture.repeat_x = texture.repeat_y = False
        return FocusTargets(textures, self._context.framebuffer(list(textures)))

    def _of(self, size: Size) -> dict[str, FocusTargets]:
        if size not in self._made:
            if len(self._made) >= MAX_SIZES:
                self._kept = None
                for old in self._made.pop(next(iter(self._made))).values():
                    old.frame.release()
                    for texture in old.textures:
                        texture.release()
            half, tile = ((size[0] + 1) // 2, (size[1] + 1) // 2), tile_of(size[1])
            tiles = -(-half[0] // tile), -(-half[1] // tile)
            sizes = {"HALVED": half, "TILES": tiles, "GATHERED": half, "": size}
            self._made[size] = {
                name: self._target(item, 2 if name == "GATHERED" else 1) for name, item in sizes.items()
            }
        return self._made[size]

    def _draw(
        self, made: dict[str, FocusTargets], name: str, **values: object
    ) -> tuple[moderngl.Texture, ...]:
        program = self._programs.get("screen", "focus", frozenset({name} if name else ()))
        set_uniforms(program, **values)
        made[name].frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        return made[name].textures

    def drawn(
        self,
        light: moderngl.Texture,
        depth: moderngl.Texture,
        focus: Focus,
        fov_deg: float,
        key: tuple[object, ...] = (),
    ) -> moderngl.Texture:
        """The light of a picture as a lens draws it.

        depth : of its surfaces [m], 0 for the sky; fov_deg : vertical
        key   : of all these, which are not drawn again while that is the same; empty: they are
        """
        if not key or self._kept is None or self._kept[0] != key:
            self._kept = key, self._drawn(light, depth, focus, fov_deg)
        return self._kept[1]

    def _drawn(
        self, light: moderngl.Texture, depth: moderngl.Texture, focus: Focus, fov_deg: float
    ) -> moderngl.Texture:
        built, height = self._of(light.size), light.size[1]
        low, high = -MAXIMUM * height, MAXIMUM * height
        sides = (0.0 if focus.side == "far" else low, 0.0 if focus.side == "near" else high)
        lens = {"strength": focus.strength(fov_deg) * height, "focus_at": focus.at, "sides": sides}
        tile = tile_of(height)
        (halved,) = self._draw(built, "HALVED", picture=light, depths=depth, **lens)
        (tiles,) = self._draw(built, "TILES", halved=halved, tile=tile)
        spiral = np.ascontiguousarray(SPIRAL, np.float32).tobytes()
        gathered = self._draw(built, "GATHERED", halved=halved, tiles=tiles, tile=tile, spiral=spiral)
        behind, before = gathered
        (drawn,) = self._draw(built, "", picture=light, depths=depth, behind=behind, before=before, **lens)
        return drawn

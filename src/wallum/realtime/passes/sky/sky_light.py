"""The sky behind everything, its mirror image for surfaces, sun, moon and stars."""

import logging
import math

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.errors import WallumError
from wallum.frame.quality import HIGH, Quality
from wallum.moment.scene import Disc, Dome, LitScene, SkyPicture
from wallum.physics.deck import DECK_STEPS, Deck, deck_noise
from wallum.physics.dome import FACTORS
from wallum.physics.exposure import exposure_scale
from wallum.physics.high_cloud import HighCloud
from wallum.physics.noise import cloud_noise
from wallum.physics.stars import stars
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer, LightTarget, Size
from wallum.realtime.gl.view import View
from wallum.realtime.passes.sky.sky_picture import PictureTexture

__all__ = ["SkyPass"]

log = logging.getLogger(__name__)

MIRROR_SIZE, DISCS = 128, 2
# Stars fainter than this share of the darkest sky do not show in eight bits.
STAR_SHARE = 2e-3


def _disc_uniforms(discs: tuple[Disc, ...], exposure: float) -> dict[str, object]:
    place, light, lit_from = np.zeros((DISCS, 4)), np.zeros((DISCS, 3)), np.zeros((DISCS, 4))
    for i, disc in enumerate(discs[:DISCS]):
        place[i] = (*disc.direction, disc.radius_rad)
        # Half floats end at 65,504; beyond that all is burnt anyway.
        light[i] = np.minimum(disc.luminance * exposure, 60_000.0)
        if disc.lit_from is not None:
            lit_from[i] = (*disc.lit_from, 1.0)
    return {
        "disc_place": place.astype("f4").tobytes(),
        "disc_light": light.astype("f4").tobytes(),
        "disc_lit_from": lit_from.astype("f4").tobytes(),
    }


def _noise_texture(context: moderngl.Context, table: NDArray[np.float32]) -> moderngl.Texture:
    """A table that repeats, to be read between its cells."""
    texture = context.texture(table.shape[::-1], 1, table.tobytes(), dtype="f4")
    texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
    texture.repeat_x = texture.repeat_y = True
    return texture


class SkyPass:
    """Keeps the dome that was shown last, and what is made from it."""

    def __init__(self, context: moderngl.Context, programs: Programs, quality: Quality = HIGH) -> None:
        self._context, self._programs, self._quality = context, programs, quality
        self._dome: moderngl.Texture | None = None
        self._key: object = None
        self._scale = 1.0
        self._picture = PictureTexture(context)
        self._behind: SkyPicture | None = None
        self._noise: moderngl.Texture | None = None
        self._deck_noise: moderngl.Texture | None = None
        self._deck: moderngl.Texture | None = None
        self._deck_frame: moderngl.Framebuffer
        self._stars: tuple[moderngl.Buffer, int] | None = None
        self._mirror = context.texture((MIRROR_SIZE, MIRROR_SIZE), 4, dtype="f4")
        self._mirror.filter = (moderngl.LINEAR_MIPMAP_NEAREST, moderngl.LINEAR)
        self._mirror.repeat_x = self._mirror.repeat_y = False
        self._mirror_frame = context.framebuffer([self._mirror])
        self.floor_y, self.top_y = 0.0, 0.0  # of the level
        self.marched: object = None  # what the march that is held depends on

    def shows(self, dome: Dome) -> bool:
        """Whether a dome is the one that was taken over last."""
        return self._key == dome.key

    def show(self, dome: Dome) -> None:
        """Take a dome over: its texture, and its mirror image with blurred copies."""
        if self.shows(dome):
            return
        self._key = dome.key
        rows = np.ascontiguousarray(dome.behind[::-1], dtype=np.float32)
        # The mirror image has no march in it: with a deck it is made from the sky's light as it is.
        whole = dome.deck is not None
        # A new one: writing into the old would wait for all that is still being drawn.
        if self._dome is not None:
            self._dome.release()
        self._dome = self._texture(rows)
        # Kept about 1, so that neither noon nor night leaves the range of half floats.
        self._scale = 1.0 / max(float(rows.mean()), 1e-12)
        self._behind = None if dome.picture is None else self._taken(dome.picture)
        if whole:
            rows = np.ascontiguousarray(dome.luminance[::-1], dtype=np.float32)
            texture = self._texture(rows)
            self._draw_mirror(dome, {"dome": texture, "dome_exposure": self._scale}, set())
            texture.release()
            return
        values = self._behind_uniforms(2.0 * math.pi / (2 * MIRROR_SIZE), self._scale)
        values |= self.cloud_uniforms(dome.cloud, self._scale)
        self._draw_mirror(
            dome, values, self._behind_names() | ({"CLOUD"} if dome.cloud is not None else set())
        )

    def _texture(self, rows: NDArray[np.float32]) -> moderngl.Texture:
        """(H, W, 3) light by direction, all around."""
        texture = self._context.texture(rows.shape[1::-1], 3, rows, dtype="f4")
        texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        texture.repeat_x, texture.repeat_y = True, False
        return texture

    def _draw_mirror(self, dome: Dome, values: dict[str, object], names: set[str]) -> None:
        """The mirror image of what is behind, with its blurred copies."""
        program = self._programs.get("screen", "mirror", frozenset(names))
        set_uniforms(program, far_ground=tuple(dome.ground * self._scale), **values)
        self._mirror_frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        self._mirror.build_mipmaps()

    def _taken(self, picture: SkyPicture) -> SkyPicture | None:
        """A picture whose texture is there; None where it cannot be read any more."""
        try:
            self._picture.take(picture)
        except WallumError as error:
            log.warning("%s", error)
            return None
        return picture

    def _behind_names(self) -> set[str]:
        return set() if self._behind is None else {"PICTURE"}

    def _behind_uniforms(self, pixel_rad: float, exposure: float) -> dict[str, object]:
        """Values of include/sky_behind.glsl."""
        if self._behind is not None:
            return self._picture.uniforms(self._behind, pixel_rad, exposure)
        assert self._dome is not None
        return {"dome": self._dome, "dome_exposure": exposure}

    def surface_uniforms(self, dome: Dome, exposure: float) -> dict[str, object]:
        """Values that the light pass needs of the sky; its maps are those that were taken over last."""
        return {
            "sky_terms": (dome.terms * FACTORS[:, None] * exposure).astype("f4").tobytes(),
            "mirror": self._mirror,
            "mirror_exposure": exposure / self._scale * dome.mirrored,
        }

    def draw(
        self, scene: LitScene, view: View, gbuffer: GBuffer, target: LightTarget, exposure: float
    ) -> None:
        """Add what lies behind all surfaces: sky, far ground, and stars."""
        if scene.sky is None:
            return
        names = self._behind_names() | ({"CLOUD"} if scene.sky.cloud is not None else set())
        values: dict[str, object] = {**view.uniforms, "floor_y": self.floor_y}
        values |= self._sky_uniforms(scene.sky, view, gbuffer, exposure)
        if scene.sky.deck is not None:
            names.add("DECK")
            values |= self.deck_before(scene.sky.deck, view, gbuffer)
        program = self._programs.get("screen", "background", frozenset(names))
        set_uniforms(program, **values)
        self._ready(target, gbuffer)
        self._programs.over_screen(program)
        if scene.sky.stars is not None:
            self._draw_stars(scene, view, gbuffer, target, exposure)
        # What of the deck may stand before surfaces.
        deck = scene.sky.deck
        if deck is not None and max(view.camera.eye[1], self.top_y) > deck.base:
            self._draw_over(deck, view, gbuffer, target)

    def deck_before(self, deck: Deck, view: View, gbuffer: GBuffer) -> dict[str, object]:
        """Values by which a marched deck stands before other things, and where it begins."""
        return {
            "deck": self._deck,
            "deck_uv": (1.0 / gbuffer.size[0], 1.0 / gbuffer.size[1]),
            "deck_layer": (deck.base, deck.thick, deck.extinction, deck.detail),
            "deck_eye": (*view.camera.eye, 0.0),
        }

    def _draw_over(self, deck: Deck, view: View, gbuffer: GBuffer, target: LightTarget) -> None:
        """The deck before surfaces."""
        program = self._programs.get("screen", "deck_over")
        set_uniforms(
            program,
            **{name: value for name, value in view.uniforms.items() if name != "eye"},
            **self.deck_before(deck, view, gbuffer),
            far_off=gbuffer.distance,
        )
        self._ready(target, gbuffer)
        self._context.blend_func = moderngl.ONE, moderngl.SRC_ALPHA
        self._context.depth_func = "!="
        self._programs.over_screen(program)

    def _sky_uniforms(self, dome: Dome, view: View, gbuffer: GBuffer, exposure: float) -> dict[str, object]:
        pixel_rad = 2.0 * view.camera.tangents[1] / gbuffer.size[1]
        return {
            **self._behind_uniforms(pixel_rad, exposure),
            "far_ground": tuple(dome.ground * exposure),
            "veil": dome.veil,
            "pixel_rad": pixel_rad,
            "sky_terms": (dome.terms * FACTORS[:, None] * exposure).astype("f4").tobytes(),
            **_disc_uniforms(dome.discs, exposure),
            **self.cloud_uniforms(dome.cloud, exposure),
        }

    def march(self, deck: Deck, view: View, size: Size, exposure: float) -> int:
        """The deck at a fraction of the picture's size, for `draw`; returns the samples taken."""
        part = self._quality.deck_part
        small = (-(-size[0] // part), -(-size[1] // part))
        if self._deck is None or self._deck.size != small:
            if self._deck is not None:
                self._deck_frame.release()
                self._deck.release()
            self._deck = self._context.texture(small, 4, dtype="f2")
            self._deck.filter = (moderngl.LINEAR, moderngl.LINEAR)
            self._deck.repeat_x = self._deck.repeat_y = False
            self._deck_frame = self._context.framebuffer([self._deck])
        program = self._programs.get("screen", "deck")
        eye = view.camera.eye
        # While a picture settles its jitter goes on, and so do the samples.
        offset = (view.jitter[0] * size[0] * 3.7 + view.jitter[1] * size[1] * 5.3) % 1.0
        set_uniforms(
            program,
            **{name: value for name, value in view.uniforms.items() if name != "eye"},
            **self.deck_uniforms(deck, (*eye, offset)),
            deck_toward=deck.toward,
            deck_sunlit=tuple(part * exposure for part in deck.sunlit),
            deck_above=tuple(part * exposure for part in deck.above),
            deck_below=tuple(part * exposure for part in deck.below),
            deck_veil=deck.veil,
        )
        self._deck_frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        return small[0] * small[1] * DECK_STEPS

    def deck_uniforms(self, deck: Deck, eye: tuple[float, float, float, float]) -> dict[str, object]:
        """Where the deck is, for include/deck.glsl: all but its light."""
        if self._deck_noise is None:
            self._deck_noise = _noise_texture(self._context, deck_noise())
        return {
            "deck_noise": self._deck_noise,
            "deck_layer": (deck.base, deck.thick, deck.extinction, deck.detail),
            "deck_place": (deck.cover, 1.0 / deck.tile, *(item / deck.tile % 1.0 for item in deck.drift)),
            "deck_eye": eye,
        }

    def cloud_uniforms(self, cloud: HighCloud | None, scale: float) -> dict[str, object]:
        """Values of include/cloud.glsl, for light in a scale."""
        if cloud is None:
            return {}
        if self._noise is None:
            self._noise = _noise_texture(self._context, cloud_noise())
        return {
            "cloud_noise": self._noise,
            "cloud_shape": (cloud.cover, cloud.soft, cloud.opacity, cloud.height),
            "cloud_place": (1.0 / cloud.tile, *(item / cloud.tile % 1.0 for item in cloud.drift)),
            "cloud_toward": cloud.toward,
            "cloud_sunlit": tuple(part * scale for part in cloud.sunlit),
            "cloud_even": tuple(part * scale for part in cloud.even),
        }

    def _ready(self, target: LightTarget, gbuffer: GBuffer) -> None:
        target.frame.use()
        target.frame.depth_mask = False
        target.frame.viewport = (0, 0, *gbuffer.size)
        self._context.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND)
        self._context.blend_func = moderngl.ONE, moderngl.ONE
        # The far end: only where no surface is.
        self._context.depth_func = "=="

    def _star_array(self, program: moderngl.Program) -> tuple[moderngl.VertexArray, int]:
        if self._stars is None:
            places, light = stars()
            data: NDArray[np.float32] = np.concatenate([places, light], axis=1).astype("f4")
            self._stars = (self._context.buffer(data.tobytes()), len(data))
        array = self._programs.array(program, (self._stars[0], "3f4 3f4", "in_place", "in_light"))
        return array, self._stars[1]

    def _draw_stars(
        self, scene: LitScene, view: View, gbuffer: GBuffer, target: LightTarget, exposure: float
    ) -> None:
        assert scene.sky is not None
        assert scene.sky.stars is not None
        solid = (2.0 * view.camera.tangents[1] / gbuffer.size[1]) ** 2
        brightest = float(stars()[1].max()) / solid * scene.sky.stars.strength
        if brightest < STAR_SHARE * float(scene.sky.luminance.min(axis=(0, 1)).max()):
            return
        features = frozenset({"CLOUD"} if scene.sky.cloud is not None else ())
        decked: dict[str, object] = {}
        if scene.sky.deck is not None:  # marched for the background already
            features |= {"DECK"}
            decked = {"deck": self._deck, "deck_uv": (1.0 / gbuffer.size[0], 1.0 / gbuffer.size[1])}
        program = self._programs.get("stars", "stars", features)
        set_uniforms(
            program,
            star_turn=scene.sky.stars.turn.T.astype("f4").tobytes(),
            to_camera=view.camera.rotation().T.astype("f4").tobytes(),
            tangents=view.camera.tangents,
            jitter=view.jitter,
            star_exposure=exposure * scene.sky.stars.strength / solid,
            white=exposure / exposure_scale(scene.look.ev100),
            twinkle=(scene.sky.stars.twinkle, scene.sky.stars.phase),
            **self.cloud_uniforms(scene.sky.cloud, exposure),
            **decked,
        )
        array, count = self._star_array(program)
        self._ready(target, gbuffer)
        self._context.depth_func = "<="
        self._context.enable(moderngl.PROGRAM_POINT_SIZE)
        array.render(moderngl.POINTS, vertices=count)

"""Mirror images of the level about places: what smooth surfaces show of it."""

from typing import Final

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.ambient_box_light import AmbientBoxLight
from wallum.moment.scene import LitScene
from wallum.physics.octahedron import octahedron_directions
from wallum.physics.turning import look_rotation
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.level.probe_set import MAX_IMAGES, MirrorPlaces

__all__ = ["FACES", "MirrorImages"]

SIZE: Final = 128  # of include/mirrors.glsl
# What a picture of a place looks along; each is square and a right angle wide.
FACES: Final = (
    (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (-1.0, 0.0, 0.0), (0.0, -1.0, 0.0), (0.0, 0.0, -1.0),
)  # fmt: skip


class MirrorImages:
    """Holds the places of a level, and of each the image that was taken last and of what light."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self.found: MirrorPlaces | None = None
        self.places: MirrorPlaces | None = None  # with those of the artist's rooms
        self._own: tuple[object, ...] = ()
        self._images: moderngl.TextureArray | None = None
        self._boxes: moderngl.Texture | None = None
        self._scales, self._taken_in = np.zeros(MAX_IMAGES), np.zeros(MAX_IMAGES)
        self._written: object = None
        self.shows: list[object] = []  # of each image, of what light it is; None: it is not there yet
        self.version = 0  # of all
        self._from_faces: dict[int, NDArray[np.int64]] = {}

    @property
    def there(self) -> bool:
        """Whether there is any place; one without an image is as if there were none."""
        return self.places is not None and len(self.places) > 0

    @property
    def roofed(self) -> int:
        """Bits, from 1 on, of those under a roof."""
        return 0 if self.places is None else int((2 << np.flatnonzero(self.places.roofed)).sum())

    def set_places(self, places: MirrorPlaces | None) -> None:
        """Take the places of a level, without images; None: it has none."""
        for texture in (self._images, self._boxes):
            if texture is not None:
                texture.release()
        self._images = self._boxes = None
        self.found, self.places, self.shows, self._written, self._own = places, places, [], None, ()
        self.version += 1
        if places is None:
            return
        self.shows, self._scales, self._taken_in = (
            [None] * len(places),
            np.zeros(MAX_IMAGES),
            np.zeros(MAX_IMAGES),
        )
        self._images = self._context.texture_array((SIZE, SIZE, MAX_IMAGES), 4, dtype="f2")
        self._images.write(np.zeros((MAX_IMAGES, SIZE, SIZE, 4), np.float16))
        self._images.build_mipmaps()
        self._images.filter = (moderngl.NEAREST_MIPMAP_NEAREST, moderngl.NEAREST)
        self._boxes = self._context.texture((3, MAX_IMAGES), 4, dtype="f4")
        self._boxes.filter = (moderngl.NEAREST, moderngl.NEAREST)

    def set_own(self, rooms: tuple[AmbientBoxLight, ...]) -> bool:
        """Take rooms of the artist's that want an image of their own, beside the places found, which
        keep theirs. False where nothing has changed."""
        own = tuple((room.centre, room.half, room.turn_rad) for room in rooms)
        if self.found is None or own == self._own:
            return False
        first = len(self.found)
        rooms = rooms[: MAX_IMAGES - first]
        corners = np.array([room.corners for room in rooms], np.float32).reshape(-1, 2, 3)
        eyes = np.array([room.centre for room in rooms], np.float32).reshape(-1, 3)
        self.places = MirrorPlaces(
            np.concatenate([self.found.eyes, eyes]),
            np.concatenate([self.found.low, corners[:, 0]]),
            np.concatenate([self.found.high, corners[:, 1]]),
            np.concatenate([self.found.roofed, np.ones(len(rooms), dtype=bool)]),
        )
        self.shows = [*self.shows[:first], *([None] * len(rooms))]
        self._scales[first:] = 0.0
        self._own, self._written = own, None
        self.version += 1
        return True

    def uniforms(self, scene: LitScene, room_light: NDArray[np.float64]) -> dict[str, object]:
        """Values of include/mirrors.glsl for a picture of a scene. room_light : mean of surfaces that see
        each image, from 1 on [lx]: until one is taken anew it follows that"""
        assert self.places is not None
        exposure = pre_exposure(scene.look.ev100)
        key = (self.version, exposure, room_light.tobytes())
        if self._written != key:
            now = _padded(room_light)
            follows = np.where(self._taken_in > 0.0, now / np.maximum(self._taken_in, 1e-12), 1.0)
            assert self._boxes is not None
            count, rows = len(self.places), np.zeros((MAX_IMAGES, 3, 4), np.float32)
            rows[:count, 0, :3], rows[:count, 0, 3] = self.places.eyes, self.places.roofed
            rows[:count, 1, :3], rows[:, 1, 3] = self.places.low, self._scales * exposure * follows
            rows[:count, 2, :3] = self.places.high
            self._boxes.write(rows)
            self._written = key
        return {
            "mirror_images": self._images,
            "mirror_places": self._boxes,
            "mirrors_gain": 1.0,
            "roofed_images": self.roofed,
        }

    def take(
        self,
        place: int,
        faces: NDArray[np.float32],
        exposure: float,
        room_light: NDArray[np.float64],
        shows: object,
    ) -> None:
        """Take over the image of a place.

        faces : (6, F, F, 4) light along FACES, lowest row first, pre-exposed by `exposure`; with 1 in the
                fourth where a surface is, else nothing
        room_light : as of `uniforms`; shows : of what light it is
        """
        assert self._images is not None
        rows = self._rows(faces.shape[1])
        image = faces.reshape(-1, 4).take(rows, 0).mean(axis=1).reshape(SIZE, SIZE, 4)
        self._images.write(image.astype(np.float16), viewport=(0, 0, place, SIZE, SIZE, 1))
        self._images.build_mipmaps()
        self._scales[place] = 1.0 / exposure
        self.shows[place] = shows
        self._taken_in[place] = _padded(room_light)[place]
        self.version += 1

    def _rows(self, size: int) -> NDArray[np.int64]:
        """(SIZE * SIZE, 4) texels of faces of a size whose mean each texel of an image is."""
        if size not in self._from_faces:
            self._from_faces[size] = face_texels(size)
        return self._from_faces[size]


def _padded(room_light: NDArray[np.float64]) -> NDArray[np.float64]:
    """(MAX_IMAGES,) the light about each place."""
    out = np.zeros(MAX_IMAGES)
    out[: max(len(room_light) - 1, 0)] = room_light[1 : MAX_IMAGES + 1]
    return out


def face_texels(size: int) -> NDArray[np.int64]:
    """(SIZE * SIZE, 4) for four directions in each texel of an octahedron, the texel of six faces, one after
    another, that lies there."""
    inner = (np.arange(2 * SIZE) + 0.5) / (2 * SIZE)
    x, y = np.meshgrid(inner, inner)
    d = octahedron_directions(np.stack([x.ravel(), y.ravel()], axis=1))
    along = d @ np.array(FACES).T
    face = along.argmax(axis=1)
    on = d / along.max(axis=1)[:, None]
    turned = np.array([look_rotation(np.array(item)) for item in FACES])
    rights, ups = turned[:, 0], turned[:, 1]
    across = [(np.einsum("nc,nc->n", on, axis[face]) * 0.5 + 0.5) * size for axis in (rights, ups)]
    column, row = (np.clip(np.floor(item), 0, size - 1).astype(np.int64) for item in across)
    texel = ((face * size + row) * size + column).reshape(SIZE, 2, SIZE, 2)
    return texel.transpose(0, 2, 1, 3).reshape(SIZE * SIZE, 4)

"""What a pixel reads of a probe, packed in four words: against the driver's own packing, and unpacked."""

import numpy as np
import pytest

from wallum.realtime.level.packed_probes import MAX_SHARED, image_words, shared_exponent, sky_words

GL_RGB9_E5 = 0x8C3D
ALONE = np.full(27, -1)
ALONE[13] = 0


def unpacked(words):
    """Colours of EXT_texture_shared_exponent: 9 bits each, times 2 to what is left over 15 and 9."""
    parts = np.stack([words & 511, words >> 9 & 511, words >> 18 & 511], axis=1)
    return np.ldexp(parts.astype(float), (words >> 27).astype(int)[:, None] - 24)


def test_colours_are_packed_as_the_driver_packs_them(renderer, rng):
    count = 256
    colours = 10.0 ** rng.uniform(-6.0, 5.0, (count, 3))
    # Among them black, one channel alone, and what rounds up to the next exponent.
    colours[:4] = (0.0, 0.0, 0.0), (0.0, 3.0, 0.0), (0.99999, 0.4, 0.1), (65_000.0, 65_408.0, 1.0)
    colours = colours.astype(np.float32)
    context = renderer.engine.context
    texture = context.texture((count, 1), 3, colours.tobytes(), dtype="f4", internal_format=GL_RGB9_E5)
    its = np.frombuffer(texture.read(), np.float32).reshape(count, 3)
    texture.release()
    assert unpacked(shared_exponent(colours)) == pytest.approx(its, rel=1e-6, abs=0.0)


def test_a_colour_is_kept_to_half_a_step_of_its_largest_part(rng):
    colours = 10.0 ** rng.uniform(-3.0, 4.5, (1000, 3))
    off = np.abs(unpacked(shared_exponent(colours)) - colours)
    assert (off <= colours.max(axis=1, keepdims=True) / 511.0).all()
    assert unpacked(shared_exponent(np.array([[1e9, -5.0, 1.0]])))[0] == pytest.approx([MAX_SHARED, 0.0, 0.0])


def test_way_share_image_and_sides_have_their_bits(rng):
    count = 500
    sky = np.concatenate([rng.uniform(-1.0, 1.0, (count, 3)), rng.random((count, 1))], axis=1)
    sky[0] = (-1.0, 1.0, 0.0, 1.0)
    images = rng.integers(0, 16, count).astype(np.uint8)
    links = np.tile(ALONE, (count, 1)).astype(np.int32)
    links[1, 14] = 7  # one step after it along x
    links[2, 13 - 3 + 9] = 7  # before it along y, after it along z
    words = sky_words(sky, images, links)
    offset = (
        np.stack([words[:, 0] & 4095, words[:, 0] >> 12 & 4095, words[:, 1] & 4095], axis=1) * (2 / 4094) - 1
    )
    assert offset == pytest.approx(sky[:, :3], abs=1 / 4094 + 1e-6)
    assert (words[:, 1] >> 12 & 16383) / 16383 == pytest.approx(sky[:, 3], abs=0.5 / 16383 + 1e-6)
    assert (words[:, 0] >> 24).tolist() == images.tolist()
    sides = words[:, 1] >> 26
    assert sides[[1, 2]].tolist() == [0b000010, 0b100100]
    assert not np.delete(sides, [1, 2]).any()
    others = image_words(words, (15 - images).astype(np.uint8))
    assert (others[:, 0] >> 24).tolist() == (15 - images).tolist()
    assert ((others[:, 0] ^ words[:, 0]) & 0xFFFFFF == 0).all()
    assert (others[:, 1] == words[:, 1]).all()

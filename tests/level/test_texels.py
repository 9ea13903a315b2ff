"""Textures as the standard says they are read, and what surfaces send back of the part they use."""

import numpy as np
import pytest
from gltf_maker import Maker, only_primitive
from hypothesis import given
from hypothesis import strategies as st

from wallum.level.model.flatten import flatten
from wallum.level.model.floors import floor_albedo
from wallum.level.model.model import Level, Material, Mesh, Part, Picture, Primitive, Sampler, TextureUse
from wallum.level.model.pictures import as_png
from wallum.level.model.reflectance import mean_base
from wallum.level.model.sanity import sanity_findings
from wallum.level.model.texels import CLAMPED, MIRRORED, nearest, texels
from wallum.physics.tone import srgb_decode
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

REPEATED = 10497
# A palette of eight by one colours: the floor is to use the one of 0.45.
GREYS = np.array([10, 40, 90, 179, 200, 220, 240, 255], np.uint8)
LIGHT = float(srgb_decode(np.array(179 / 255.0)))


@pytest.mark.parametrize(
    ("wrap", "wanted"),
    [
        (REPEATED, {-1.25: 3, -0.25: 3, 0.0: 0, 0.3: 1, 1.0: 0, 1.3: 1}),
        (CLAMPED, {-1.25: 0, -0.25: 0, 0.0: 0, 0.3: 1, 1.0: 3, 9.0: 3}),
        (MIRRORED, {-0.1: 0, -0.3: 1, 0.3: 1, 0.9: 3, 1.1: 3, 1.3: 2, 1.9: 0, 2.1: 0}),
    ],
)
def test_coordinates_beyond_the_picture_wrap_as_the_standard_says(wrap, wanted):
    place = np.array(list(wanted))
    assert nearest(place, 4, wrap).tolist() == list(wanted.values())
    assert nearest(place, np.full(len(place), 4), np.full(len(place), wrap)).tolist() == list(wanted.values())


@given(place=st.floats(-50.0, 50.0), size=st.integers(1, 64))
def test_a_mirrored_picture_is_even_and_repeats_at_two(place, size):
    at = nearest(np.array([place, place + 2.0, -place]), size, MIRRORED)
    assert (at >= 0).all()
    assert (at < size).all()
    inside = abs(place * size - round(place * size)) > 1e-6
    if inside:
        assert at[0] == at[1] == at[2]


def palette_level(sampler=None, use_column=3, shift=0.0):
    """A floor of 10 x 10 m whose every corner lies in one colour of the palette."""
    p = np.array([[0, 0, 0], [10, 0, 0], [10, 0, 10], [0, 0, 10]], np.float32)
    n = np.tile(np.array([[0, 1, 0]], np.float32), (4, 1))
    uv = np.tile(np.array([[(use_column + 0.5) / 8 + shift, 0.5]], np.float32), (4, 1))
    floor = Primitive(p, n, np.array([[0, 2, 1], [0, 3, 2]], np.uint32), 0, uv0=uv)
    picture = Picture("palette", "image/png", as_png(np.repeat(GREYS[None, :, None], 3, axis=2)))
    material = Material(
        metallic=0.0, textures={"base": TextureUse(0, sampler or Sampler(wrap_s=REPEATED, wrap_t=REPEATED))}
    )
    part = Part("floor", "floor", 0, np.eye(4))
    return Level("palette", (Mesh("floor", (floor,)),), (part,), (material,), (picture,))


def test_far_ground_takes_the_colours_that_are_used_and_not_the_whole_palette():
    level = palette_level()
    assert floor_albedo(level, flatten(level)) == pytest.approx([LIGHT] * 3, rel=1e-6)
    assert pytest.approx(0.45, abs=0.005) == LIGHT


@pytest.mark.parametrize(("column", "kind"), [(0, "darker"), (7, "brighter"), (3, "")])
def test_an_odd_reflectance_is_found_by_what_is_used(column, kind):
    result = [
        finding.text
        for finding in sanity_findings(palette_level(use_column=column))
        if finding.kind == "base colour"
    ]
    assert bool(result) == bool(kind)
    assert all(kind in item for item in result)


def test_the_mean_over_a_gradient_is_its_mean():
    ramp = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=2)
    level = palette_level()
    picture = Picture("ramp", "image/png", as_png(ramp))
    uv = np.array([[[0, 0, 0, 0], [1, 0, 0, 0], [1, 1, 0, 0]], [[0, 0, 0, 0], [1, 1, 0, 0], [0, 1, 0, 0]]])
    from dataclasses import replace

    built = mean_base(
        replace(level, pictures=(picture,)),
        level.materials[0],
        np.ones(2),
        np.arange(6).reshape(2, 3),
        uv.astype(np.float32).reshape(6, 4),
        np.ones((6, 4), np.float32),
    )
    assert built == pytest.approx([srgb_decode(np.arange(256) / 255.0).mean()] * 3, rel=5e-3)


@pytest.mark.parametrize("shift", [-3.0, 0.0, 5.0])
@pytest.mark.parametrize("wrap", [REPEATED, CLAMPED, MIRRORED])
def test_rays_and_pictures_read_the_same_texel_wherever_the_coordinates_lie(wrap, shift):
    level = palette_level(Sampler(wrap_s=wrap, wrap_t=wrap), shift=shift)
    flat = flatten(level)
    rays = RayScene(level, flat)
    hits = rays.first_hit(np.array([[4.0, 1.0, 3.0]]), np.array([[0.0, -1.0, 0.0]]))
    base = SurfaceTables(level, flat).at(hits, np.array([[0.0, -1.0, 0.0]], np.float32)).base[0]
    use = level.materials[0].textures["base"]
    texel = texels(level, use, flat.uv[:1])[0, :3]
    assert base == pytest.approx(srgb_decode(texel / 255.0), rel=1e-4)
    column = {REPEATED: 3, MIRRORED: 3 if shift in (0.0,) else 4, CLAMPED: {-3.0: 0, 0.0: 3, 5.0: 7}[shift]}[
        wrap
    ]
    assert texel[0] == GREYS[column]


def test_normals_of_no_length_are_made_from_the_faces():
    maker = Maker()
    maker.mesh(NORMAL=np.array([[0, 0, 0], [0, 0, 1], [0, 0, 0]], "f4"))
    assert only_primitive(maker.level()).normals == pytest.approx(np.tile([0, 0, 1], (3, 1)))

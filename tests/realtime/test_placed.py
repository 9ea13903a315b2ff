"""Meshes that stand at many places: kept once, and drawn as if each were written out."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource, SunSource
from wallum.frame.quality import HIGH
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part, Picture, TextureUse
from wallum.level.model.pictures import as_png
from wallum.level.model.shading_basis import with_tangents
from wallum.level.model.solids import grid
from wallum.moment.camera import Camera, boxes_inside, frustum_planes
from wallum.moment.evaluate import evaluate
from wallum.realtime.level import batches, bundling
from wallum.realtime.level.bundling import bundle_level, chunk_boxes
from wallum.realtime.process.request import PictureRequest

CAMERA = Camera((0.0, 3.0, 9.0), (0.0, -0.25, -1.0), 60.0, 1.5, far=80.0)
SIZE = (240, 160)
PLACES = 12


def bowl(material):
    """A curved patch with coordinates, 288 triangles."""
    side = np.linspace(-0.5, 0.5, 13)
    x, z = np.meshgrid(side, side)
    built = grid(np.stack([x, 0.8 - 1.6 * (x * x + 0.4 * z), z], axis=-1)[::-1], material)
    return replace(built, uv0=(built.positions[:, [0, 2]] + 0.5).astype(np.float32))


def meadow(rng):
    """A floor, and patches of two materials that stand turned, stretched unevenly and mirrored."""
    holes = np.zeros((8, 8, 4), np.uint8)
    holes[..., :3], holes[..., 3] = 200, 255 * (np.indices((8, 8)).sum(axis=0) % 2)
    bumps = np.full((8, 8, 3), (128, 128, 255), np.uint8)
    bumps[::2] = (90, 150, 235)
    pictures = tuple(Picture(str(n), "image/png", as_png(item)) for n, item in enumerate((holes, bumps)))
    materials = (
        Material("floor", (0.3, 0.3, 0.3, 1.0), 0.0, 0.9),
        Material("bumpy", (0.6, 0.3, 0.2, 1.0), 0.0, 0.5, textures={"normal": TextureUse(1)}),
        Material(
            "holed", (1.0,) * 4, 0.0, 0.8, alpha="mask", double_sided=True, textures={"base": TextureUse(0)}
        ),
    )
    side = np.linspace(-8.0, 8.0, 3)
    x, z = np.meshgrid(side, side)
    floor = Mesh("floor", (grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0),))
    patch = Mesh(
        "patch",
        (with_tangents(bowl(1)), replace(bowl(2), positions=bowl(2).positions + np.float32([0, 0.6, 0]))),
    )
    parts = [Part("floor", "floor", 0, np.eye(4))]
    for number in range(PLACES):
        turn, matrix = rng.uniform(0.0, 6.3), np.eye(4)
        c, s = np.cos(turn), np.sin(turn)
        stretch = np.diag([(-1.0) ** (number % 3 == 0) * rng.uniform(0.6, 1.6), rng.uniform(0.6, 1.4), 1.0])
        matrix[:3, :3] = np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]]) @ stretch
        matrix[:3, 3] = (number % 4 * 2.2 - 3.3, 0.1, number // 4 * -2.4 + 2.0)
        parts.append(Part(f"p{number}", f"p{number}", 1, matrix))
    return Level("meadow", (floor, patch), tuple(parts), materials, pictures)


def shown(renderer, bundle, detail="full"):
    sun = SunSource(id="sun", name="Sun", azimuth=130.0, elevation=35.0, stands="where set", light="own",
                    illuminance=20000.0)  # fmt: skip
    lamp = PointSource(
        id="lamp", name="Lamp", position=(0.5, 3.0, 0.0), intensity=9000.0, range=20.0, shadow=True
    )
    scene = evaluate(Project(sources=(sun, lamp), look=Look(ev100=11.0)))
    renderer.set_level(bundle)
    request = PictureRequest(1, scene, CAMERA, SIZE, detail=detail)
    for _ in renderer.draw(request):
        pass
    if detail != "full":
        return None, {record.name: record.work for record in renderer.engine.log.records}
    works = {record.name: record.work for record in renderer.engine.log.records}
    return renderer.luminance(request, settled=False), works


@pytest.fixture
def both(rng, monkeypatch):
    """The meadow written out, and with its patches kept once."""
    level = meadow(rng)
    monkeypatch.setattr(batches, "MIN_SAVED", 10**9)
    out = bundle_level(level)
    monkeypatch.setattr(batches, "MIN_SAVED", 2000)
    return level, out, bundle_level(level)


def test_one_mesh_is_kept_and_its_places(both):
    level, out, once = both
    assert not out.batches
    # The patch and its mirror image; a third of the places are mirrored.
    assert sorted(len(batch.places) for batch in once.batches) == [PLACES // 3, PLACES - PLACES // 3]
    fine = sum(int(batch.chunks[:, 1].sum()) for batch in once.batches)
    assert fine == 2 * 2 * 288
    assert once.chunks[:, 1].sum() == 8
    low, high, triangles = once.boxes
    assert triangles.sum() == out.boxes[2].sum() == level.triangle_count
    flat = flatten(level)
    assert all(np.array_equal(a, b) for a, b in zip(chunk_boxes(level, flat), once.boxes, strict=True))
    # Every vertex lies in the box of its place.
    places = np.concatenate([batch.places for batch in once.batches])
    vertices = np.concatenate([primitive.positions for primitive in level.meshes[1].primitives])
    for number, part in enumerate(level.parts[1:]):
        points = vertices @ part.matrix[:3, :3].T + part.matrix[:3, 3]
        holding = (points.min(0) >= low[-len(places) :] - 1e-4).all(1) & (
            points.max(0) <= high[-len(places) :] + 1e-4
        ).all(1)
        assert holding.any(), number


def test_the_picture_is_that_of_every_place_written_out(renderer, both):
    _, out, once = both
    a, works_out = shown(renderer, out)
    b, works_once = shown(renderer, once)
    assert a.max() > 100.0
    off = np.abs(np.log2(np.maximum(a, 0.05) / np.maximum(b, 0.05))).max(axis=2)
    # Edges and bumps at the rounding of half floats may fall either way.
    assert (off > 0.02).mean() < 0.004
    assert np.median(off) < 1e-3
    assert works_once["surfaces"]["triangles"] <= works_out["surfaces"]["triangles"] * 1.1


def test_shadows_fall_from_every_place(renderer, both):
    """Left without shadows, the floor would be brighter: what is compared above has them."""
    _, _, once = both
    with_shadow, works = shown(renderer, once)
    assert works["sun shadows"]["triangles"] > PLACES * 288
    assert works["lamp shadows"]["triangles"] > PLACES * 288
    assert (with_shadow.mean(axis=2) < 0.2 * np.median(with_shadow)).mean() > 0.01


def test_what_no_frustum_holds_is_not_drawn(renderer, both):
    _, _, once = both
    planes = frustum_planes(CAMERA.projection() @ CAMERA.view())
    low, high, triangles = once.boxes
    largest = int(triangles[boxes_inside(low, high, planes)].sum())
    _, works = shown(renderer, once)
    assert works["surfaces"]["triangles"] == largest


def test_far_places_are_drawn_coarser_while_the_camera_moves(renderer, both, monkeypatch):
    _, _, once = both
    _, fine = shown(renderer, once, "reduced")
    monkeypatch.setattr(renderer.engine, "quality", replace(HIGH, coarse_pixels=60.0))
    _, coarse = shown(renderer, once, "reduced")
    assert coarse["surfaces"]["triangles"] < 0.7 * fine["surfaces"]["triangles"]


def test_parts_that_differ_in_look_are_kept_apart(both, monkeypatch):
    """A part that casts no shadow, or glows by a lamp, has a material of its own in its batch."""
    level, _, _ = both
    monkeypatch.setattr(batches, "MIN_SAVED", 1000)
    parts = tuple(replace(part, casts=number % 2 == 0) for number, part in enumerate(level.parts))
    bundle = bundling.bundle_level(replace(level, parts=parts))
    casts = {bundle.surfacings[int(row[2])].casts for batch in bundle.batches for row in batch.chunks}
    assert casts == {True, False}
    _, _, triangles = bundle.boxes
    assert triangles.sum() == level.triangle_count

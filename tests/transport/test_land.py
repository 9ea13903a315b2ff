"""Land beyond all probes: its patches, and light that cliffs send, against view factors and paths."""

import numpy as np
import pytest
from level_shapes import field_of
from set_lights import set_sun

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box, grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.transport.field.bounce import BounceField
from wallum.transport.field.field_cache import load_field, save_field
from wallum.transport.field.land import PATCHES, SIDES, patches_of
from wallum.transport.paths.reference import Reference

AWAY, HEIGHT, WIDE = 60.0, 60.0, 900.0
ALBEDO = 0.4
MIDDLE = np.array([[0.0, 0.2, 0.0]])
UP = np.array([[0.0, 1.0, 0.0]])


def cliff_before_a_plinth():
    """A plinth of 4 m, and far from it a wide cliff that faces it."""
    rock = Material("rock", (ALBEDO, ALBEDO, ALBEDO, 1.0), 0.0, 1.0)
    line = np.array([-WIDE / 2, WIDE / 2])
    x, y = np.meshgrid(line, [0.0, HEIGHT])
    cliff = grid(np.stack([x, y, np.full_like(x, -AWAY)], axis=-1), 0)
    meshes = Mesh("plinth", (box((-2.0, -0.3, -2.0), (2.0, 0.2, 2.0), 0),)), Mesh("cliff", (cliff,))
    parts = tuple(Part(mesh.name, mesh.name, n, np.eye(4)) for n, mesh in enumerate(meshes))
    return Level("cliff", meshes, parts, (rock,))


@pytest.fixture(scope="module")
def cliff():
    level = cliff_before_a_plinth()
    return (level, *field_of(level))


def low_sun(azimuth):
    sun = set_sun(elevation=12.0, azimuth=azimuth, illuminance=10_000.0)
    return evaluate(Project(sources=(sun,), look=Look(ev100=8.0)))


def sent_to_the_plinth(cliff, scene):
    level, rays, built = cliff
    bounce = BounceField.of(rays, level, built, {})
    for _ in bounce.relight(scene):
        pass
    result = built.probes.find(MIDDLE, UP)
    return float(luminance(bounce.light(scene)[result].astype(float))[0])


def facing(scene):
    """The sun's cosine on the cliff, which faces +z."""
    return max(float(scene.sun.direction[2]), 0.0)


def suns():
    """Scenes whose sun lights the cliff, and lights its back."""
    scenes = [low_sun(azimuth) for azimuth in (0.0, 180.0)]
    return sorted(scenes, key=facing, reverse=True)


def test_patches_are_by_where_they_lie_and_the_way_they_face():
    away = np.array([[0.0, 0.0, 9.0], [0.0, 0.0, 9.0], [9.0, 0.0, 0.1], [-9.0, 0.0, -0.1]])
    faces = np.array([[0.0, 1.0, 0.0], [0.0, 0.1, -0.99], [-0.9, 0.4, 0.1], [0.9, 0.4, 0.1]])
    patches = patches_of(away, faces)
    assert len(set(patches.tolist())) == 4
    assert (patches % SIDES).tolist() == [0, 3, 1, 2]
    assert patches.max() < PATCHES


def test_a_sunlit_cliff_lights_the_level_as_its_view_factor_says(cliff):
    """Of a wall of height h at a distance d, level ground sees (1 - d / sqrt(d^2 + h^2)) / 2."""
    lit, behind = suns()
    assert facing(lit) > 0.9
    illuminance = float(luminance(np.asarray(lit.sun.illuminance, float)))
    view = 0.5 * (1.0 - AWAY / np.hypot(AWAY, HEIGHT))
    expected = view * ALBEDO * illuminance * facing(lit)
    assert sent_to_the_plinth(cliff, lit) == pytest.approx(expected, rel=0.06)
    assert sent_to_the_plinth(cliff, behind) == pytest.approx(0.0, abs=0.01 * expected)


def test_paths_say_the_same(cliff):
    level, rays, _ = cliff
    lit = suns()[0]
    camera = Camera((0.0, 2.0, 5.0), (0.0, -0.2, -1.0), 60.0, 1.5)
    reference = Reference(rays, level, lit, camera, (8, 8), 2)
    by_surfaces, _, _ = reference.arriving(MIDDLE[0], UP[0], 40_000)
    messages = float(luminance(by_surfaces.astype(float)).mean())
    assert sent_to_the_plinth(cliff, lit) == pytest.approx(messages, rel=0.06)


def test_it_is_kept_with_the_field(cliff, tmp_path):
    built = cliff[2]
    save_field(built, "key", tmp_path / "field.npz")
    selected = load_field(tmp_path / "field.npz", "key")
    assert selected.seen.land == pytest.approx(built.seen.land)
    for name in ("places", "faces", "albedo", "sky"):
        assert getattr(selected.seen.beyond, name) == pytest.approx(getattr(built.seen.beyond, name)), name
    assert built.seen.beyond.albedo.max() == pytest.approx(ALBEDO, abs=0.02)

"""The generated levels: sound geometry, the places and heroes they are for, light that reaches them."""

import numpy as np
import pytest

from wallum.document.sources import Lamp, SpotSource
from wallum.level import level_cache as kept
from wallum.level.demos.cistern import cistern, cistern_project
from wallum.level.demos.kilnworks.shapes import beam, bevelled_box, tube_along
from wallum.level.demos.kilnworks.terrain import STAIR, ground_pieces
from wallum.level.demos.kilnworks.works import kilnworks, kilnworks_project
from wallum.level.level_cache import kept_level
from wallum.level.model.flatten import flatten
from wallum.level.model.sanity import sanity_findings
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.transport.scene.inside import inside_solids
from wallum.transport.scene.rays import RayScene


@pytest.fixture(scope="module", params=["kilnworks", "cistern"])
def demo(request):
    level, project = (
        (kilnworks(), kilnworks_project()) if request.param == "kilnworks" else (cistern(), cistern_project())
    )
    flat = flatten(level)
    return request.param, level, project, flat, RayScene(level, flat)


def test_geometry_is_sound(demo):
    name, level, _, flat, _ = demo
    assert np.isfinite(flat.positions).all()
    assert np.linalg.norm(flat.normals, axis=1) == pytest.approx(1.0, abs=1e-3)
    assert np.isfinite(flat.uv).all()
    assert flat.faces.max() < len(flat.positions)
    assert len({part.id for part in level.parts}) == len(level.parts)
    assert max(material for material in flat.material) < len(level.materials)
    if name == "kilnworks":
        assert 60_000 <= level.triangle_count <= 150_000
    assert [finding for finding in sanity_findings(level) if finding.grade == "error"] == []


def test_faces_are_wound_the_way_their_normals_look(demo):
    """A shape that is inside out is lit on its far side."""
    _, level, _, flat, _ = demo
    a, b, c = (flat.positions[flat.faces[:, k]].astype(float) for k in range(3))
    wound, smooth = np.cross(b - a, c - a), flat.normals[flat.faces].mean(axis=1)
    flipped = np.einsum("nk,nk->n", wound, smooth) < -1e-9
    assert flipped.mean() < 0.01
    for index, part in enumerate(level.parts):  # inner corners of a thin lip may, a part may not
        assert flipped[flat.part == index].mean() < 0.2, part.name


def signed_volume(made):
    corners = made.positions.astype(float)[made.triangles]
    return np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])) / 6.0


def test_the_ground_is_a_body_open_at_the_stair_alone():
    """All faces of what is closed, each times the way it looks, make nothing: what is left is the stair's hole,
    so that no low sun comes from below into what is dug."""
    whole = np.zeros(3)
    for piece in ground_pieces():
        corners = piece.positions.astype(float)[piece.triangles]
        whole += np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]).sum(axis=0) / 2.0
    x0, x1, z0, z1 = STAIR
    assert whole == pytest.approx([0.0, -(x1 - x0) * (z1 - z0), 0.0], abs=0.5)


def test_shapes_are_closed_and_hold_what_they_should():
    """By Gauss's theorem the volume is a sum over the faces, and positive where they look outward."""
    assert signed_volume(bevelled_box((1, 2, 3), (3, 3, 4), 0)) == pytest.approx(2.0, rel=0.01)
    assert signed_volume(beam((0, 0, 0), (1, 3, 2), 0.4, 0.3, 0)) == pytest.approx(
        0.12 * np.sqrt(14.0), rel=0.01
    )
    # A tube's ends are open: about its middle the hull alone brings two thirds.
    tube = tube_along(np.array([[0, 0, -2], [0, 0, 0], [0, 0, 2.0]]), 0.5, 48, 0)
    assert signed_volume(tube) == pytest.approx(2.0 / 3.0 * np.pi * 0.25 * 4.0, rel=0.01)


def test_what_the_project_names_is_there(demo):
    _, level, project, _, rays = demo
    parts, sources = {part.id for part in level.parts}, {source.id for source in project.sources}
    for marks in project.marks:
        assert marks.part in parts, marks
        assert not marks.follows or marks.follows in sources
    assert project.shots == level.shots
    eyes = np.array([shot.eye for shot in project.shots])
    assert not inside_solids(rays, eyes).any()
    assert (rays.first_hit(eyes, np.array([shot.direction for shot in project.shots])).distance > 1.0).all()
    lamps = [source for source in project.sources if isinstance(source, Lamp)]
    buried = inside_solids(
        rays, np.array([lamp.position for lamp in lamps]), np.array([2.0 * lamp.radius for lamp in lamps])
    )
    assert [lamp.name for lamp, bad in zip(lamps, buried, strict=True) if bad] == []


def test_the_works_have_their_places_heroes_and_lamps():
    project = kilnworks_project()
    assert [shot.name for shot in project.shots] == [
        "Lane at arrival", "Yard wide", "Kiln close", "Shed inside", "Stair down to the vault", "Vault looking out",
        "Terrace over the valley",
    ]  # fmt: skip
    assert {mark.part for mark in project.marks if mark.hero} == {
        "great kiln",
        "shed wheel",
        "vault door",
        "terrace steps",
    }
    shadowed = [source for source in project.sources if isinstance(source, Lamp) and source.shadow]
    assert {item.name for item in shadowed} == {*(f"Fire Mouth {n}" for n in range(1, 5)), "Shop Window"}
    assert [item.name for item in shadowed if isinstance(item, SpotSource) and item.gobo != "none"] == [
        "Shop Window"
    ]
    assert project.setting.date == "2027-10-12"
    noon, night = (evaluate(project, Moment(hour)) for hour in (12.0, 21.5))
    assert len(night.lamps.ids) > len(noon.lamps.ids)
    assert night.sun is not None
    assert night.sun.id == "moon"


def test_a_generated_level_is_kept_as_a_file_and_made_anew_where_that_is_broken(tmp_path, monkeypatch):
    monkeypatch.setattr(kept, "derived_folder", lambda _: tmp_path)
    built = []

    def make():
        built.append(1)
        return cistern()

    first = kept_level("cistern", 9, make)
    again = kept_level("cistern", 9, make)
    assert len(built) == 1
    assert again.triangle_count == first.triangle_count == cistern().triangle_count
    assert [part.id for part in again.parts] == [part.id for part in first.parts]
    (tmp_path / "cistern-9.glb").write_bytes(b"not a level")
    assert kept_level("cistern", 9, make).triangle_count == first.triangle_count
    assert len(built) == 2

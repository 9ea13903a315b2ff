"""Variants: kept, applied, forgotten, and what differs."""

import pytest

from wallum.document.paths import put
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.document.storage import dump, parse
from wallum.document.variants import applied, differences, kept, without_variant
from wallum.errors import PathProblem

LAMP = PointSource(id="l", name="Gate Lamp", intensity=80.0)


@pytest.fixture
def project():
    return Project(sources=(*base_light(), LAMP))


def test_a_kept_variant_is_the_lighting_to_go_back_to(project):
    with_one = kept(project, "Cool")
    changed = put(put(with_one, "sources/gate-lamp/kelvin", 6000.0), "air/on", True)
    back = applied(changed, with_one.variants[0].id)
    assert back.sources == project.sources
    assert not back.air.on
    assert back.variants == with_one.variants
    assert parse(dump(changed)) == changed


def test_variants_leave_shots_place_and_name_alone(project):
    with_one = kept(project, "Cool")
    moved = put(put(with_one, "setting/latitude", 10.0), "name", "Other")
    assert applied(moved, with_one.variants[0].id).setting.latitude == 10.0


def test_what_differs_is_said_in_words_with_units(project):
    changed = put(put(project, "sources/gate-lamp/intensity", 200.0), "look/ev100", 9.0)
    changed = changed.without(["moon"]).with_source(LAMP.revised(id="n", name="New Lamp"))
    result = differences(project, changed)
    assert "Gate Lamp, intensity: 80 cd to 200 cd" in result
    assert "Picture, exposure: 13 EV to 9 EV" in result
    assert "Moon is gone" in result
    assert "New Lamp is new" in result
    assert differences(project, project) == []


def test_forgotten_variants_are_gone_and_cannot_be_applied(project):
    with_one = kept(project, "Cool")
    variant_id = with_one.variants[0].id
    left = without_variant(with_one, variant_id)
    assert left == project
    with pytest.raises(PathProblem):
        applied(left, variant_id)

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from set_lights import set_sun

from wallum.document.fields import declared
from wallum.document.look import Look
from wallum.document.paths import find_slug, look_up, put, put_text, slug_of, walk
from wallum.document.project import Project, Shot, base_light, slugs
from wallum.document.sources import PointSource, SkySource, SpotSource, SunSource
from wallum.errors import PathProblem, ValueProblem


@pytest.fixture
def project():
    lamps = (
        PointSource(id="mast-2", name="Gate Lamp"),
        SpotSource(id="other", name="Mast 2"),
        PointSource(id="third", name="Gate Lamp"),
    )
    return Project(sources=(*base_light(), *lamps), shots=(Shot(id="s", name="Lane"),))


def test_a_copy_with_changes_is_validated():
    look = Look()
    with pytest.raises(ValidationError):
        look.model_copy(update={"ev100": 99.0})
    with pytest.raises(ValidationError):
        look.revised(ev100="bright")


@pytest.mark.parametrize("bad", [math.nan, math.inf, -math.inf])
def test_no_field_takes_what_is_no_finite_number(bad):
    for kind in (PointSource, SpotSource, SunSource, SkySource):
        for name, info in declared(kind).items():
            if info.kind == "number":
                with pytest.raises(ValidationError):
                    kind(id="x", name="x", **{name: bad})
    with pytest.raises(ValidationError):
        PointSource(id="x", name="x", position=(0.0, bad, 0.0))


def test_a_project_cannot_be_changed_in_place(project):
    with pytest.raises(ValidationError):
        project.sources[0].on = False


def test_every_parameter_is_declared_in_full():
    for kind in (PointSource, SpotSource, SunSource, SkySource, Look, Shot):
        for name, info in declared(kind).items():
            assert info.label, name
            assert info.help.endswith("."), (name, info.help)
            if info.kind == "number":
                assert info.low is not None, name
                assert info.high is not None, name
                assert info.step > 0, name


def test_slugs_are_words_and_unique():
    assert slugs(["Gate Lamp", "gate lamp", "Éclair 3!", "--", "Gate Lamp"]) == [
        "gate-lamp",
        "gate-lamp-2",
        "éclair-3",
        "unnamed",
        "gate-lamp-3",
    ]


@given(st.lists(st.text(max_size=8), max_size=20))
def test_slugs_never_repeat(names):
    built = slugs(names)
    assert len(set(built)) == len(names)


def test_a_name_that_reads_like_anothers_id_is_no_confusion(project):
    assert find_slug(project, "sources", "mast-2").id == "other"
    assert find_slug(project, "sources", "@mast-2").name == "Gate Lamp"


def test_twins_are_addressed_by_number(project):
    assert slug_of(project, "sources", "third") == "gate-lamp-2"
    changed = put(project, "sources/gate-lamp-2/intensity", 7.0)
    assert [s.intensity for s in changed.sources if s.name == "Gate Lamp"] == [80.0, 7.0]


def test_put_shares_what_did_not_change(project):
    changed = put(project, "sources/gate-lamp/intensity", 5.0)
    assert changed.sources[0] is project.sources[0]
    assert changed.shots[0] is project.shots[0]
    assert look_up(changed, "sources/gate-lamp/intensity") == 5.0
    assert look_up(project, "sources/gate-lamp/intensity") == 80.0


def test_every_path_that_walk_names_can_be_read_and_written(project):
    count = 0
    for path, _, value in walk(project):
        assert look_up(project, path) == value
        assert put(project, path, value) == project
        count += 1
    assert count > 60


@pytest.mark.parametrize(
    ("path", "text", "value"),
    [
        ("sources/gate-lamp/position", "1, 2 m, 50 cm", (1.0, 2.0, 0.5)),
        ("sources/gate-lamp/position/y", "3", 3.0),
        ("sources/gate-lamp/on", "off", False),
        ("sources/gate-lamp/role", "key", "key"),
        ("look/ev100", "+2 stops", 15.0),
        ("shots/lane/fov", "0.5 rad", pytest.approx(28.6479, abs=1e-3)),
        ("sources/sun/illuminance", "-1 stop", 40000.0),
        ("setting/latitude", "31.4", 31.4),
    ],
)
def test_typed_values_are_understood(project, path, text, value):
    assert look_up(put_text(project, path, text), path) == value


@pytest.mark.parametrize(
    ("path", "text", "error"),
    [
        ("sources/nobody/on", "on", PathProblem),
        ("sources/sun/colour_of_money", "1", PathProblem),
        ("weather/rain", "1", PathProblem),
        ("", "1", PathProblem),
        ("sources/gate-lamp/position/w", "1", PathProblem),
        ("sources/gate-lamp/on", "perhaps", ValueProblem),
        ("sources/gate-lamp/intensity", "-1", ValueProblem),
        ("sources/gate-lamp/position", "1,2", ValueProblem),
        ("sources/mast-2/inner", "60", ValueProblem),
        ("sources/gate-lamp/kelvin", "900 K", ValueProblem),
        ("sources/gate-lamp/id", "x", ValueProblem),
        ("sources/mast-2/direction", "0,0,0", ValueProblem),
        ("sources/gate-lamp/colour", "2,0,0", ValueProblem),
    ],
)
def test_what_is_refused_says_where(project, path, text, error):
    with pytest.raises(error) as caught:
        put_text(project, path, text)
    assert "\n" not in str(caught.value)


def test_directions_are_kept_at_length_one():
    spot = SpotSource(id="s", name="S", direction=(3.0, 0.0, 4.0))
    assert spot.direction == pytest.approx((0.6, 0.0, 0.8))


def test_ids_are_unique_and_there_is_one_sun():
    sun = set_sun()
    with pytest.raises(ValidationError, match="stands twice"):
        Project(sources=(sun, sun))
    with pytest.raises(ValidationError, match="only one sun"):
        Project(sources=(sun, sun.revised(id="second")))


def test_the_reference_of_parameters_is_the_declarations():
    from pathlib import Path

    from wallum.document.reference import parameter_document

    text = parameter_document()
    for path, info, _ in walk(Project(sources=base_light())):
        assert f"`{path}`" in text, path
        assert info.help in text
    selected = Path(__file__).resolve().parents[2] / "docs" / "parameters.md"
    assert selected.read_text() == text, "run ./wallum parameters --out docs/parameters.md"


def test_an_id_is_found_without_making_words_of_all_names(monkeypatch):
    from wallum.document import paths
    from wallum.document.sources import PointSource

    lamps = tuple(PointSource(id=f"p{i}", name=f"Lamp {i}") for i in range(50))
    project = Project(sources=lamps)
    assert paths.find_slug(project, "sources", "lamp-7").id == "p7"
    monkeypatch.setattr(paths, "slugs", lambda names: pytest.fail("words were made"))
    assert paths.find_slug(project, "sources", "@p7").id == "p7"
    assert paths.look_up(paths.put(project, "sources/@p9/kelvin", 3000.0), "sources/@p9/kelvin") == 3000.0

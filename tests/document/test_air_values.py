"""The air as a document has it: what is refused, and what has no say."""

import numpy as np
import pytest

from wallum.document.air import Air, Mist
from wallum.document.paths import put
from wallum.document.project import Project
from wallum.document.sources import CardSource, PocketSource, VeilSource
from wallum.document.storage import load, save
from wallum.errors import WallumError
from wallum.moment.evaluate import evaluate


@pytest.mark.parametrize(
    ("path", "value", "word"),
    [
        ("air/visibility", 0.0, "5"),
        ("mist/visibility", -3.0, "5"),
        ("air/scale_height", 0.0, "0.5"),
        ("air/straight_end", 0.0, "0.1"),
        ("air/contrast_kept", 140.0, "100"),
        ("air/own_light", float("nan"), "finite"),
        ("air/colour", (0.0, 0.0, 0.0), "between 0 and 1"),
    ],
)
def test_bad_values_are_refused_in_one_sentence(path, value, word):
    with pytest.raises(WallumError) as refused:
        put(Project(), path, value)
    assert word in str(refused.value)
    assert "\n" not in str(refused.value)


def test_a_straight_fog_whose_end_lies_before_its_start_is_refused():
    with pytest.raises(WallumError, match="must lie behind its start"):
        put(Project(), "air/straight_start", 400.0)


def test_a_pocket_without_size_is_refused():
    project = Project(sources=(PocketSource(id="p", name="P"),))
    with pytest.raises(WallumError, match="each side must be"):
        put(project, "sources/@p/size", (1.0, 0.0, 1.0))


def test_what_has_no_say_is_not_in_force():
    assert "visibility" in Mist().inactive()
    assert "visibility" not in Mist(on=True).inactive()
    assert "straight_end" in Air(on=True).inactive()
    straight = Air(on=True, model="straight").inactive()
    assert "visibility" in straight
    assert "straight_end" not in straight


def test_mist_and_pockets_are_saved_and_read(tmp_path):
    pocket = PocketSource(id="p", name="P", size=(1.0, 2.0, 3.0), noise=0.4)
    project = Project(
        sources=(pocket,), mist=Mist(on=True, visibility=90.0), air=Air(on=True, absorption=0.4)
    )
    save(project, tmp_path / "one.wallum")
    back = load(tmp_path / "one.wallum")
    assert back.mist == project.mist
    assert back.sources == project.sources
    assert back.air == project.air


@pytest.mark.parametrize(
    ("kind", "values", "word"),
    [
        (VeilSource, {"size": (0.0, 1.0, 1.0)}, "0.05 m"),
        (VeilSource, {"size": (1.0, 1.0, -1.0)}, "0 m or more"),
        (VeilSource, {"hides": 1.5}, "1"),
        (CardSource, {"sheets": 0}, "1"),
        (CardSource, {"length": 0.0}, "0.1"),
        (CardSource, {"direction": (0.0, 0.0, 0.0)}, "length zero"),
    ],
)
def test_cards_and_veils_without_size_are_refused(kind, values, word):
    with pytest.raises(ValueError, match=word):
        kind(id="s", name="S", **values)


def test_layers_upside_down_are_two_layers_as_any():
    project = Project(air=Air(on=True, base_height=-50.0), mist=Mist(on=True, base_height=200.0))
    air = evaluate(project).air
    heights = np.array([-60.0, 0.0, 100.0, 250.0])
    assert np.all(np.diff(air.extinction(heights)[:, 1]) <= 0.0)
    assert np.isfinite(air.kept(heights, np.zeros(4), np.full(4, 100.0))).all()

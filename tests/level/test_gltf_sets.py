"""Sets of materials that a file offers: read, chosen, and told of."""

import pytest
from gltf_maker import Maker

from wallum.document.paths import put
from wallum.document.project import Project
from wallum.errors import LevelProblem
from wallum.exchange.export_losses import losses
from wallum.level.model.level_overrides import dress_of, dressed

SETS = "KHR_materials_variants"


def shoe(mappings=None):
    """Two triangles, of which the first has another material in two of three sets."""
    maker = Maker()
    maker.document["materials"] = [
        {"name": name, "pbrMetallicRoughness": {"baseColorFactor": [*colour, 1.0]}}
        for name, colour in (("leather", (0.4, 0.2, 0.1)), ("red", (1, 0, 0)), ("blue", (0, 0, 1)))
    ]
    maker.mesh(material=0)
    primitives = maker.document["meshes"][0]["primitives"]
    primitives.append(dict(primitives[0]))
    text = (
        [{"variants": [0], "material": 1}, {"variants": [1], "material": 2}] if mappings is None else mappings
    )
    primitives[0] = {**primitives[0], "extensions": {SETS: {"mappings": text}}}
    maker.document["extensions"] = {
        SETS: {"variants": [{"name": "beach"}, {"name": "street"}, {"name": "plain"}]}
    }
    maker.document["extensionsUsed"] = [SETS]
    return maker


def materials(level):
    return [primitive.material for primitive in level.meshes[0].primitives]


@pytest.mark.parametrize(
    ("name", "expected"), [("", [0, 0]), ("beach", [1, 0]), ("street", [2, 0]), ("plain", [0, 0])]
)
def test_a_set_is_chosen_by_its_name(name, expected):
    level = shoe().level()
    assert level.sets == ("beach", "street", "plain")
    assert materials(dressed(level, dress_of(put(Project(), "material_set", name)))) == expected


def test_the_sets_are_told_of_and_one_that_is_not_there_too():
    level = shoe().level()
    assert any("3 sets of materials (beach, street, plain)" in finding.text for finding in level.findings)
    shown = dressed(level, dress_of(put(Project(), "material_set", "snow")))
    assert materials(shown) == [0, 0]
    assert any("no set of materials 'snow'" in finding.text for finding in shown.findings)
    assert any(
        "only one is written: beach" in loss
        for loss in losses(put(Project(), "material_set", "beach"), level)
    )


@pytest.mark.parametrize(
    ("mappings", "word"),
    [
        ([{"variants": [0], "material": 9}], "no material 9"),
        ([{"variants": [7], "material": 1}], "no set 7"),
        ([{"variants": ["a"], "material": 1}], "no set 'a'"),
    ],
)
def test_what_names_nothing_is_refused(mappings, word):
    with pytest.raises(LevelProblem, match=word):
        shoe(mappings).level()

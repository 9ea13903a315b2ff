"""Gloss and glass as the standard's extensions say them; held against published indices of refraction."""

from dataclasses import replace

import numpy as np
import pytest
from gltf_maker import Maker

from wallum.errors import LevelProblem
from wallum.level.gltf_writer import extensions_used, level_document, to_glb
from wallum.level.importers.gltf.reader import parse_gltf
from wallum.level.model.model import Material
from wallum.level.model.sanity import sanity_findings


def level_with(extensions, **pbr):
    maker = Maker()
    maker.document["materials"] = [
        {"name": "Pane", "pbrMetallicRoughness": {"metallicFactor": 0.0, **pbr}, "extensions": extensions}
    ]
    maker.document["extensionsUsed"] = sorted(extensions)
    maker.mesh(material=0)
    return maker.level()


# Reflectance at normal incidence as books give it: water 2.0 %, window glass 4 to 4.3 %, sapphire 7.7 %,
# diamond 17.2 % (Hecht, "Optics"; Akenine-Moller, "Real-Time Rendering", table 9.4).
@pytest.mark.parametrize(("ior", "f0"), [(1.333, 0.020), (1.5, 0.040), (1.77, 0.077), (2.417, 0.172)])
def test_an_index_of_refraction_is_a_reflectance(ior, f0):
    (pane, _) = level_with({"KHR_materials_ior": {"ior": ior}}).materials
    assert pane.reflectance == pytest.approx(f0, abs=6e-4)


@pytest.mark.parametrize(
    ("said", "f0"),
    [
        ({"specularFactor": 0.0}, 0.0),
        ({"specularFactor": 0.5}, 0.02),
        ({"specularColorFactor": [2.0, 2.0, 2.0]}, 0.08),
        ({"specularColorFactor": [100.0, 100.0, 100.0]}, 1.0),
    ],
)
def test_a_gloss_may_be_weaker_or_stronger(said, f0):
    (pane, _) = level_with({"KHR_materials_specular": said}).materials
    assert pane.reflectance == pytest.approx(f0, abs=1e-6)


def test_glass_is_seen_through_and_its_volume_tints_by_its_thickness():
    """Beer's law: twice the attenuation's distance squares its colour."""
    level = level_with(
        {
            "KHR_materials_transmission": {"transmissionFactor": 0.9},
            "KHR_materials_volume": {
                "thicknessFactor": 0.02, "attenuationDistance": 0.01, "attenuationColor": [0.5, 0.9, 1.0],
            },
        }
    )  # fmt: skip
    pane = level.materials[0]
    assert pane.see_through
    assert pane.transmission == 0.9
    assert pane.tint == pytest.approx((0.25, 0.81, 1.0))
    assert any("thin glass" in finding.text and "Pane" in finding.text for finding in level.findings)


def test_metal_lets_nothing_through():
    level = level_with({"KHR_materials_transmission": {"transmissionFactor": 1.0}}, metallicFactor=1.0)
    assert not level.materials[0].see_through


def test_a_coat_is_the_gloss_of_what_is_no_metal():
    coat = {"KHR_materials_clearcoat": {"clearcoatFactor": 1.0, "clearcoatRoughnessFactor": 0.1}}
    level = level_with(coat, roughnessFactor=0.8)
    assert level.materials[0].roughness == pytest.approx(0.1)
    assert any("shown as the gloss of the surface" in finding.text for finding in level.findings)
    level = level_with(coat, roughnessFactor=0.8, metallicFactor=1.0)
    assert level.materials[0].roughness == pytest.approx(0.8)
    assert any("left out" in finding.text for finding in level.findings)


def test_findings_count_what_differs_alike():
    maker = Maker()
    coat = {"KHR_materials_clearcoat": {"clearcoatFactor": 1.0}}
    pbr = {"metallicFactor": 0.0}
    maker.document["materials"] = [
        {"name": f"m{n}", "pbrMetallicRoughness": pbr, "extensions": coat} for n in range(3)
    ]
    maker.mesh(material=0)
    (messages,) = [finding for finding in maker.level().findings if finding.kind == "surface differs"]
    assert messages.text.startswith("3 materials (m0 the first)")


@pytest.mark.parametrize(
    "extensions",
    [
        {"KHR_materials_ior": {"ior": "much"}},
        {"KHR_materials_transmission": {"transmissionFactor": [1.0]}},
        {"KHR_materials_volume": 7},
        {"KHR_materials_specular": {"specularColorFactor": [1.0, "a", 2.0]}},
        {"KHR_materials_transmission": {"transmissionFactor": 1.0}, "KHR_materials_volume": {
            "thicknessFactor": 1.0, "attenuationDistance": True}},
    ],
)  # fmt: skip
def test_what_is_no_number_is_refused_in_a_sentence(extensions):
    with pytest.raises(LevelProblem):
        level_with(extensions)


def test_an_export_says_it_again():
    extensions = {
        "KHR_materials_ior": {"ior": 1.333},
        "KHR_materials_transmission": {"transmissionFactor": 0.7},
        "KHR_materials_volume": {
            "thicknessFactor": 0.1, "attenuationDistance": 0.2, "attenuationColor": [0.2, 0.5, 0.9],
        },
    }  # fmt: skip
    level = level_with(extensions, roughnessFactor=0.3)
    document, data = level_document(level, (), "again")
    document["extensionsUsed"] = extensions_used(document)
    document = {key: value for key, value in document.items() if value != []}
    again = parse_gltf(to_glb(document, data), "again.glb", lambda _: b"").materials[0]
    first = level.materials[0]
    assert again.reflectance == pytest.approx(first.reflectance)
    assert again.transmission == pytest.approx(first.transmission)
    assert np.allclose(again.tint, first.tint)


def test_what_says_nothing_or_the_usual_reflects_as_usual_to_the_last_bit():
    for extensions in ({}, {"KHR_materials_ior": {"ior": 1.5}}, {"KHR_materials_specular": {}}):
        assert level_with(extensions).materials[0].reflectance == Material.reflectance


def test_clear_glass_is_not_brighter_than_snow():
    clear = level_with({"KHR_materials_transmission": {"transmissionFactor": 1.0}})
    assert not any("snow" in finding.text for finding in sanity_findings(clear))
    assert any("snow" in finding.text for finding in sanity_findings(level_with({})))


def test_an_exported_pane_is_tinted_by_its_base_colour():
    """The validator warns of volumes on both sides of one sheet."""
    level = level_with({"KHR_materials_transmission": {"transmissionFactor": 1.0}})
    pane = replace(level.materials[0], double_sided=True, tint=(0.2, 0.5, 1.0), base=(0.5, 1.0, 1.0, 1.0))
    document, data = level_document(replace(level, materials=(pane, level.materials[1])), (), "again")
    assert "KHR_materials_volume" not in extensions_used(document)
    document["extensionsUsed"] = extensions_used(document)
    document = {key: value for key, value in document.items() if value != []}
    again = parse_gltf(to_glb(document, data), "again.glb", lambda _: b"").materials[0]
    assert again.base[:3] == pytest.approx((0.1, 0.5, 1.0))
    assert again.tint == (1.0, 1.0, 1.0)

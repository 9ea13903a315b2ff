"""What extensions say of a surface's gloss and of light that goes through it, as far as the model of
surfaces knows it: reflectance, transmission, tint; and how it differs where it does not.

Sources: KHR_materials_ior, _specular, _transmission, _volume, _clearcoat, _sheen of the standard's
extensions.
"""

from collections.abc import Callable, Iterator
from typing import Any, Final

from wallum.level.model.model import Finding, Material
from wallum.physics.colour import luminance_of

__all__ = ["CLEARCOAT", "GLASS_EXTENSIONS", "glass_fields", "glass_findings"]

IOR: Final = "KHR_materials_ior"
SPECULAR: Final = "KHR_materials_specular"
TRANSMISSION: Final = "KHR_materials_transmission"
VOLUME: Final = "KHR_materials_volume"
CLEARCOAT: Final = "KHR_materials_clearcoat"
# Read here, as far as can be.
GLASS_EXTENSIONS: Final = frozenset({IOR, SPECULAR, TRANSMISSION, VOLUME, CLEARCOAT})
USUAL_IOR: Final = 1.5
# A gloss that is this rough blurs what is seen through it.
FROSTED: Final = 0.2

Number = Callable[[Any], float]


def _reflectance(extensions: dict[str, Any], number: Number) -> float:
    """F0 of what is not metal: by its index of refraction, 0 for one that reflects all, and its share."""
    if not extensions.keys() & {IOR, SPECULAR}:
        return Material.reflectance
    ior = number(extensions.get(IOR, {}).get("ior", USUAL_IOR))
    f0 = 1.0 if ior == 0.0 else ((max(ior, 1.0) - 1.0) / (max(ior, 1.0) + 1.0)) ** 2
    text = extensions.get(SPECULAR, {})
    red, green, blue = (number(item) for item in _three(text.get("specularColorFactor")))
    grey = luminance_of(red, green, blue)
    result = min(max(f0 * grey * number(text.get("specularFactor", 1.0)), 0.0), 1.0)
    # What is said and is as usual shall cost nothing.
    return Material.reflectance if abs(result - Material.reflectance) < 1e-6 else result


def _three(value: Any) -> list[Any]:
    return value if isinstance(value, list) and len(value) == 3 else [1.0, 1.0, 1.0]


def _tint(volume: dict[str, Any], number: Number) -> tuple[float, float, float]:
    """What a volume leaves of light over its thickness, by channel (Beer's law)."""
    thickness, distance = number(volume.get("thicknessFactor", 0.0)), volume.get("attenuationDistance")
    if distance is None or thickness <= 0.0:
        return (1.0, 1.0, 1.0)
    direction = thickness / max(number(distance), 1e-6)
    red, green, blue = (
        min(max(number(item), 0.0), 1.0) ** direction for item in _three(volume.get("attenuationColor"))
    )
    return (red, green, blue)


def glass_fields(
    extensions: dict[str, Any], metallic: float, roughness: float, number: Number
) -> dict[str, Any]:
    """Fields of a Material. number : makes a number of a value, or raises LevelProblem"""
    out: dict[str, Any] = {"reflectance": _reflectance(extensions, number)}
    through = number(extensions.get(TRANSMISSION, {}).get("transmissionFactor", 0.0))
    out["transmission"] = min(max(through, 0.0), 1.0) * (1.0 - metallic)
    if out["transmission"] > 0.0:
        out["tint"] = _tint(extensions.get(VOLUME, {}), number)
    coat = extensions.get(CLEARCOAT, {})
    share = min(max(number(coat.get("clearcoatFactor", 0.0)), 0.0), 1.0) * (1.0 - metallic)
    own = number(coat.get("clearcoatRoughnessFactor", 0.0))
    out["roughness"] = roughness + (min(own, roughness) - roughness) * share
    return out


def _differs(extensions: dict[str, Any], material: Material) -> Iterator[str]:
    """How a surface differs here from what its file asks for."""
    coat = extensions.get(CLEARCOAT, {})
    if coat.get("clearcoatFactor", 0.0):
        how = (
            "left out, as it is metal"
            if material.metallic > 0.5
            else "shown as the gloss of the surface itself"
        )
        yield f"its clear coat is {how}"
    if any(isinstance(value, dict) and "index" in value for extension in GLASS_EXTENSIONS
           for value in extensions.get(extension, {}).values()):  # fmt: skip
        yield "the textures of its gloss and glass are not read, their factors are"
    colour = _three(extensions.get(SPECULAR, {}).get("specularColorFactor"))
    if max(colour) != min(colour):
        yield "the colour of its gloss is shown as grey"
    if material.transmission > 0.0 and material.roughness > FROSTED:
        yield "what is seen through it is not blurred"
    if extensions.get(VOLUME, {}).get("thicknessFactor", 0.0):
        yield "its volume is shown as thin glass, which bends no light"


def glass_findings(given: list[Any], materials: tuple[Material, ...]) -> Iterator[Finding]:
    """One for each way in which surfaces differ, with how many there are and the first."""
    directions: dict[str, list[str]] = {}
    for item, material in zip(given, materials, strict=False):
        for text in _differs(item.extensions or {}, material):
            directions.setdefault(text, []).append(material.name)
    for text, names in directions.items():
        count = f"{len(names)} materials ({names[0]} the first)" if len(names) > 1 else names[0]
        yield Finding("surface differs", names[0], "warning", f"{count}: {text}.")

"""Materials, textures and samplers of a glTF file."""

from typing import Any, Final

from wallum.errors import LevelProblem
from wallum.level.importers.gltf.document import Gltf
from wallum.level.importers.gltf.glass import glass_fields, glass_findings
from wallum.level.model.model import AlphaMode, Finding, Material, Sampler, Slot, TextureUse

__all__ = ["read_materials"]

MIRRORED: Final = 33648
# Beyond it products leave single precision.
LARGEST_NUMBER: Final = 1e9
WRAPS: Final = frozenset({10497, 33071, MIRRORED})
MAG_FILTERS: Final = frozenset({9728, 9729})
MIN_FILTERS: Final = MAG_FILTERS | {9984, 9985, 9986, 9987}
ALPHA_MODES: Final[dict[str, AlphaMode]] = {"OPAQUE": "opaque", "MASK": "mask", "BLEND": "blend"}


def _numbers(value: Any, count: int, where: str, default: tuple[float, ...]) -> tuple[Any, ...]:
    if value is None:
        return default
    if not isinstance(value, list) or len(value) != count:
        raise LevelProblem(f"{value!r} is not {count} numbers", where)
    return tuple(_number(part, where) for part in value)


def _number(value: Any, where: str) -> float:
    """A number that single precision can work with. Raises LevelProblem."""
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) <= LARGEST_NUMBER:
        raise LevelProblem(f"{value!r} is not a number up to {LARGEST_NUMBER:g}", where)
    return float(value)


def _sampler(gltf: Gltf, index: int | None) -> Sampler:
    if not isinstance(index, int) or not 0 <= index < len(gltf.samplers):
        return Sampler()
    result = gltf.samplers[index]
    return Sampler(
        _known(result.magFilter, MAG_FILTERS, 9729),
        _known(result.minFilter, MIN_FILTERS, 9987),
        _known(result.wrapS, WRAPS, 10497),
        _known(result.wrapT, WRAPS, 10497),
    )


def _known(value: Any, words: frozenset[int], default: int) -> int:
    """One of the standard's numbers; what is none of them counts as not given."""
    return value if isinstance(value, int) and value in words else default


def _texture_use(gltf: Gltf, info: Any, where: str) -> TextureUse | None:
    if info is None:
        return None
    if not isinstance(info.index, int) or not 0 <= info.index < len(gltf.textures):
        raise LevelProblem(f"there is no texture {info.index}", where)
    texture = gltf.textures[info.index]
    extensions = texture.extensions or {}
    picture = extensions.get("EXT_texture_webp", {}).get("source", texture.source)
    if picture is None:  # no other stands beside it
        picture = extensions.get("KHR_texture_basisu", {}).get("source")
    if picture is None:
        return None
    if not isinstance(picture, int) or not 0 <= picture < len(gltf.images):
        raise LevelProblem(f"there is no image {picture}", where)
    moved = (info.extensions or {}).get("KHR_texture_transform", {})
    return TextureUse(
        picture=picture,
        sampler=_sampler(gltf, texture.sampler),
        uv_set=int(moved.get("texCoord", info.texCoord or 0)),
        offset=_numbers(moved.get("offset"), 2, where, (0.0, 0.0)),
        rotation_rad=_number(moved.get("rotation", 0.0), where),
        scale=_numbers(moved.get("scale"), 2, where, (1.0, 1.0)),
    )


def _slots(gltf: Gltf, material: Any, where: str) -> dict[Slot, TextureUse]:
    pbr = material.pbrMetallicRoughness
    infos: dict[Slot, Any] = {
        "base": pbr.baseColorTexture if pbr else None,
        "metal_rough": pbr.metallicRoughnessTexture if pbr else None,
        "normal": material.normalTexture,
        "occlusion": material.occlusionTexture,
        "emissive": material.emissiveTexture,
    }
    uses = {slot: _texture_use(gltf, info, where) for slot, info in infos.items()}
    return {slot: use for slot, use in uses.items() if use is not None}


def _or(value: Any, default: float, where: str) -> float:
    return default if value is None else _number(value, where)


def _material(gltf: Gltf, index: int, source: str) -> Material:
    inputs = gltf.materials[index]
    where = f"{source}: material {inputs.name or index}"
    pbr, extensions = inputs.pbrMetallicRoughness, inputs.extensions or {}
    strength = extensions.get("KHR_materials_emissive_strength", {}).get("emissiveStrength", 1.0)
    mode = inputs.alphaMode or "OPAQUE"
    if mode not in ALPHA_MODES:
        raise LevelProblem(f"alpha mode {mode!r}", where, "OPAQUE, MASK or BLEND")
    metallic = _or(pbr.metallicFactor if pbr else None, 1.0, where)
    roughness = _or(pbr.roughnessFactor if pbr else None, 1.0, where)
    return Material(
        name=inputs.name or f"material {index}",
        base=_numbers(pbr.baseColorFactor if pbr else None, 4, where, (1.0, 1.0, 1.0, 1.0)),
        metallic=metallic,
        normal_scale=_or(inputs.normalTexture.scale if inputs.normalTexture else None, 1.0, where),
        occlusion_strength=_or(
            inputs.occlusionTexture.strength if inputs.occlusionTexture else None, 1.0, where
        ),
        emissive=_numbers(inputs.emissiveFactor, 3, where, (0.0, 0.0, 0.0)),
        emissive_strength=_number(strength, where),
        alpha=ALPHA_MODES[mode],
        cutoff=_or(inputs.alphaCutoff, 0.5, where),
        double_sided=bool(inputs.doubleSided),
        unlit="KHR_materials_unlit" in extensions,
        textures=_slots(gltf, inputs, where),
        **glass_fields(extensions, metallic, roughness, lambda value: _number(value, where)),
    )


def read_materials(gltf: Gltf, source: str) -> tuple[tuple[Material, ...], list[Finding]]:
    """Every material, and a plain one at the end for primitives that name none."""
    materials = tuple(_material(gltf, index, source) for index in range(len(gltf.materials)))
    findings = list(glass_findings(gltf.materials, materials))
    findings += [
        Finding(
            "texture coordinates not read",
            material.name,
            "warning",
            f"{material.name} asks for coordinate set {use.uv_set} ({slot}); sets 0 and 1 are read.",
        )
        for material in materials
        for slot, use in material.textures.items()
        if use.uv_set > 1
    ]
    return (*materials, Material()), findings

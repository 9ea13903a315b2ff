"""Extensions that are not read: what of the file has them, how many, and how it looks without."""

from collections.abc import Iterator
from typing import Any, Final

from wallum.level.importers.gltf.document import Gltf
from wallum.level.model.model import Finding

__all__ = ["unread_findings"]

# How what has an extension differs here from what its file asks for.
DIFFERS: Final = {
    "KHR_materials_sheen": "shown without their sheen",
    "KHR_materials_iridescence": "shown without their iridescence",
    "KHR_materials_anisotropy": "shown with highlights that are as wide as high",
    "KHR_materials_dispersion": "shown without dispersion",
    "KHR_materials_diffuse_transmission": "shown as solid",
    "MSFT_texture_dds": "shown with the pictures that stand beside them, where there are any",
    "MSFT_lod": "shown in their finest form",
}
SHOWN_NAMES: Final = 4


def _having(items: list[Any], kind: str, extension: str) -> Iterator[str]:
    for number, item in enumerate(items or []):
        if isinstance(item.extensions, dict) and extension in item.extensions:
            yield getattr(item, "name", None) or f"{kind} {number}"


def _users(gltf: Gltf, extension: str) -> tuple[str, list[str]]:
    """What kind of thing has an extension, and which ones by their names."""
    kinds = (
        ("material", gltf.materials), ("node", gltf.nodes), ("texture", gltf.textures), ("mesh", gltf.meshes),
    )  # fmt: skip
    for kind, items in kinds:
        result = list(_having(items, kind, extension))
        if result:
            return kind, result
    result = [
        mesh.name or f"mesh {number}"
        for number, mesh in enumerate(gltf.meshes)
        if any(
            isinstance(primitive.extensions, dict) and extension in primitive.extensions
            for primitive in mesh.primitives
        )
    ]
    return "mesh", result


def _plural(count: int, word: str) -> str:
    return f"{count} {word if count == 1 else 'meshes' if word == 'mesh' else word + 's'}"


def unread_findings(gltf: Gltf, read: set[str]) -> list[Finding]:
    """One for each extension that is used and not read; one that nothing has needs no word."""
    out = []
    for extension in sorted(set(gltf.extensionsUsed or []) - read):
        kind, users = _users(gltf, extension)
        how = DIFFERS.get(extension, "the rest of them is shown")
        if not users:
            text = f"{extension} is not read: what it says of the whole file is left out."
        else:
            names = ", ".join(users[:SHOWN_NAMES]) + (" and others" if len(users) > SHOWN_NAMES else "")
            text = f"{extension} is not read: {_plural(len(users), kind)} ({names}), {how}."
        out.append(Finding("extension not read", users[0] if users else extension, "warning", text))
    return out

"""KHR_materials_variants: the sets of materials that a file offers, and what they give a primitive."""

from typing import Any, Final

from wallum.errors import LevelProblem
from wallum.level.importers.gltf.document import Gltf

__all__ = ["SETS", "set_names", "sets_of"]

SETS: Final = "KHR_materials_variants"


def set_names(gltf: Gltf, source: str) -> tuple[str, ...]:
    """Names of the sets, in their order. Raises LevelProblem."""
    text = (gltf.extensions or {}).get(SETS)
    if text is None:
        return ()
    listed = text.get("variants") if isinstance(text, dict) else None
    if not isinstance(listed, list) or not all(isinstance(item, dict) for item in listed):
        raise LevelProblem(f"{SETS} does not list its sets", source)
    return tuple(str(item.get("name") or f"set {number}") for number, item in enumerate(listed))


def sets_of(
    primitive: Any, names: tuple[str, ...], materials: int, where: str
) -> tuple[tuple[str, int], ...]:
    """The material that a primitive has in each set that changes it: names and numbers."""
    text = (primitive.extensions or {}).get(SETS) if isinstance(primitive.extensions, dict) else None
    if text is None:
        return ()
    out = []
    for mapping in text.get("mappings") or ():
        number = mapping.get("material")
        if not isinstance(number, int) or not 0 <= number < materials:
            raise LevelProblem(f"a set names no material {number!r}", where)
        for item in mapping.get("variants") or ():
            if not isinstance(item, int) or not 0 <= item < len(names):
                raise LevelProblem(f"there is no set {item!r}", where)
            out.append((names[item], number))
    return tuple(out)

"""The package's own classes, filled from JSON many times as fast as it fills them.

It looks the type hints of a class up for every object that it makes: for a level of a few thousand
nodes and accessors that is seconds. Here that is done once a class; all else is the package's.
"""

import dataclasses
import json
import re
from functools import lru_cache
from types import NoneType, UnionType
from typing import Any, Final, Union, get_args, get_origin, get_type_hints

import pygltflib
from pygltflib import GLTF2, Attributes

__all__ = ["QuickGLTF2", "parsed_json"]

# Escapes that may stand for no whole character, and what they come out as.
SUSPECT: Final = re.compile(r"\\u(?:0000|[dD][89a-fA-F])")
BROKEN: Final = re.compile("[\0\ud800-\udfff]")


def _without_none(hint: Any) -> Any:
    """The type of an optional one."""
    if get_origin(hint) in (Union, UnionType):
        kinds = [one for one in get_args(hint) if one is not NoneType]
        return kinds[0] if len(kinds) == 1 else Any
    return hint


@lru_cache(maxsize=64)
def _shape(kind: type) -> tuple[tuple[str, Any, bool, bool], ...]:
    """Of each field its name, the class in it (None: plain data), whether it is a list of those,
    and whether it must be given."""
    hints = get_type_hints(kind, vars(pygltflib))
    out = []
    for one in dataclasses.fields(kind):
        hint = _without_none(hints[one.name])
        many = get_origin(hint) is list
        inner = _without_none(get_args(hint)[0]) if many and get_args(hint) else hint
        nested = inner if isinstance(inner, type) and dataclasses.is_dataclass(inner) else None
        lacks = one.default is dataclasses.MISSING and one.default_factory is dataclasses.MISSING
        out.append((one.name, nested, many, lacks))
    return tuple(out)


def _filled(kind: type, data: Any) -> Any:
    """An object of a class from plain data. Raises TypeError where the data is of another shape."""
    if not isinstance(data, dict):
        raise TypeError(f"{kind.__name__.lower()} is no object")
    values: dict[str, Any] = {}
    for name, nested, many, lacks in _shape(kind):
        value = data.get(name)
        if name == "name" and not isinstance(value, str):
            value = None  # a name that is no text is none
        if value is None:
            if lacks:
                values[name] = None
        elif nested is None:
            values[name] = value
        elif many:
            if not isinstance(value, list):
                raise TypeError(f"{name} is no list")
            values[name] = [_filled(nested, one) for one in value]
        else:
            values[name] = _filled(nested, value)
    return kind(**values)


def _refused(word: str) -> Any:
    raise ValueError(f"{word} is not a number that JSON knows")


def _whole(text: str) -> str:
    """Text without NUL and halves of characters: no file could hold them, and no one could type them."""
    return BROKEN.sub("\ufffd", text)


def _repaired(value: Any) -> Any:
    """Parsed JSON whose texts are whole."""
    if isinstance(value, str):
        return _whole(value)
    if isinstance(value, list):
        return [_repaired(one) for one in value]
    if isinstance(value, dict):
        return {_whole(key): _repaired(one) for key, one in value.items()}
    return value


def parsed_json(text: str) -> Any:
    """What a glTF file's JSON says. Raises ValueError or RecursionError."""
    data = json.loads(text, parse_constant=_refused)
    return _repaired(data) if SUSPECT.search(text) else data


class QuickGLTF2(GLTF2):  # type: ignore[misc]
    """The package's document, quickly filled."""

    @classmethod
    def from_json(cls, s: str, **_: Any) -> "QuickGLTF2":
        """A document from JSON text. Raises ValueError, TypeError or RecursionError."""
        data = parsed_json(s)
        made = _filled(cls, data)
        for node, given in zip(made.nodes, data.get("nodes") or (), strict=True):
            if given.get("weights"):  # the package's nodes know none
                node.weights = given["weights"]
        for mesh in made.meshes:
            for primitive in mesh.primitives:
                if isinstance(primitive.attributes, dict):
                    primitive.attributes = Attributes(**primitive.attributes)
        return made

"""Paths: every value of the project by an address such as sources/kiln-mouth/intensity."""

from collections.abc import Iterator
from typing import Any, Final, get_args

from pydantic import ValidationError

from wallum.document.fields import Item, Parameter, declared, parameter_of
from wallum.document.fit import moved_with_level
from wallum.document.owners import LISTS, OWNERS
from wallum.document.project import Project, slugs
from wallum.document.quantities import resolve_number
from wallum.errors import PathProblem, ValueProblem

__all__ = ["choices", "find_slug", "locate", "look_up", "put", "put_text", "refusal", "slug_of", "walk"]

AXES: Final = {"x": 0, "y": 1, "z": 2, "r": 0, "g": 1, "b": 2}
SWITCH_WORDS: Final = {
    "on": True, "yes": True, "true": True, "1": True,
    "off": False, "no": False, "false": False, "0": False,
}  # fmt: skip


def slug_of(project: Project, list_name: str, item_id: str) -> str:
    """The address word of a source or shot."""
    items = getattr(project, list_name)
    words = slugs(item.name for item in items)
    return next(word for word, item in zip(words, items, strict=True) if item.id == item_id)


def find_slug(project: Project, list_name: str, slug: str) -> Any:
    """The source or shot with an address word, or with @ and an id; raises PathProblem.

    The @ keeps the two apart: a name may well read like another item's id.
    """
    items = getattr(project, list_name)
    if slug.startswith("@"):  # the program's way, under the hand: no words need be made
        result = next((item for item in items if item.id == slug[1:]), None)
        if result is not None:
            return result
    words = slugs(item.name for item in items)
    for word, item in zip(words, items, strict=True):
        if slug == word:
            return item
    known = ", ".join(words[:12]) or "none"
    raise PathProblem(f"there is no {list_name[:-1]} {slug!r}", list_name, f"one of: {known}")


def locate(project: Project, path: str) -> tuple[Item, str, list[str]]:
    """(item, field name, rest) of a path of a value. Raises PathProblem."""
    head, *rest = path.strip("/").split("/")
    if head in LISTS and len(rest) >= 2:
        return find_slug(project, head, rest[0]), rest[1], rest[2:]
    if head in OWNERS and rest:
        return getattr(project, head), rest[0], rest[1:]
    if head in ("name", "level", "material_set") and not rest:
        return project, head, []
    raise PathProblem(f"{path!r} leads nowhere", "", "such as sources/SOURCE/intensity")


def _field(project: Project, path: str) -> tuple[Item, str, list[str]]:
    item, name, rest = locate(project, path)
    if name not in type(item).model_fields:
        known = ", ".join(n for n in type(item).model_fields if n not in ("id", "kind"))
        raise PathProblem(f"there is no value {name!r}", path, f"one of: {known}")
    return item, name, rest


def look_up(project: Project, path: str) -> Any:
    """The value, source, shot, group or list at a path; raises PathProblem."""
    parts = path.strip("/").split("/")
    if parts == [""]:
        return project
    if len(parts) == 1 and parts[0] in type(project).model_fields:
        return getattr(project, parts[0])
    if len(parts) == 2 and parts[0] in LISTS:
        return find_slug(project, parts[0], parts[1])
    item, name, rest = _field(project, path)
    value = getattr(item, name)
    if not rest:
        return value
    if len(rest) == 1 and rest[0] in AXES and isinstance(value, tuple):
        return value[AXES[rest[0]]]
    raise PathProblem(f"{path!r} leads nowhere", "", "a vector's part is x, y or z")


def refusal(error: ValidationError, where: str) -> ValueProblem:
    """pydantic's findings as one sentence of ours."""
    first = error.errors()[0]
    limits = first.get("ctx", {})
    expected = ""
    if "ge" in limits:
        expected = f"at least {limits['ge']:g}"
    elif "le" in limits:
        expected = f"at most {limits['le']:g}"
    elif "expected" in limits:
        expected = str(limits["expected"])
    inside = "/".join(str(part) for part in first["loc"])
    text = str(first["msg"]).removeprefix("Value error, ")
    shown = "" if isinstance(first["input"], dict | Item) else f", got {first['input']!r}"
    return ValueProblem(f"{text}{shown}", where or inside, expected)


def put(project: Project, path: str, value: Any) -> Project:
    """The project with `value` (already in the parameter's unit) at a path.

    Raises PathProblem where the path leads nowhere, ValueProblem where the value is refused.
    """
    item, name, rest = _field(project, path)
    if name in ("id", "kind"):
        raise ValueProblem(f"{name} cannot be changed", path)
    if rest:
        parts = list(look_up(project, path.strip("/").rsplit("/", 1)[0]))
        look_up(project, path)
        parts[AXES[rest[0]]] = value
        value = tuple(parts)
    try:
        changed = item.revised(**{name: value})
        return moved_with_level(_put_item(project, path, item, changed), project.level_fit)
    except ValidationError as error:
        raise refusal(error, path) from None


def _put_item(project: Project, path: str, old: Item, new: Item) -> Project:
    head = path.strip("/").split("/")[0]
    if old is project:
        assert isinstance(new, Project)
        return new
    if head in OWNERS:
        return project.revised(**{head: new})
    items = tuple(new if item is old else item for item in getattr(project, head))
    return project.revised(**{head: items})


def _parse_text(info: Parameter | None, item: Item, name: str, current: Any, text: str) -> Any:
    if info is None or info.kind in ("choice", "file"):
        return text.strip()
    if info.kind == "switch":
        if text.strip().lower() not in SWITCH_WORDS:
            raise ValueProblem(f"cannot read {text!r}", name, "on or off")
        return SWITCH_WORDS[text.strip().lower()]
    if info.kind in ("vector", "colour"):
        parts = text.split(",")
        if len(parts) != 3:
            raise ValueProblem(f"cannot read {text!r}", name, "three numbers: X,Y,Z")
        pairs = zip(parts, current, strict=True)
        return tuple(resolve_number(part, info, item, was) for part, was in pairs)
    return resolve_number(text, info, item, current)


def put_text(project: Project, path: str, text: str) -> Project:
    """The project with a typed value at a path; units and plain sums are understood."""
    item, name, rest = _field(project, path)
    info = declared(item).get(name)
    current = look_up(project, path)
    if rest and info is not None:
        value: Any = resolve_number(text, info, item, current)
    else:
        value = _parse_text(info, item, name, current, text)
    return put(project, path, value)


def walk(project: Project) -> Iterator[tuple[str, Parameter, Any]]:
    """Every declared parameter of the project with its path and value."""
    for group in OWNERS:
        for name, info in declared(getattr(project, group)).items():
            yield f"{group}/{name}", info, getattr(getattr(project, group), name)
    for list_name in LISTS:
        items = getattr(project, list_name)
        for slug, item in zip(slugs(entry.name for entry in items), items, strict=True):
            for name, info in declared(item).items():
                yield f"{list_name}/{slug}/{name}", info, getattr(item, name)


def choices(item: Item, name: str) -> tuple[str, ...]:
    """The words that a choice may be."""
    field = type(item).model_fields[name]
    info = parameter_of(field)
    assert info is not None
    return tuple(info.words) or get_args(field.annotation)

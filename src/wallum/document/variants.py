"""Variants: keeping the lighting under a name, going back to it, and what differs."""

from typing import Any, Final

from wallum.document.fields import Item, declared
from wallum.document.owners import VARIED, title_of
from wallum.document.project import Project, Variant
from wallum.document.quantities import format_quantity
from wallum.document.sources import new_id
from wallum.errors import PathProblem

__all__ = ["applied", "differences", "kept", "renamed", "without_variant"]

# All that a variant holds of the lighting.
HELD: Final = tuple(name for name in Variant.model_fields if name not in ("id", "name"))


def _found(project: Project, variant_id: str) -> Variant:
    for variant in project.variants:
        if variant.id == variant_id:
            return variant
    raise PathProblem(f"there is no variant {variant_id!r}", "variants", "one that was kept")


def _state(owner: Project | Variant) -> dict[str, Any]:
    return {name: getattr(owner, name) for name in HELD}


def kept(project: Project, name: str) -> Project:
    """The project with its present lighting as one more variant."""
    variant = Variant(id=new_id("variant"), name=name, **_state(project))
    return project.revised(variants=(*project.variants, variant))


def applied(project: Project, variant_id: str) -> Project:
    """The project lit as a variant is. Raises PathProblem."""
    return project.revised(**_state(_found(project, variant_id)))


def renamed(project: Project, variant_id: str, name: str) -> Project:
    """The project with another name for a variant."""
    _found(project, variant_id)
    named = (
        variant.revised(name=name) if variant.id == variant_id else variant for variant in project.variants
    )
    return project.revised(variants=tuple(named))


def without_variant(project: Project, variant_id: str) -> Project:
    """The project without a variant."""
    return project.revised(
        variants=tuple(variant for variant in project.variants if variant.id != variant_id)
    )


def _shown(value: Any, unit: str) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return format_quantity(value, unit)
    if isinstance(value, tuple):
        return ", ".join(f"{part:g}" for part in value)
    return str(value)


def _of_item(title: str, before: Item, after: Item) -> list[str]:
    out = []
    for name, info in declared(after).items():
        a, b = getattr(before, name), getattr(after, name)
        if a != b:
            out.append(f"{title}, {info.label.lower()}: {_shown(a, info.unit)} to {_shown(b, info.unit)}")
    return out


def differences(before: Project | Variant, after: Project | Variant) -> list[str]:
    """What one lighting has other than another, a sentence each."""
    out = []
    for name in VARIED:
        out += _of_item(title_of(name), getattr(before, name), getattr(after, name))
    old = {source.id: source for source in before.sources}
    new = {source.id: source for source in after.sources}
    out += [f"{item.name} is gone" for key, item in old.items() if key not in new]
    for key, source in new.items():
        if key not in old:
            out.append(f"{source.name} is new")
        elif old[key] is not source and type(old[key]) is type(source):
            out += _of_item(source.name, old[key], source)
    if before.lanes != after.lanes:
        out.append("the day plan differs")
    if before.marks != after.marks:
        out.append("marks of parts differ")
    return out

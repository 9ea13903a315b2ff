"""From older schema versions to the present one, a step a version."""

from collections.abc import Callable
from typing import Any, Final

from wallum.document.look import AS_METERED
from wallum.document.project import SCHEMA_VERSION
from wallum.errors import ProjectProblem

__all__ = ["STEPS", "migrate"]

Step = Callable[[dict[str, Any]], dict[str, Any]]


def _base_light_was_free(data: dict[str, Any]) -> dict[str, Any]:
    """Version 1 knew only a sun aimed by hand, a plain dome and exposure by hand."""
    selected = {"sun": {"stands": "where set", "light": "own"}, "sky": {"model": "plain"}}
    sources = data.get("sources")
    if isinstance(sources, list):
        sources = [
            {**source, **selected.get(str(source.get("kind")), {})} if isinstance(source, dict) else source
            for source in sources
        ]
        data = {**data, "sources": sources}
    return data


def _sky_was_clear(data: dict[str, Any]) -> dict[str, Any]:
    """Version 3 called the sky that the hour makes clear; it is the atmosphere now."""

    def named(item: Any) -> Any:
        old = isinstance(item, dict) and item.get("kind") == "sky" and item.get("model") == "clear"
        return {**item, "model": "atmosphere"} if old else item

    def renamed(holder: dict[str, Any]) -> dict[str, Any]:
        sources = holder.get("sources")
        return (
            {**holder, "sources": [named(source) for source in sources]}
            if isinstance(sources, list)
            else holder
        )

    variants = data.get("variants")
    if isinstance(variants, list):
        data = {
            **data,
            "variants": [renamed(variant) if isinstance(variant, dict) else variant for variant in variants],
        }
    return renamed(data)


def _night_was_as_bright_as_day(data: dict[str, Any]) -> dict[str, Any]:
    """Version 13 metered to mid grey in any light."""

    def kept(holder: Any) -> Any:
        look = holder.get("look", {}) if isinstance(holder, dict) else None
        return {**holder, "look": {**AS_METERED, **look}} if isinstance(look, dict) else holder

    variants = data.get("variants")
    if isinstance(variants, list):
        data = {**data, "variants": [kept(variant) for variant in variants]}
    return {**data, **kept(data)}


# STEPS[n] turns data of version n into data of version n + 1.
STEPS: Final[dict[int, Step]] = {
    1: _base_light_was_free,
    2: lambda data: data,  # knew no target, figure or light of the level: they start as they do
    3: _sky_was_clear,
    4: lambda data: data,  # knew no floors: its far ground is as chosen
    5: lambda data: data,  # knew no mist and no pockets: there are none
    6: lambda data: data,  # knew no cards, veils and screen shafts: there are none
    7: lambda data: data,  # knew no light from surfaces: it is true
    8: lambda data: data,  # knew no gaps: none are darkened
    9: lambda data: data,  # knew no other way than probes: it is shown by them
    10: lambda data: data,  # knew no glow that is a lamp's: all lights by itself
    11: lambda data: data,  # knew no baked light: nothing is baked
    12: lambda data: data,  # knew no boxes of probes, no grade and no curve: all is as it was
    13: _night_was_as_bright_as_day,
    14: lambda data: data,  # knew no zones, bloom, grain and ranges of the grade: there are none
    15: lambda data: data,  # knew no saturation by hue: all have the same
    16: lambda data: data,  # knew no gobos: there are none
}


def migrate(data: dict[str, Any], source: str, steps: dict[int, Step] | None = None) -> dict[str, Any]:
    """Data of any known version as data of the present one. Raises ProjectProblem."""
    known = STEPS if steps is None else steps
    version = data.get("schema_version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise ProjectProblem(f"schema_version {version!r} is not a version", source, "1 or more")
    if version > SCHEMA_VERSION:
        raise ProjectProblem(
            f"made by a newer Wallum (schema {version})", source, f"schema {SCHEMA_VERSION} or less"
        )
    while version < SCHEMA_VERSION:
        if version not in known:
            raise ProjectProblem(f"schema {version} can no longer be read", source)
        data = {**known[version](data), "schema_version": version + 1}
        version += 1
    return data

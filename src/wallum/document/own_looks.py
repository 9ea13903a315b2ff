"""Eight looks to begin from, each made for a mood; exposure and light are left as they are."""

from typing import Any, Final

from wallum.document.look import Look
from wallum.document.picture_values import EFFECTS
from wallum.document.sources.zone import ZONE_EFFECTS, ZoneSource

__all__ = ["OWN_LOOKS", "effects_of", "look_of_zone", "own_look", "taken", "zone_values"]

OWN_LOOKS: Final[dict[str, dict[str, Any]]] = {
    "Clay at noon": {
        "contrast": 1.06, "saturation": 1.06, "lights_slope": (1.03, 1.0, 0.95),
        "shadows_slope": (0.97, 1.0, 1.05), "bloom": 0.03, "bloom_reach": 0.6, "vignette": 0.25,
    },
    "Before the fire": {
        "contrast": 1.08, "pivot": -0.5, "saturation": 1.08, "shadows_slope": (0.94, 1.0, 1.1),
        "lights_slope": (1.04, 1.0, 0.93), "bloom": 0.09, "bloom_reach": 0.75,
        "bloom_tint": (1.0, 0.82, 0.62), "vignette": 0.4,
    },
    "Last of the day": {
        "neutral_kelvin": 6000.0, "contrast": 1.04, "middles_saturation": 1.08,
        "shadows_slope": (0.93, 0.98, 1.1), "lights_slope": (1.06, 1.0, 0.92), "bloom": 0.05,
        "bloom_reach": 0.7, "vignette": 0.3,
    },
    "Moon and lamps": {
        "night_eye": 0.45, "lift": 0.5, "contrast": 1.05, "pivot": -2.0,
        "shadows_slope": (0.88, 0.98, 1.16), "middles_slope": (0.97, 1.0, 1.05),
        "lights_slope": (1.08, 1.0, 0.88), "shadows_saturation": 0.85, "bloom": 0.06,
        "bloom_reach": 0.75, "vignette": 0.35,
    },
    "Soot and brass": {
        "contrast": 1.14, "pivot": -1.5, "shadows_saturation": 0.7, "middles_slope": (1.03, 1.0, 0.95),
        "lights_slope": (1.06, 1.01, 0.88), "bloom": 0.05, "bloom_reach": 0.65, "vignette": 0.6,
        "grain": 200.0,
    },
    "Wet morning": {
        "contrast": 0.93, "lift": 0.35, "saturation": 0.86, "shadows_slope": (0.96, 1.0, 1.05),
        "lights_slope": (0.99, 1.0, 1.01), "bloom": 0.07, "bloom_reach": 0.85,
    },
    "Dry season": {
        "contrast": 1.1, "saturation": 0.78, "lights_slope": (1.05, 1.01, 0.93),
        "lights_saturation": 0.8, "shadows_slope": (1.02, 1.0, 0.97), "bloom": 0.03, "vignette": 0.3,
    },
    "Printed": {
        "curve": "filmic", "contrast": 1.02, "saturation": 0.95, "bloom": 0.04, "vignette": 0.35,
        "fringe": 0.4, "grain": 320.0,
    },
}  # fmt: skip


def own_look(name: str) -> Look:
    """One of them."""
    return Look(**OWN_LOOKS[name])


def look_of_zone(zone: ZoneSource) -> Look:
    """What a zone has of its own, as a look."""
    names = (name for switch in zone.effects for name in EFFECTS[switch])
    return Look(**{name: getattr(zone, name) for name in names})


def zone_values(look: Look, effects: tuple[str, ...]) -> dict[str, Any]:
    """Values that a zone takes of a look: of effects that do something in it, and that zones can have."""
    has = [
        item for item in effects_of(look) if item in effects and item in ZONE_EFFECTS and getattr(look, item)
    ]
    out: dict[str, Any] = dict.fromkeys(has, True)
    return out | {name: getattr(look, name) for item in has for name in EFFECTS[item]}


def effects_of(look: Look) -> tuple[str, ...]:
    """The switches of the effects in which a look differs from what all begin with."""
    plain = Look()
    return tuple(
        switch
        for switch, names in EFFECTS.items()
        if any(getattr(look, name) != getattr(plain, name) for name in (switch, *names))
    )


def taken(base: Look, other: Look, effects: tuple[str, ...] = tuple(EFFECTS)) -> Look:
    """A look with some effects of another; exposure, and how light is shown, stay its own."""
    names = [name for switch in effects for name in (switch, *EFFECTS[switch])]
    return base.revised(**{name: getattr(other, name) for name in names})

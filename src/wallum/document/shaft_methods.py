"""Three ways to show shafts: true, over the screen, by cards; and how one is made into another."""

from typing import Any, Final, Literal

from wallum.document.project import Project
from wallum.document.sources import CardSource, FarLight, Source

__all__ = ["WAYS", "Way", "cards_of_source", "present_way", "why_not", "with_way", "without_shafts"]

Way = Literal["true", "screen", "card"]
WAYS: Final[tuple[Way, ...]] = ("true", "screen", "card")


def cards_of_source(project: Project, source_id: str) -> tuple[CardSource, ...]:
    """The cards that follow a source."""
    return tuple(
        source for source in project.sources if isinstance(source, CardSource) and source.of == source_id
    )


def present_way(project: Project, source: Source) -> Way | None:
    """How shafts of a source are shown; None where they are not."""
    if any(item.on for item in cards_of_source(project, source.id)):
        return "card"
    if isinstance(source, FarLight) and project.screen_shafts.on:
        return "screen"
    return "true" if source.in_air > 0.0 and (project.air.on or project.mist.on) else None


def why_not(project: Project, source: Source, way: Way, cards: tuple[CardSource, ...]) -> str:
    """Why shafts of a source cannot be shown a way, in a few words; empty where they can.

    cards : those that would be made for it
    """
    if way == "screen" and not isinstance(source, FarLight):
        return "only sun and moon have screen shafts"
    if way == "card" and not cards and not cards_of_source(project, source.id):
        far = isinstance(source, FarLight)
        return "put a card at an opening first" if far else "only spots and panels have cards"
    return ""


def _swapped(project: Project, source: Source, in_air: float, cards: tuple[Source, ...]) -> Project:
    """The project with how strongly a source lights the air, and with other cards of it."""
    others = tuple(
        item.revised(in_air=in_air) if item.id == source.id else item
        for item in project.sources
        if not (isinstance(item, CardSource) and item.of == source.id)
    )
    return project.revised(sources=(*others, *cards))


def without_shafts(project: Project, source: Source) -> Project:
    """The project with no shafts of a source at all."""
    out = _swapped(project, source, 0.0, ())
    if isinstance(source, FarLight):
        out = out.revised(screen_shafts=out.screen_shafts.revised(on=False))
    return out


def with_way(
    project: Project, source: Source, way: Way, cards: tuple[CardSource, ...], gain: float = 1.0
) -> Project:
    """The project with shafts of a source shown one way, and none of the others.

    cards : those to show it by where it has none
    gain  : times what they would show by themselves, so that it is as near to the true one as can be
    """
    own = cards_of_source(project, source.id)
    if way == "true":
        return _true(project, source, own)
    out = without_shafts(project, source)
    if way == "card":
        shown = tuple(
            item.revised(on=True, gain=_within(CardSource, "gain", item.gain * gain)) for item in own or cards
        )
        return _swapped(out, source, 0.0, shown)
    strength = _within(type(out.screen_shafts), "strength", out.screen_shafts.strength * gain)
    return out.revised(screen_shafts=out.screen_shafts.revised(on=True, strength=strength))


def _true(project: Project, source: Source, own: tuple[CardSource, ...]) -> Project:
    """In the air as it is; where there is none, in air such as its cards stand for."""
    out = _swapped(project, source, source.in_air or 1.0, ())
    if isinstance(source, FarLight):
        out = out.revised(screen_shafts=out.screen_shafts.revised(on=False))
    air = out.air.revised(shafts=True)
    if not (air.on or out.mist.on) and not any(item.kind == "pocket" and item.on for item in out.sources):
        seen = own[0].visibility if own else CardSource.model_fields["visibility"].default
        air = air.revised(on=True, model="true", visibility=max(seen, 5.0))
    return out.revised(air=air)


def _within(kind: Any, name: str, value: float) -> float:
    """A value brought into the range of its field."""
    extra = kind.model_fields[name].json_schema_extra["parameter"]
    return float(f"{min(max(value, extra['low']), extra['high']):.4g}")

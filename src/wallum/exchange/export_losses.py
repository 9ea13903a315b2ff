"""What of a project a glTF file cannot say, and what of its level never came in: each in a sentence."""

from collections.abc import Iterator

from wallum.document.lanes import format_clock
from wallum.document.project import Project
from wallum.document.sources import (
    GROUPS,
    AmbientBoxSource,
    FarLight,
    Lamp,
    PocketSource,
    Sheets,
    SkySource,
    SpotSource,
    SunSource,
    ZoneSource,
)
from wallum.exchange.gltf_lights import WRITERS
from wallum.level.model.model import Finding, Level
from wallum.moment.looks import shown_look
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.curves import OWN_CURVE
from wallum.physics.grade import NEUTRAL_GRADE

__all__ = ["losses"]

# How kinds of findings end that tell of something that was left behind when the level was read.
LEFT_BEHIND = ("not read", "not drawn", "left out", "missing")


def _named(names: list[str]) -> str:
    return f"{', '.join(names[:3])}{'' if len(names) <= 3 else ' and more'}"


def _of_light(project: Project) -> Iterator[str]:
    for source in project.resolved_sources:
        if isinstance(source, SkySource) and source.on:
            yield f"{source.name}: glTF has no sky; it is left out"
    fars = [source.name for source in project.resolved_sources if isinstance(source, FarLight) and source.on]
    if len(fars) > 1:
        yield f"{', '.join(fars)}: only the far light in force is written"
    lamps = [source for source in project.resolved_sources if isinstance(source, Lamp)]
    if project.lanes or any(lamp.switched != "by hand" for lamp in lamps):
        clock = format_clock(project.setting.clock)
        yield f"The day plan is left out: all light is as it is at {clock}"
    trims = [getattr(project.balance, name) for name in {*GROUPS.values()}]
    if any(trims) or any(lamp.trim for lamp in lamps):
        yield "Trims and groups are left out: they are in the strengths of the lights"
    if any(
        isinstance(source, SunSource) and source.disc > 0.0 and source.on
        for source in project.resolved_sources
    ):
        yield "The sun's disc, and so the softness of its shadows, is kept in extras alone"
    for word, writer in WRITERS.items():
        names = [lamp.name for lamp in lamps if lamp.word == word]
        if writer.loss and names:
            yield f"{_named(names)}: {writer.loss}"
    patterned = [lamp.name for lamp in lamps if isinstance(lamp, SpotSource) and lamp.gobo != "none"]
    if patterned:
        yield f"{_named(patterned)}: glTF has no gobos; they are kept in extras alone, others see none"
    soft = sum(lamp.radius > 0.0 for lamp in lamps)
    if soft:
        lamps_of = f"{soft} {'lamp' if soft == 1 else 'lamps'}"
        yield f"The size of {lamps_of} is kept in extras alone: to others each is a point"


def _of_picture(project: Project) -> Iterator[str]:
    look = project.look
    if project.air.on or project.mist.on:
        yield "glTF has no air: the level's haze and mist are left out"
    pockets = sum(isinstance(source, PocketSource) and source.on for source in project.resolved_sources)
    if pockets:
        yield f"glTF has no air: pockets of it are left out ({pockets})"
    rooms = sum(isinstance(source, AmbientBoxSource) and source.on for source in project.resolved_sources)
    if rooms:
        yield f"glTF has no rooms with a light of their own: they are left out ({rooms})"
    zones = sum(isinstance(source, ZoneSource) and source.on for source in project.resolved_sources)
    if zones:
        yield f"glTF has no zones with a look of their own: they are left out ({zones})"
    sheets = sum(isinstance(source, Sheets) and source.on for source in project.resolved_sources)
    if sheets:
        yield f"glTF has no cards and veils: they are left out ({sheets})"
    if project.screen_shafts.on:
        yield "glTF has no screen shafts: they are left out"
    if look.exposed == "metered":
        yield "glTF has no exposure: the metering is left out"
    else:
        yield f"glTF has no exposure: EV {look.ev100:g} is left out"
    yield from (f"{text} is a look, and is left out" for text in _of_chain(shown_look(look)))


def _of_chain(look: ResolvedLook) -> Iterator[str]:
    """What a look does beside its exposure."""
    lens = look.lens
    for text, there in (
        ("The depth of field", look.focus is not None),
        ("The bloom", look.bloom.amount > 0.0),
        ("The vignette", lens.shaded),
        ("The colour fringe", lens.fringe != 0.0),
        ("The grain", lens.grain > 0.0),
        ("The night eye", look.night_eye > 0.0),
        ("The white balance", look.white is not None),
        ("The grade", look.grade != NEUTRAL_GRADE),
        ("The tone curve", look.curve != OWN_CURVE),
        ("The table of colours", look.table is not None),
    ):
        if there:
            yield text


def _of_level(project: Project, level: Level) -> Iterator[str]:
    if project.balance.glow != 0.0 or project.follows:
        yield "Glow is written as the level has it, without its trim and the lamps it follows"
    if level.sets:
        chosen = project.material_set or "its own"
        yield f"Of the level's sets of materials only one is written: {chosen}"
    for finding in level.findings:
        if finding.kind.endswith(LEFT_BEHIND):
            yield f"Not in the file, for it is not in the level as it was read: {_sentence(finding)}"


def _sentence(finding: Finding) -> str:
    text = finding.text.removesuffix(".")
    return text if finding.where in text else f"{finding.where}: {text}"


def losses(project: Project, level: Level, lights_only: bool = False) -> list[str]:
    """What is lost in an export, by what it belongs to. lights_only : the level is not written at all"""
    out = [*_of_light(project), *_of_picture(project)]
    if lights_only:
        if any(any(material.glow) for material in level.materials):
            out.append("Surfaces that glow belong to the level: they are not in a file of lights")
        return out
    return out + list(_of_level(project, level))

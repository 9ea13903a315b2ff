"""A level by its reference in a project, and a project from a level that came in."""

import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Final

from wallum.document.fields import unchecked
from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import FarLight, Lamp, SkySource, SunSource
from wallum.document.storage import SUFFIX, load
from wallum.errors import LevelProblem, ProjectProblem
from wallum.level.chosen import is_chosen, note_chosen
from wallum.level.demos.cistern import VERSION as CISTERN_VERSION
from wallum.level.demos.cistern import cistern, cistern_project
from wallum.level.demos.jar_yard import jar_yard, jar_yard_project
from wallum.level.demos.kilnworks.works import VERSION as KILNWORKS_VERSION
from wallum.level.demos.kilnworks.works import kilnworks, kilnworks_project
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.importers.gltf.reader import load_gltf
from wallum.level.level_cache import kept_level
from wallum.level.model.flatten import flatten
from wallum.level.model.floors import floors_of
from wallum.level.model.level_overrides import dress_of, dressed
from wallum.level.model.model import Level
from wallum.level.model.sanity import sanity_findings

__all__ = [
    "DEMOS",
    "LEVEL_SUFFIXES",
    "MADE",
    "choose_level",
    "file_of",
    "lit_level",
    "lit_project",
    "may_read",
    "may_read_level",
    "moved_beside",
    "named_project",
    "new_project",
    "on_floors",
    "open_level",
    "open_project",
    "project_inputs",
    "project_of_level",
    "reference_to",
    "same_level",
]

BUILTIN: Final[dict[str, Callable[[], Level]]] = {
    "pale-room": pale_room,
    "jar-yard": jar_yard,
    "cistern": lambda: kept_level("cistern", CISTERN_VERSION, cistern),
    "kilnworks": lambda: kept_level("kilnworks", KILNWORKS_VERSION, kilnworks),
}
DEMOS: Final[dict[str, Callable[[], Project]]] = {
    "demo:kilnworks": kilnworks_project,
    "demo:cistern": cistern_project,
    "demo:pale-room": pale_room_project,
    "demo:jar-yard": jar_yard_project,
}
LEVEL_SUFFIXES: Final = (".glb", ".gltf")
MADE: Final = "builtin:"


def open_level(reference: str, beside: Path | None) -> Level:
    """The level that a project names: built in, or a file beside the project.

    `beside` is the project's file, None while it has none. Raises LevelProblem.
    """
    kind, _, name = reference.partition(":")
    if kind == "builtin" and name in BUILTIN:
        level = BUILTIN[name]()
    elif not reference:
        return Level("empty")
    else:
        path = file_of(reference, beside)
        if path.suffix.lower() not in LEVEL_SUFFIXES:
            raise LevelProblem(f"cannot read {path.suffix or 'it'}", str(path), "a .glb or .gltf file")
        if beside is not None and not may_read(path, beside):
            raise LevelProblem(
                "lies outside the project's folder, and you have not chosen it",
                str(path),
                "a level in that folder or below, or your choice: wallum set PROJECT level=FILE",
            )
        level = load_gltf(path)
    return replace(level, findings=(*level.findings, *sanity_findings(level)))


def may_read(level: Path, project_file: Path) -> bool:
    """Whether a project may have this level read: from its own folder and below, or a chosen one."""
    result, folder = (Path(os.path.realpath(item)) for item in (level, project_file.parent))
    return result.is_relative_to(folder) or is_chosen(result)


def may_read_level(project: Project, beside: Path | None) -> bool:
    """Whether a project's level may be read as the project names it."""
    built = not project.level or project.level.startswith(MADE)
    return built or beside is None or may_read(file_of(project.level, beside), beside)


def file_of(reference: str, beside: Path | None) -> Path:
    """The file that a project in `beside` names."""
    return (beside.parent if beside else Path()) / reference


def choose_level(project: Project, beside: Path | None) -> None:
    """The level that a project names is the person's choice."""
    if project.level and not project.level.startswith(MADE):
        note_chosen(file_of(project.level, beside))


def same_level(a: tuple[str, Path | None], b: tuple[str, Path | None]) -> bool:
    """Whether two references, each with the project file it stands in, name one level."""
    if any(not item[0] or item[0].startswith(MADE) for item in (a, b)):
        return a[0] == b[0]
    return file_of(*a).resolve() == file_of(*b).resolve()


def lit_level(project: Project, beside: Path | None, stand_in: bool = True) -> Level:
    """The level of a project as it wants it lit, with the stand-in figure or without.

    Raises LevelProblem.
    """
    dress = dress_of(project)
    dress = dress if stand_in else replace(dress, figure=None)
    return dressed(open_level(project.level, beside), dress)


def lit_project(project: Project, beside: Path | None, stand_in: bool = True) -> tuple[Project, Level]:
    """A project that knows its level's floors, and `lit_level`. Raises LevelProblem."""
    level = lit_level(project, beside, stand_in)
    return on_floors(project, level), level


def on_floors(project: Project, level: Level) -> Project:
    """The project, with the level's floors where its far ground is to be as they are."""
    if all(source.kind != "sky" or source.ground_by == "choice" for source in project.sources):
        return project
    return unchecked(project, {"floors": floors_of(level, flatten(level))})


def reference_to(level_file: Path, project_file: Path | None) -> str:
    """How a project names a file: by its way from the project's folder."""
    if project_file is None:
        return str(level_file.resolve())
    return os.path.relpath(level_file.resolve(), project_file.resolve().parent)


def moved_beside(project: Project, before: Path | None, after: Path) -> Project:
    """A project of the file `before`, as it names the same files from `after`."""

    def moved(reference: str) -> str:
        if not reference or reference.startswith(MADE):
            return reference
        return reference_to(file_of(reference, before), after)

    level, pinned = moved(project.level), moved(project.pinned)
    same = (level, pinned) == (project.level, project.pinned)
    return project if same else unchecked(project, {"level": level, "pinned": pinned})


def new_project(level: Level, reference: str) -> Project:
    """A project on a level that knows its floors, see `project_of_level`."""
    return on_floors(project_of_level(level, reference), level)


def project_of_level(level: Level, reference: str) -> Project:
    """A project on a level: its lamps and shots, and the sun, moon and sky of a clear day.

    A level that brings lamps but no sun is taken for an interior: the sun and sky that are
    added start switched off, so that the lamps are seen.
    """
    sun, moon, sky = base_light()
    own_sun = [source for source in level.sources if isinstance(source, SunSource)]
    lamps = [source for source in level.sources if isinstance(source, Lamp)]
    indoors = bool(lamps) and not own_sun
    base = (
        own_sun[0] if own_sun else sun.revised(on=not indoors),
        moon.revised(on=not indoors),
        sky.revised(on=not indoors, ground_by="the level"),
    )
    others = [source for source in level.sources if not isinstance(source, FarLight | SkySource)]
    look = Look(ev100=5.0) if indoors else Look(exposed="metered", ev100=14.0)
    name = level.name.strip()[:200] or "Untitled"
    return Project(name=name, level=reference, sources=(*base, *others), shots=level.shots, look=look)


def named_project(reference: str) -> Project:
    """A demo by its name. Raises ProjectProblem."""
    if reference not in DEMOS:
        raise ProjectProblem(f"there is no {reference}", "", " or ".join(DEMOS))
    return DEMOS[reference]()


def open_project(reference: str) -> tuple[Project, Path | None]:
    """A project by its file or demo name, and the file it came from. Raises ProjectProblem."""
    if reference.startswith("demo:"):
        return named_project(reference), None
    path = Path(reference)
    if path.suffix.lower() in LEVEL_SUFFIXES:
        named = reference_to(path, None)
        return new_project(open_level(named, None), named), None
    try:
        there = path.exists()
    except (OSError, ValueError):
        there = False  # whoever reads it says why
    if there and path.suffix.lower() != SUFFIX:
        raise ProjectProblem("not a project", reference, f"a {SUFFIX} file, or a .glb or .gltf level")
    return load(path), path


def project_inputs(project: Project, beside: Path | None) -> list[Path]:
    """The files that a project reads: none of them may be written over."""
    named = [source.picture for source in project.sources if isinstance(source, SkySource) and source.picture]
    if project.level and not project.level.startswith(MADE):
        named.append(project.level)
    named += [item for item in (project.pinned, project.target.profile) if "." in item]
    return [*([beside] if beside else []), *(file_of(item, beside) for item in named)]

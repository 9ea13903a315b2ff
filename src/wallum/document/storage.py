"""The project as a file: JSON text, saved whole or not at all."""

import hashlib
import json
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from wallum.document.fields import unchecked
from wallum.document.look import Look
from wallum.document.migrations import migrate
from wallum.document.paths import refusal
from wallum.document.project import Project
from wallum.document.sources import SkySource, Source
from wallum.errors import ChangedProblem, ProjectProblem
from wallum.faults import reading, said
from wallum.files import locked, read_limited, write_whole
from wallum.limits import PROJECT_BYTES

__all__ = [
    "SUFFIX",
    "StoredProject",
    "as_project_file",
    "dump",
    "editing",
    "load",
    "load_stored",
    "parse",
    "refuse_constant",
    "save",
]

SUFFIX = ".wallum"
PROFILE_SUFFIX = ".json"


def dump(project: Project) -> str:
    """The project as text; the order of keys is that of the declarations."""
    return json.dumps(project.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n"


def refuse_constant(word: str) -> Any:
    """What JSON text may not hold though Python reads it: NaN and infinities. Raises ValueError."""
    raise ValueError(f"{word} is not a number that a project may hold")


def parse(text: str, source: str = "") -> Project:
    """A project from text; `source` names it in errors. Raises ProjectProblem."""
    with reading(ProjectProblem, "not a project file", source, "JSON text"):
        data = json.loads(text, parse_constant=refuse_constant)
    if not isinstance(data, dict) or "schema_version" not in data:
        raise ProjectProblem("not a project file", source, "an object with schema_version")
    with reading(ProjectProblem, "not a project file", source):
        data = migrate(data, source)
        try:
            return Project.model_validate(data)
        except ValidationError as error:
            messages = refusal(error, "")
            place = f"{source}: {messages.where}" if messages.where else source
            raise ProjectProblem(messages.what, place, messages.expected) from None


def _files_named(project: Project, name: Callable[[str], str]) -> Project:
    """The project with the files that were chosen for it (skies' pictures, tables of colours, a device
    profile) under other names. They may lie anywhere."""

    def renamed(sources: tuple[Source, ...]) -> tuple[Source, ...]:
        def one(source: Source) -> Source:
            inputs = isinstance(source, SkySource) and source.picture
            return unchecked(source, {"picture": name(source.picture)}) if inputs else source  # type: ignore[union-attr]

        built = tuple(one(source) for source in sources)
        return built if any(a is not b for a, b in zip(built, sources, strict=True)) else sources

    def looking(look: Look) -> Look:
        return unchecked(look, {"table": name(look.table)}) if look.table else look

    variants = tuple(
        unchecked(variant, {"sources": renamed(variant.sources), "look": looking(variant.look)})
        for variant in project.variants
    )
    target, look = project.target, looking(project.look)
    if target.profile.endswith(PROFILE_SUFFIX):
        target = unchecked(target, {"profile": name(target.profile)})
    changes = {"sources": renamed(project.sources), "variants": variants, "target": target, "look": look}
    return unchecked(project, changes)


def _beside(path: Path) -> Callable[[str], str]:
    """Names of files as a project at `path` tells them: by the way from its folder."""
    folder = path.resolve().parent
    return lambda file: os.path.relpath(os.path.realpath(file), folder)


@dataclass(frozen=True)
class StoredProject:
    """A project as its file held it. `mark` stands for the file's content, see `save`."""

    project: Project
    mark: str


def _mark(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def load_stored(path: Path) -> StoredProject:
    """Read a project file, and keep what stands for its content. Raises ProjectProblem."""
    data = read_limited(path, PROJECT_BYTES, ProjectProblem)
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        raise ProjectProblem("not a project file", str(path), "JSON text in UTF-8") from None
    with reading(ProjectProblem, "not a project file", str(path)):
        folder = path.resolve().parent
        project = _files_named(parse(text, str(path)), lambda file: os.path.realpath(folder / file))
    return StoredProject(project, _mark(data))


def load(path: Path) -> Project:
    """Read a project file. Raises ProjectProblem."""
    return load_stored(path).project


def _write(project: Project, path: Path) -> str:
    data = dump(_files_named(project, _beside(path))).encode()
    try:
        write_whole(path, data)
    except OSError as error:
        raise ProjectProblem(f"cannot be written: {said(error)}", str(path)) from None
    return _mark(data)


def save(project: Project, path: Path, seen: str | None = None) -> str:
    """Write a project file, whole or not at all; returns what stands for its content now.

    seen : what stood for its content when it was read. Where it has another by now, another has
           written it: ChangedProblem, and the file stays as it is. None: whatever is there goes.
    Raises ProjectProblem; the old file then stands.
    """
    with locked(path, ProjectProblem):
        if seen is not None and path.exists() and _mark(path.read_bytes()) != seen:
            raise ChangedProblem("has been changed by another since it was read", str(path))
        return _write(project, path)


@contextmanager
def editing(path: Path) -> Iterator[Callable[[Project], str]]:
    """Read, change and write a project file as the only one that does: gives what writes it.

    Raises ProjectProblem.
    """
    with locked(path, ProjectProblem):
        yield lambda project: _write(project, path)


def as_project_file(path: Path) -> Path:
    """A place that a project may be written to. Raises ProjectProblem for a name of another kind,
    and for a link that leads to a file of another kind."""
    if any(item.suffix.lower() != SUFFIX for item in (path, path.resolve())):
        raise ProjectProblem("not a project's name", str(path), f"a name that ends in {SUFFIX}")
    return path

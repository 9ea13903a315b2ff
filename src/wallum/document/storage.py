"""The project as a file: JSON text, saved whole or not at all."""

import json
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from wallum.document.fields import unchecked
from wallum.document.migrations import migrate
from wallum.document.paths import refusal
from wallum.document.project import Project
from wallum.document.sources import SkySource, Source
from wallum.errors import ProjectProblem

__all__ = ["SUFFIX", "dump", "load", "parse", "save", "write_atomically"]

SUFFIX = ".wallum"


def dump(project: Project) -> str:
    """The project as text; the order of keys is that of the declarations."""
    return json.dumps(project.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n"


def _refuse_constant(word: str) -> Any:
    raise ValueError(f"{word} is not a number that a project may hold")


def parse(text: str, source: str = "") -> Project:
    """A project from text; `source` names it in errors. Raises ProjectProblem."""
    try:
        data = json.loads(text, parse_constant=_refuse_constant)
    except ValueError as error:
        raise ProjectProblem(f"not a project file: {error}", source, "JSON text") from None
    if not isinstance(data, dict) or "schema_version" not in data:
        raise ProjectProblem("not a project file", source, "an object with schema_version")
    data = migrate(data, source)
    try:
        return Project.model_validate(data)
    except ValidationError as error:
        told = refusal(error, "")
        raise ProjectProblem(told.what, f"{source}: {told.where}", told.expected) from None


def _skies_named(project: Project, name: Callable[[str], str]) -> Project:
    """The project with its skies' pictures under other names."""

    def renamed(sources: tuple[Source, ...]) -> tuple[Source, ...]:
        def one(source: Source) -> Source:
            given = isinstance(source, SkySource) and source.picture
            return unchecked(source, {"picture": name(source.picture)}) if given else source  # type: ignore[union-attr]

        made = tuple(one(source) for source in sources)
        return made if any(a is not b for a, b in zip(made, sources, strict=True)) else sources

    variants = tuple(unchecked(one, {"sources": renamed(one.sources)}) for one in project.variants)
    return unchecked(project, {"sources": renamed(project.sources), "variants": variants})


def _beside(path: Path) -> Callable[[str], str]:
    """Names of files as a project at `path` tells them: relative where they share a folder tree."""
    folder = path.resolve().parent

    def name(file: str) -> str:
        whole = Path(file).resolve()
        return str(whole.relative_to(folder)) if whole.is_relative_to(folder) else str(whole)

    return name


def load(path: Path) -> Project:
    """Read a project file. Raises ProjectProblem."""
    try:
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError:
        raise ProjectProblem("there is no such file", str(path)) from None
    except UnicodeDecodeError:
        raise ProjectProblem("not a project file", str(path), "JSON text") from None
    except OSError as error:
        raise ProjectProblem(f"cannot be read: {error.strerror}", str(path)) from None
    folder = path.resolve().parent
    return _skies_named(parse(text, str(path)), lambda file: str(folder / file))


def write_atomically(path: Path, data: bytes) -> None:
    """Put `data` at `path`, whole or not at all: temporary file, fsync, rename, fsync.

    Whatever fails, the file that was there is untouched and no temporary is left.
    """
    temporary = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with open(temporary, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        os.replace(temporary, path)
    except BaseException:
        temporary.unlink(missing_ok=True)
        raise
    folder = os.open(path.parent, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def save(project: Project, path: Path) -> None:
    """Write a project file atomically. Raises ProjectProblem; the old file then stands."""
    try:
        write_atomically(path, dump(_skies_named(project, _beside(path))).encode())
    except OSError as error:
        raise ProjectProblem(f"cannot be written: {error.strerror}", str(path)) from None

"""Generated levels as files: made once, as glTF, and read from then on like any other level."""

import logging
from collections.abc import Callable
from dataclasses import replace

from wallum.document.derived import derived_folder
from wallum.errors import LevelProblem
from wallum.files import write_whole
from wallum.level.gltf_writer import extensions_used, level_document, to_glb
from wallum.level.importers.gltf.reader import load_gltf
from wallum.level.model.model import Level

__all__ = ["kept_level"]

log = logging.getLogger("wallum.derived")


def kept_level(name: str, version: int, make: Callable[[], Level]) -> Level:
    """A generated level from its file in the user's cache; made and put there where it is not."""
    path = derived_folder(None) / f"{name}-{version}.glb"
    if path.exists():
        try:
            return replace(load_gltf(path), name=name)
        except LevelProblem as problem:
            log.warning("%s; it is made anew", problem)
    level = make()
    document, data = level_document(level, level.shots, level.name)
    document["extensionsUsed"] = extensions_used(document)
    document = {key: value for key, value in document.items() if value != []}
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, to_glb(document, data))
    except OSError as error:
        log.warning("the level could not be kept: %s", error)
        return level
    return replace(load_gltf(path), name=name)

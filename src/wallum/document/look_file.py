"""A look by itself, as a JSON file: an object of its values, all or some; the rest is neutral."""

import json
from pathlib import Path
from typing import Final

from pydantic import ValidationError

from wallum.document.look import AS_METERED, Look
from wallum.document.paths import refusal
from wallum.errors import ExportProblem, ValueProblem
from wallum.faults import reading, said
from wallum.files import read_limited, write_whole

__all__ = ["look_of_text", "read_look", "text_of_look", "write_look_file"]

MAX_BYTES: Final = 1 << 20
KIND, VERSION = "wallum look", 4


def text_of_look(look: Look) -> str:
    """A look as the text of its file."""
    data = {"kind": KIND, "version": VERSION, "look": look.model_dump(mode="json", exclude_defaults=True)}
    return json.dumps(data, indent=1, ensure_ascii=False) + "\n"


def write_look_file(path: Path, look: Look) -> None:
    """Write a look, whole or not at all. Raises ExportProblem."""
    try:
        write_whole(path, text_of_look(look).encode())
    except OSError as error:
        raise ExportProblem(f"cannot be written: {said(error)}", str(path)) from None


def read_look(path: Path) -> Look:
    """A look from a file. Raises ValueProblem."""
    return look_of_text(read_limited(path, MAX_BYTES, ValueProblem), str(path))


def look_of_text(data: bytes, source: str) -> Look:
    """A look from the bytes of its file. Raises ValueProblem."""
    with reading(ValueProblem, "not a look", source, "JSON text"):
        inputs = json.loads(data)
    values = inputs.get("look") if isinstance(inputs, dict) and inputs.get("kind") == KIND else inputs
    if not isinstance(values, dict):
        raise ValueProblem("not a look", source, "an object of the look's values")
    if values is not inputs:
        version = inputs.get("version")
        if version not in (1, 2, 3, VERSION):
            raise ValueProblem(f"a look of version {version!r}", source, f"version {VERSION} or less")
        if version == 1:  # metered to mid grey in any light
            values = {**AS_METERED, **values}
    try:
        return Look.model_validate(values)
    except ValidationError as error:
        messages = refusal(error, "")
        place = f"{source}: {messages.where}" if messages.where else source
        raise ValueProblem(messages.what, place, messages.expected) from None

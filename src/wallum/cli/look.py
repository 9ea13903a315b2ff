"""`wallum look`: a project takes a look, or a part of one."""

from pathlib import Path
from typing import Any

import click

from wallum.cli.values import moved_to, open_reference, print_json
from wallum.document.picture_values import EFFECT_WORDS

__all__ = ["look_command"]

WORDS = {word.lower(): switch for switch, word in EFFECT_WORDS.items()}


@click.command("look")
@click.argument("project")
@click.argument("look", metavar="LOOK.json|NAME")
@click.option("--only", "words", default="", metavar="EFFECT;...", help="Of its effects; else all.")
@click.option("--out", type=click.Path(path_type=Path), default=None, help="Write here instead.")
@click.option("--json", "as_json", is_flag=True)
def look_command(project: str, look: str, words: str, out: Path | None, as_json: bool) -> None:
    """Take a look from a file, or one of the program's own by its name; exposure stays. Where it has pegs: at
    the project's hour."""
    from wallum.document.own_looks import effects_of
    from wallum.document.storage import as_project_file, editing, load, save
    from wallum.errors import ProjectProblem

    document, file = open_reference(project)
    other, effects = _named(look), _effects(words)
    target = out or file
    if target is None:
        raise ProjectProblem("has no file to write to", project, "--out FILE")
    as_project_file(target)
    if file is not None and target == file:
        with editing(file) as write:  # what others set at the same time is not lost
            write(_looked(load(file), other, effects))
    else:
        save(moved_to(_looked(document, other, effects), file, target), target)
    result = [EFFECT_WORDS[item].lower() for item in effects_of(other) if item in effects]
    if as_json:
        print_json({"file": str(target), "effects": result})
    else:
        click.echo(f"{target}: {', '.join(result) or 'no effect'}")


def _looked(project: Any, other: Any, effects: tuple[str, ...]) -> Any:
    """A project with some effects of another look."""
    from wallum.document.picture_values import EFFECTS
    from wallum.moment.at_moment import at_moment, put_at
    from wallum.moment.moment import own_moment

    moment = own_moment(project)
    now = at_moment(project, moment).look
    for name in (name for switch in effects for name in (switch, *EFFECTS[switch])):
        if getattr(other, name) != getattr(now, name):
            project = put_at(project, f"look/{name}", getattr(other, name), moment)
    return project


def _named(look: str) -> Any:
    """A look by its file or its name. Raises ValueProblem."""
    from wallum.document.look_file import read_look
    from wallum.document.own_looks import OWN_LOOKS, own_look
    from wallum.errors import ValueProblem

    if look.lower().endswith(".json"):
        return read_look(Path(look))
    name = next((item for item in OWN_LOOKS if item.lower() == look.lower()), None)
    if name is None:
        raise ValueProblem(f"there is no look {look!r}", "LOOK", f"a .json file or {', '.join(OWN_LOOKS)}")
    return own_look(name)


def _effects(words: str) -> tuple[str, ...]:
    """Switches of the effects that are named. Raises ValueProblem."""
    from wallum.document.picture_values import EFFECTS
    from wallum.errors import ValueProblem

    if not words:
        return tuple(EFFECTS)
    asked = [part.strip().lower() for part in words.split(";") if part.strip()]
    unknown = [item for item in asked if item not in WORDS]
    if unknown:
        raise ValueProblem(f"there is no effect {unknown[0]!r}", "--only", "; ".join(WORDS))
    return tuple(WORDS[item] for item in asked)

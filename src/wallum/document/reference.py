"""The reference of all parameters, written from their declarations."""

from collections.abc import Iterator

from wallum.document.fields import Item, Parameter, declared
from wallum.document.owners import OWNERS
from wallum.document.paths import choices
from wallum.document.project import PartMarks, Project, Shot
from wallum.document.quantities import format_quantity
from wallum.document.sources import (
    LAMP_KINDS,
    AmbientBoxSource,
    CardSource,
    MoonSource,
    PocketSource,
    SkySource,
    SunSource,
    VeilSource,
    ZoneSource,
)

__all__ = ["parameter_document"]

BOXES_AND_SHEETS: tuple[PocketSource | CardSource | VeilSource | AmbientBoxSource | ZoneSource, ...] = (
    PocketSource(id="pocket", name="Pocket of air"),
    CardSource(id="card", name="Card"),
    VeilSource(id="veil", name="Veil"),
    AmbientBoxSource(id="room", name="Room"),
    ZoneSource(id="zone", name="Zone"),
)
SECTIONS: tuple[tuple[str, str, Item], ...] = (
    *((owner.title, owner.name, getattr(Project(), owner.name)) for owner in OWNERS.values()),
    ("Sun", "sources/sun", SunSource(id="sun", name="Sun")),
    ("Moon", "sources/moon", MoonSource(id="moon", name="Moon")),
    ("Sky", "sources/sky", SkySource(id="sky", name="Sky")),
    *(
        (word.capitalize(), "sources/NAME", kind(id=word, name=word.capitalize()))
        for word, kind in LAMP_KINDS.items()
    ),
    *((sheet.name, "sources/NAME", sheet) for sheet in BOXES_AND_SHEETS),
    ("Shot", "shots/NAME", Shot(id="shot", name="Shot")),
    ("Marks of a part", "", PartMarks(part="part")),
)


def _range(info: Parameter, item: Item, name: str) -> str:
    match info.kind:
        case "choice":
            return " / ".join(choices(item, name))
        case "switch":
            return "on / off"
        case "file":
            return "a file"
        case "colour":
            return "three parts, 0 to 1"
        case "vector":
            return f"three numbers{', ' + info.unit if info.unit else ''}"
    if info.low is None or info.high is None:
        return info.unit
    return f"{format_quantity(info.low, info.unit)} to {format_quantity(info.high, info.unit)}"


def _default(info: Parameter, value: object) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float | int):
        return format_quantity(float(value), info.unit)
    if isinstance(value, tuple):
        return ", ".join(f"{part:g}" for part in value)
    return str(value)


def _rows(path: str, item: Item) -> Iterator[str]:
    yield "| path | label | values | default | what it does |"
    yield "|---|---|---|---|---|"
    for name, info in declared(item).items():
        whole = f"`{path}/{name}`" if path else f"`{name}`"
        cells = (whole, info.label, _range(info, item, name), _default(info, getattr(item, name)), info.help)
        yield "| " + " | ".join(cell.replace("\N{NARROW NO-BREAK SPACE}", " ") for cell in cells) + " |"


def parameter_document() -> str:
    """Every parameter by group, as Markdown."""
    out = [
        "# Parameters",
        "",
        "Written by `./wallum parameters` from the declarations in the code; do not edit. A path is what "
        "`show`, `set` and pegs take: `./wallum set PROJECT PATH=VALUE`, `PATH@sunset=VALUE`.",
    ]
    for title, path, item in SECTIONS:
        out += ["", f"## {title}", "", *_rows(path, item)]
    return "\n".join(out) + "\n"

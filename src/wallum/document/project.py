"""The project as a whole: the level it lights, place and date, sources, shots, look."""

import datetime as dt
from collections.abc import Iterable
from typing import Annotated, Final, Self

from pydantic import AfterValidator, Field, model_validator

from wallum.document.air import Air, Mist
from wallum.document.baking import Baking
from wallum.document.coloured import Direction, Place
from wallum.document.fields import Item, choice, declared, field_check, parameter
from wallum.document.fit import LevelFit
from wallum.document.lanes import Lane
from wallum.document.level_light import LevelLight
from wallum.document.look import Look
from wallum.document.owners import PEGGED
from wallum.document.screen_shafts import ScreenShafts
from wallum.document.sources import Lamp, MoonSource, SkySource, Source, SunSource
from wallum.document.targets import Target
from wallum.memo import Memo

__all__ = [
    "SCHEMA_VERSION",
    "Balance",
    "Figure",
    "PartMarks",
    "Project",
    "Setting",
    "Shot",
    "Variant",
    "Walk",
    "base_light",
    "slugs",
]

SCHEMA_VERSION = 17


def _iso_date(value: str) -> str:
    dt.date.fromisoformat(value)
    return value


class Setting(Item):
    """Where on Earth and when."""

    latitude: float = parameter(
        45.0,
        label="Latitude",
        help="North is positive.",
        unit="deg",
        low=-90.0,
        high=90.0,
        step=0.1,
    )
    longitude: float = parameter(
        0.0,
        label="Longitude",
        help="East is positive.",
        unit="deg",
        low=-180.0,
        high=180.0,
        step=0.1,
    )
    utc_offset: float = parameter(
        0.0,
        label="UTC offset",
        help="Local clock minus universal time.",
        unit="h",
        low=-14.0,
        high=14.0,
        step=0.5,
    )
    north: float = parameter(
        0.0,
        label="North",
        help="Turn of true north from -Z, clockwise.",
        unit="deg",
        low=-180.0,
        high=180.0,
        step=1.0,
    )
    date: Annotated[str, AfterValidator(_iso_date)] = "2027-06-21"
    clock: float = parameter(
        10.0, label="Clock", help="Local time of day.", unit="clock", low=0.0, high=24.0, step=0.25
    )
    day_length: float = parameter(
        120.0,
        label="A day lasts",
        help="Real seconds that 24 hours take when the day is played.",
        unit="s",
        low=2.0,
        high=86400.0,
        step=5.0,
        scale="log",
    )


def _group_trim(label: str, help_text: str) -> float:
    return parameter(0.0, label=label, help=help_text, unit="stops", low=-12.0, high=12.0, step=0.1)


class Balance(Item):
    """Trims of whole groups of sources."""

    base: float = _group_trim("Base", "Stops more or less of sun, moon and sky.")
    lamps: float = _group_trim("Lamps", "Stops more or less of all lamps.")
    accents: float = _group_trim("Accents", "Stops more or less of all keys, fills, rims and accents.")
    glow: float = _group_trim("Glow", "Stops more or less of all glowing surfaces.")


class Shot(Item):
    """A saved camera. `direction` is where it looks; it is kept upright."""

    id: str
    name: str = Field(min_length=1, max_length=200)
    eye: Place = parameter(
        (0.0, 1.7, 5.0),
        label="Eye",
        help="Where the camera is.",
        unit="m",
        kind="vector",
        step=0.05,
    )
    direction: Direction = parameter(
        (0.0, 0.0, -1.0), label="Direction", help="Where it looks.", kind="vector", step=0.02
    )
    fov: float = parameter(
        50.0,
        label="Field of view",
        help="Vertical angle.",
        unit="deg",
        low=1.0,
        high=150.0,
        step=1.0,
    )


class Walk(Item):
    """A path of the camera through the level: places of the eye, and how long it takes."""

    id: str
    name: str = Field(min_length=1, max_length=200)
    points: tuple[Place, ...] = Field(min_length=2, max_length=1000)
    lasts: float = parameter(
        60.0, label="Lasts", help="Time from end to end.", unit="s", low=1.0, high=3600.0, step=1.0
    )
    fov: float = parameter(
        60.0, label="Field of view", help="Vertical angle.", unit="deg", low=1.0, high=150.0, step=1.0
    )


class PartMarks(Item):
    """What the artist said of one part of the level."""

    part: str
    hero: bool = parameter(False, label="Hero", help="The player must see it.", kind="switch")
    path: bool = parameter(False, label="Path", help="The player walks on it.", kind="switch")
    casts: bool = parameter(True, label="Casts shadows", help="Stops light.", kind="switch")
    ignored: bool = parameter(False, label="Ignored", help="Left out altogether.", kind="switch")
    water: bool = parameter(
        False,
        label="Water",
        help="Its surface is rippled water: sky and sun are mirrored in it.",
        kind="switch",
    )
    motion: str = choice("still", label="Motion", help="Whether it moves in play.")
    follows: str = ""  # id of the lamp that the part's own glow follows
    is_lamp: bool = parameter(
        False,
        label="Is the lamp",
        help="Its glow is the light of the lamp that it follows: it shows, and lights nothing beside that.",
        kind="switch",
    )


class Figure(Item):
    """A stand-in 1.8 m tall with a grey and a mirror ball, to judge light by; casts and is lit."""

    on: bool = parameter(False, label="Stands", help="Whether it stands in the level.", kind="switch")
    position: Place = parameter(
        (0.0, 0.0, 0.0), label="Place", help="Where its feet are.", unit="m", kind="vector", step=0.05
    )
    turn: float = parameter(
        0.0,
        label="Turn",
        help="Where it faces, clockwise from north.",
        unit="deg",
        low=-360.0,
        high=360.0,
        step=5.0,
    )


class Variant(Item):
    """A saved alternative of the lighting: all that a project says of light, under a name."""

    id: str
    name: str = Field(min_length=1, max_length=200)
    sources: tuple[Source, ...] = ()
    lanes: tuple[Lane, ...] = ()
    look: Look = Look()
    air: Air = Air()
    mist: Mist = Mist()
    screen_shafts: ScreenShafts = ScreenShafts()
    balance: Balance = Balance()
    marks: tuple[PartMarks, ...] = ()
    level_light: LevelLight = LevelLight()


# Sources by their ids, of the lists that were asked last: of thousands, many are asked for in turn.
_INDEXED: Final = Memo[dict[str, Source]](4)


class Project(Item):
    """Everything that is saved. Lists keep their order, so that files can be merged."""

    schema_version: int = SCHEMA_VERSION
    name: str = "Untitled"
    level: str = ""
    # One of the sets of materials that the level's file offers; empty: its own.
    material_set: str = Field(default="", max_length=500)
    setting: Setting = Setting()
    look: Look = Look()
    air: Air = Air()
    mist: Mist = Mist()
    screen_shafts: ScreenShafts = ScreenShafts()
    balance: Balance = Balance()
    sources: tuple[Source, ...] = ()
    shots: tuple[Shot, ...] = ()
    walks: tuple[Walk, ...] = ()
    lanes: tuple[Lane, ...] = ()
    marks: tuple[PartMarks, ...] = ()
    variants: tuple[Variant, ...] = ()
    level_light: LevelLight = LevelLight()
    baking: Baking = Baking()
    level_fit: LevelFit = LevelFit()
    figure: Figure = Figure()
    target: Target = Target()
    pinned: str = ""  # a picture to compare with, by its file
    # Share of light that the level's floors send back, R, G, B: found whenever the level is opened.
    floors: tuple[float, float, float] | None = None
    viewpoint: Shot | None = None

    @model_validator(mode="after")
    def _ids_are_unique(self) -> Self:
        ids = [item.id for item in (*self.sources, *self.shots, *self.walks, *self.variants)]
        if len(set(ids)) != len(ids):
            twice = sorted({item for item in ids if ids.count(item) > 1})
            raise ValueError(f"the id {twice[0]!r} stands twice")
        for kind in ("sun", "moon", "sky"):
            if sum(source.kind == kind for source in self.sources) > 1:
                raise ValueError(f"there can be only one {kind}")
        return self

    @model_validator(mode="after")
    def _lanes_fit(self) -> Self:
        seen = set()
        for lane in self.lanes:
            item = self.owner(lane.owner)
            if item is None or lane.name not in declared(item):
                raise ValueError(f"a lane is for {lane.owner}/{lane.name}, which is not there")
            if (lane.owner, lane.name) in seen:
                raise ValueError(f"there are two lanes for {lane.owner}/{lane.name}")
            seen.add((lane.owner, lane.name))
            check = field_check(type(item), lane.name)
            for peg in lane.pegs:
                check(peg.value)
        return self

    def owner(self, owner: str) -> Item | None:
        """What a lane belongs to: a group that can be pegged, or a source by its id."""
        result: Item | None = getattr(self, owner) if owner in PEGGED else self.source(owner)
        return result

    def lane(self, owner: str, name: str) -> Lane | None:
        """The lane of a parameter, or None."""
        return next((item for item in self.lanes if (item.owner, item.name) == (owner, name)), None)

    def with_lane(self, lane: Lane) -> Self:
        """The project with a lane in the place of the one for that parameter, or added."""
        others = tuple(item for item in self.lanes if (item.owner, item.name) != (lane.owner, lane.name))
        return self.revised(lanes=(*others, lane))

    def without_lane(self, owner: str, name: str) -> Self:
        """The project without the lane of a parameter."""
        return self.revised(
            lanes=tuple(lane for lane in self.lanes if (lane.owner, lane.name) != (owner, name))
        )

    @property
    def resolved_sources(self) -> tuple[Source, ...]:
        """Every source as it is: what all that reads sources asks for. It is the list itself as long as
        nothing in a project stands for several sources."""
        return self.sources

    def source(self, source_id: str) -> Source | None:
        """The source of an id, or None."""
        return _INDEXED.get(lambda: {item.id: item for item in self.sources}, self.sources).get(source_id)

    def with_source(self, source: Source | Lamp) -> Self:
        """The project with one source put in the place of that id, or added at the end."""
        if self.source(source.id) is None:
            return self.revised(sources=(*self.sources, source))
        swapped = tuple(source if item.id == source.id else item for item in self.sources)
        return self.revised(sources=swapped)

    def without(self, ids: Iterable[str]) -> Self:
        """The project without the sources of these ids."""
        gone = set(ids)
        return self.revised(
            sources=tuple(source for source in self.sources if source.id not in gone),
            lanes=tuple(lane for lane in self.lanes if lane.owner not in gone),
            marks=tuple(m.revised(follows="", is_lamp=False) if m.follows in gone else m for m in self.marks),
        )

    def marks_of(self, part: str) -> PartMarks:
        """What was said of a part; plain marks where nothing was."""
        return next((mark for mark in self.marks if mark.part == part), PartMarks(part=part))

    @property
    def follows(self) -> dict[str, str]:
        """By part, the id of the lamp that its own glow follows."""
        return {mark.part: mark.follows for mark in self.marks if mark.follows}

    @property
    def bodies(self) -> frozenset[str]:
        """Parts whose glow is a lamp's light."""
        return frozenset(mark.part for mark in self.marks if mark.follows and mark.is_lamp)

    def with_marks(self, marks: PartMarks) -> Self:
        """The project with a part's marks; plain ones are not kept."""
        others = tuple(mark for mark in self.marks if mark.part != marks.part)
        plain = marks == PartMarks(part=marks.part)
        return self.revised(marks=others if plain else (*others, marks))


def base_light() -> tuple[SunSource, MoonSource, SkySource]:
    """The sun, moon and sky that a new project starts with."""
    return (
        SunSource(id="sun", name="Sun"),
        MoonSource(id="moon", name="Moon"),
        SkySource(id="sky", name="Sky"),
    )


def slugs(names: Iterable[str]) -> list[str]:
    """Address words of names, in order: `Gate Lamp` is gate-lamp; twins get a number."""
    taken: set[str] = set()
    out = []
    for name in names:
        words = "".join(c if c.isalnum() else " " for c in name.lower()).split()
        base = "-".join(words) or "unnamed"
        slug, number = base, 1
        while slug in taken:
            number += 1
            slug = f"{base}-{number}"
        taken.add(slug)
        out.append(slug)
    return out

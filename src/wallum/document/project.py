"""The project as a whole: the level it lights, place and date, sources, shots, look."""

import datetime as dt
from collections.abc import Iterable
from typing import Annotated, Self

from pydantic import AfterValidator, Field, model_validator

from wallum.document.fields import Item, choice, parameter
from wallum.document.sources import Direction, Place, SkySource, Source, SunSource

__all__ = ["SCHEMA_VERSION", "Look", "PartMarks", "Project", "Setting", "Shot", "slugs"]

SCHEMA_VERSION = 1


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


class Look(Item):
    """From scene light to picture."""

    ev100: float = parameter(
        13.0,
        label="Exposure",
        help="Exposure value at ISO 100: higher is darker.",
        unit="EV",
        low=-12.0,
        high=20.0,
        step=0.1,
    )


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


class PartMarks(Item):
    """What the artist said of one part of the level."""

    part: str
    hero: bool = parameter(False, label="Hero", help="The player must see it.", kind="switch")
    path: bool = parameter(False, label="Path", help="The player walks on it.", kind="switch")
    casts: bool = parameter(True, label="Casts shadows", help="Stops light.", kind="switch")
    ignored: bool = parameter(False, label="Ignored", help="Left out altogether.", kind="switch")
    motion: str = choice("still", label="Motion", help="Whether it moves in play.")


class Project(Item):
    """Everything that is saved. Lists keep their order, so that files can be merged."""

    schema_version: int = SCHEMA_VERSION
    name: str = "Untitled"
    level: str = ""
    setting: Setting = Setting()
    look: Look = Look()
    sources: tuple[Source, ...] = ()
    shots: tuple[Shot, ...] = ()
    marks: tuple[PartMarks, ...] = ()
    viewpoint: Shot | None = None

    @model_validator(mode="after")
    def _ids_are_unique(self) -> Self:
        ids = [item.id for item in (*self.sources, *self.shots)]
        if len(set(ids)) != len(ids):
            twice = sorted({one for one in ids if ids.count(one) > 1})
            raise ValueError(f"the id {twice[0]!r} stands twice")
        for kind in ("sun", "sky"):
            if sum(source.kind == kind for source in self.sources) > 1:
                raise ValueError(f"there can be only one {kind}")
        return self

    def source(self, source_id: str) -> Source | None:
        """The source of an id, or None."""
        return next((one for one in self.sources if one.id == source_id), None)

    def with_source(self, source: Source) -> Self:
        """The project with one source put in the place of that id, or added at the end."""
        if self.source(source.id) is None:
            return self.revised(sources=(*self.sources, source))
        swapped = tuple(source if one.id == source.id else one for one in self.sources)
        return self.revised(sources=swapped)

    def without(self, ids: Iterable[str]) -> Self:
        """The project without the sources of these ids."""
        gone = set(ids)
        return self.revised(sources=tuple(one for one in self.sources if one.id not in gone))


def base_light() -> tuple[SunSource, SkySource]:
    """The sun and sky that a new project starts with."""
    return SunSource(id="sun", name="Sun"), SkySource(id="sky", name="Sky")


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

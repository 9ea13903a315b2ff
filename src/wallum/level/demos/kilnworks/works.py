"""The level put together, and the project that lights it by day, dusk and night."""

import math
from typing import Any, Final

import numpy as np

from wallum.document.air import Air, Mist
from wallum.document.fields import Vector
from wallum.document.lanes import Lane, Peg, PegTime
from wallum.document.look import AS_METERED, Look
from wallum.document.project import PartMarks, Project, Setting, Shot, Walk, base_light
from wallum.document.sources import PocketSource, PointSource, Source, SpotSource, VeilSource
from wallum.level.demos.kilnworks.buildings import buildings
from wallum.level.demos.kilnworks.furnishing import LANTERNS, Furnishing, string_bulbs
from wallum.level.demos.kilnworks.kiln import KILN_AT, MOUTHS_DEG, kiln_body, kiln_iron, mouth, radius_at
from wallum.level.demos.kilnworks.shapes import at, joined
from wallum.level.demos.kilnworks.surfaces import kilnworks_materials, kilnworks_pictures
from wallum.level.demos.kilnworks.terrain import ground_pieces, mesas
from wallum.level.model.model import Level, Mesh, Part

__all__ = ["VERSION", "kilnworks", "kilnworks_project"]

# Counts up when the level changes, so that kept files are made anew.
VERSION: Final = 8
PLACE: Final = Setting(
    latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12", clock=17.0 + 10.0 / 60.0
)
MOUTH_OUT_M: Final = 0.62


def _looking(eye: Vector, target: Vector) -> Vector:
    offset = np.array(target) - np.array(eye)
    x, y, z = (offset / np.linalg.norm(offset)).tolist()
    return x, y, z


def _shot(shot_id: str, name: str, eye: Vector, target: Vector, fov: float) -> Shot:
    return Shot(id=shot_id, name=name, eye=eye, direction=_looking(eye, target), fov=fov)


SHOTS: Final = (
    _shot("shot-lane", "Lane at arrival", (7.3, 1.7, 33.5), (4.6, 2.6, 12.0), 48.0),
    _shot("shot-yard", "Yard wide", (-12.9, 2.1, 12.2), (1.2, 2.5, -4.2), 56.0),
    _shot("shot-kiln", "Kiln close", (-9.3, 1.5, 4.3), (-3.1, 2.9, -3.0), 60.0),
    _shot("shot-shed", "Shed inside", (9.0, 1.7, -10.9), (13.2, 1.35, -4.6), 64.0),
    _shot("shot-stair", "Stair down to the vault", (-11.2, 1.75, 4.1), (-20.5, -4.0, 3.95), 60.0),
    _shot("shot-vault", "Vault looking out", (-28.6, -2.75, 4.9), (-17.5, -2.25, 3.85), 60.0),
    _shot("shot-terrace", "Terrace over the valley", (3.4, 2.95, -16.4), (-3.4, 2.0, -30.0), 60.0),
)


WALK: Final = Walk(
    id="walk", name="Round of the works", lasts=90.0, fov=62.0,
    points=(
        (6.6, 1.7, 36.0), (6.4, 1.7, 24.0), (6.0, 1.7, 14.0), (4.6, 1.7, 8.6), (6.2, 1.7, 1.4), (7.2, 1.7, -6.4),
        (11.2, 1.8, -8.2), (10.2, 1.8, -10.2), (6.6, 1.7, -9.6), (2.6, 1.7, 3.4), (-5.2, 1.7, 5.6), (-11.4, 1.7, 4.0),
        (-15.4, -0.15, 4.0), (-18.2, -2.45, 4.0), (-19.6, -2.72, 4.0), (-24.5, -2.75, 4.3), (-22.0, -2.75, 3.8), (-19.6, -2.72, 4.0), (-18.2, -2.45, 4.0), (-15.4, -0.15, 4.0),
        (-11.0, 1.7, 3.6), (-8.8, 1.7, -6.8), (-3.0, 1.7, -10.2), (1.2, 1.8, -12.6), (1.2, 2.95, -15.4), (-3.2, 2.95, -21.4),
    ),
)  # fmt: skip


def kilnworks() -> Level:
    """The level."""
    meshes: list[Mesh] = []
    parts: list[Part] = []

    def add(name: str, primitives: tuple[Any, ...], matrix: Any = None) -> None:
        meshes.append(Mesh(name, primitives))
        parts.append(Part(name, name, len(meshes) - 1, np.eye(4) if matrix is None else matrix))

    add("ground", ground_pieces())
    for name, rock in mesas():
        add(name, (rock,))
    x, z = KILN_AT
    add("great kiln", kiln_body(), at(x, 0.0, z))
    add("kiln bands", kiln_iron(), at(x, 0.0, z))
    rng = np.random.default_rng(4)
    for number, turn in enumerate(MOUTHS_DEG):
        away = radius_at(0.4) + MOUTH_OUT_M
        angle = math.radians(turn)
        place = at(x + away * math.sin(angle), 0.0, z + away * math.cos(angle), turn)
        add(f"fire mouth {number + 1}", mouth(rng), place)
    for name, primitives in buildings():
        add(name, joined(primitives))
    more = Furnishing(len(meshes))
    more.build()
    return Level(
        "copperfold-kilnworks",
        (*meshes, *more.meshes),
        (*parts, *more.parts),
        kilnworks_materials(),
        kilnworks_pictures(),
        shots=SHOTS,
    )


def _mouth_lamps() -> list[SpotSource]:
    """Four shadowed spots: what the fire in each mouth throws into the yard."""
    out = []
    x, z = KILN_AT
    for number, turn in enumerate(MOUTHS_DEG):
        angle = math.radians(turn)
        away = radius_at(0.4) + MOUTH_OUT_M - 0.12
        out.append(
            SpotSource(
                id=f"mouth-{number + 1}", name=f"Fire Mouth {number + 1}", role="key",
                position=(round(x + away * math.sin(angle), 3), 0.62, round(z + away * math.cos(angle), 3)),
                direction=(math.sin(angle), -0.22, math.cos(angle)),
                intensity=1500.0, kelvin=1950.0, inner=24.0, outer=76.0, range=13.0, radius=0.22, shadow=True,
            )
        )  # fmt: skip
    return out


def _lamps() -> list[Source]:
    by_light: dict[str, Any] = {"switched": "by light", "on_below": 350.0, "off_above": 700.0}
    out: list[Source] = list(_mouth_lamps())
    strengths = {
        "Shed Work Lamp": (40.0, 2900.0, 9.0), "Shed Shelf Lamp": (22.0, 2600.0, 7.0), "Vault Lamp": (60.0, 2300.0, 12.0),
        "Terrace Lamp": (26.0, 2500.0, 10.0), "Gate Lamp": (34.0, 2700.0, 11.0),
    }  # fmt: skip
    for name, place in LANTERNS.items():
        candela, kelvin, reach = strengths[name]
        switched = {} if name == "Vault Lamp" else by_light
        out.append(
            PointSource(id=name.lower().replace(" ", "-"), name=name, position=place, intensity=candela,
                        kelvin=kelvin, range=reach, radius=0.08, **switched)
        )  # fmt: skip
    bulbs = string_bulbs()
    for number in range(0, len(bulbs), 3):  # each stands for three bulbs of its string
        group = bulbs[number : number + 3]
        px, py, pz = (round(float(v), 3) for v in np.mean(group, axis=0))
        out.append(
            PointSource(id=f"string-{number // 3 + 1}", name=f"String {number // 3 + 1}", role="accent",
                        position=(px, py - 0.1, pz), intensity=6.0 * len(group), kelvin=2500.0, range=8.0,
                        radius=0.3, **by_light)
        )  # fmt: skip
    # Somebody is still up in the shop: its louvres and the bars of the window fall on the lane's far wall.
    out.append(
        SpotSource(id="shop-window", name="Shop Window", role="accent", position=(-1.8, 2.1, 24.55), direction=(1.0, -0.07, 0.0),
                   intensity=1400.0, kelvin=2250.0, inner=12.0, outer=20.0, range=15.0, radius=0.04, shadow=True, gobo="slats",
                   gobo_size=0.036, gobo_open=0.5, gobo_soft=0.2, **by_light)
    )  # fmt: skip
    for number, along in enumerate((24.6, 22.4, 20.2)):
        out.append(
            PointSource(id=f"sign-{number + 1}", name=f"Kiln Sign {number + 1}", role="accent", position=(3.75, 3.25, along),
                        intensity=16.0, kelvin=2100.0, range=7.0, radius=0.25, **by_light)
        )  # fmt: skip
    return out


def _peg(value: float | bool, tie: str, hours: float = 0.0, angle: float = 0.0) -> Peg:
    return Peg(at=PegTime(tie=tie, hours=hours, angle=angle), value=value)  # type: ignore[arg-type]


def _pockets() -> list[Source]:
    """Dust where clay is worked, haze of the fires, the damp of the vault, and what drifts before the gate."""
    return [
        PocketSource(id="clay-dust", name="Clay Dust", shape="box", position=(11.5, 1.9, -7.8), size=(11.0, 4.8, 10.0),
                     visibility=42.0, edge=0.35, scattering=(0.95, 0.86, 0.74), forwardness=0.6, noise=0.35,
                     noise_size=1.6, drift=0.06, hidden=True),
        PocketSource(id="kiln-haze", name="Kiln Haze", position=(KILN_AT[0], 2.2, KILN_AT[1]), size=(17.0, 6.0, 17.0),
                     visibility=70.0, edge=0.9, scattering=(0.9, 0.86, 0.82), noise=0.6, noise_size=2.4, drift=0.25, hidden=True),
        VeilSource(id="gate-veil", name="Gate Veil", position=(5.2, 0.75, 16.6), size=(8.0, 1.9, 3.0), turn=0.0, hides=0.4,
                   scattering=(0.96, 0.9, 0.84), lit=0.7, sheets=4, noise=0.9, noise_size=2.2, drift=0.15, surface_fade=0.8,
                   camera_fade=2.0, hidden=True),
        PocketSource(id="vault-damp", name="Vault Damp", shape="box", position=(-23.6, -2.4, 4.0), size=(12.0, 4.4, 7.0),
                     visibility=45.0, edge=0.5, scattering=(0.95, 0.95, 0.93), forwardness=0.4, hidden=True),
    ]  # fmt: skip


def _lanes() -> tuple[Lane, ...]:
    night = (_peg(-0.75, "rising", angle=-8.0), _peg(0.75, "rising", angle=4.0),
             _peg(0.75, "setting", angle=10.0), _peg(0.35, "setting", angle=1.0), _peg(-0.75, "setting", angle=-8.0))  # fmt: skip
    # Moonlight as the eye has it: with less colour, and bluer.
    eye = (_peg(0.5, "rising", angle=-14.0), _peg(0.0, "rising", angle=-5.0),
           _peg(0.0, "setting", angle=-5.0), _peg(0.5, "setting", angle=-14.0))  # fmt: skip
    # Mist lies in the valley in the morning, and the air clears toward noon.
    mist = (_peg(3_800.0, "rising", 0.5), _peg(150_000.0, "noon", -2.0), _peg(250_000.0, "noon", 2.0), _peg(14_000.0, "setting", 0.0),
            _peg(500.0, "setting", 2.5), _peg(900.0, "midnight", 1.0), _peg(6_000.0, "rising", -2.0))  # fmt: skip
    deep = (_peg(34.0, "rising", 0.5), _peg(420.0, "noon", -2.0), _peg(500.0, "noon", 2.0), _peg(220.0, "setting", 0.0),
            _peg(60.0, "setting", 2.5), _peg(60.0, "midnight", 1.0), _peg(60.0, "rising", -2.0))  # fmt: skip
    # The valley's mist stands from before sunrise on and is gone by the middle of the morning.
    valley = (_peg(160.0, "rising", -2.0), _peg(110.0, "rising", 0.4), _peg(600.0, "rising", 2.0), _peg(4_000.0, "rising", 3.0))  # fmt: skip
    lies = (_peg(True, "rising", -2.5), _peg(False, "rising", 3.2))
    # The night is lit by its air, as faint as starlight on dust.
    lit = (_peg(0.0, "rising", -0.8), _peg(0.0, "setting", 0.6), _peg(0.05, "setting", 2.2), _peg(0.05, "midnight", 1.0),
           _peg(0.05, "rising", -2.5))  # fmt: skip
    # By night one sees no farther than shafts need to reach; by day they are finer near by.
    reach = (_peg(80.0, "rising", -1.0), _peg(80.0, "setting", 0.5), _peg(300.0, "setting", 2.2), _peg(300.0, "midnight", 1.0),
             _peg(300.0, "rising", -2.5))  # fmt: skip
    # What drifts before the gate goes as the sun comes.
    drifts = (_peg(0.5, "rising", 0.5), _peg(0.1, "noon", -2.0), _peg(0.1, "noon", 2.0), _peg(0.25, "setting", 0.0),
              _peg(0.45, "setting", 2.5))  # fmt: skip
    # Stoked toward the evening until it shows in the sun, banked for the night.
    fire = (
        _peg(-7.4, "midnight"), _peg(-6.0, "rising", angle=-12.0), _peg(-1.0, "rising", angle=-3.0), _peg(1.6, "rising", angle=6.0),
        _peg(1.2, "noon"), _peg(3.4, "setting", angle=5.0), _peg(-1.2, "setting", angle=-3.0), _peg(-5.0, "setting", angle=-9.0),
        _peg(-7.4, "setting", angle=-16.0),
    )  # fmt: skip
    lanes = [
        Lane(owner="look", name="compensation", pegs=night),
        Lane(owner="look", name="night_eye", pegs=eye),
        Lane(owner="air", name="visibility", pegs=mist),
        Lane(owner="air", name="scale_height", pegs=deep),
        Lane(owner="air", name="own_light", pegs=lit),
        Lane(owner="air", name="reach", pegs=reach),
        Lane(owner="mist", name="visibility", pegs=valley),
        Lane(owner="mist", name="on", pegs=lies),
        Lane(owner="gate-veil", name="hides", pegs=drifts),
    ]
    lanes += _look_lanes()
    lanes += [Lane(owner=f"mouth-{n}", name="trim", pegs=fire) for n in range(1, 5)]
    return tuple(lanes)


def _look_lanes() -> list[Lane]:
    """The day is clear and a little warm, dusk parts cool from warm, and by night moonlight is cool, fires are
    not orange through and through, and what is dark can be read."""
    values = {
        "neutral_kelvin": (6500.0, 6300.0, 4700.0),
        "lift": (0.0, 0.0, 0.3),
        "shadows_slope": ((0.96, 1.0, 1.06), (0.9, 0.98, 1.14), (0.9, 0.98, 1.14)),
        "middles_slope": ((1.0, 1.0, 1.0), (1.0, 1.0, 1.0), (0.98, 1.0, 1.03)),
        "lights_slope": ((1.02, 1.0, 0.97), (1.05, 1.0, 0.92), (1.05, 1.0, 0.93)),
        "bloom": (0.025, 0.05, 0.06),
    }
    return [Lane(owner="look", name=name, pegs=_three(*value)) for name, value in values.items()]


def _three(day: Any, dusk: Any, night: Any) -> tuple[Peg, ...]:
    """A value by day, as the sun goes or comes, and by night."""
    return (
        _peg(night, "rising", angle=-12.0), _peg(dusk, "rising", angle=-1.0), _peg(day, "rising", angle=10.0),
        _peg(day, "setting", angle=12.0), _peg(dusk, "setting", angle=-1.0), _peg(night, "setting", angle=-12.0),
    )  # fmt: skip


def _marks() -> tuple[PartMarks, ...]:
    heroes = [
        PartMarks(part=name, hero=True)
        for name in ("great kiln", "shed wheel", "vault door", "terrace steps")
    ]
    follows = {f"{name} glass": name.lower().replace(" ", "-") for name in LANTERNS}
    follows |= {f"fire mouth {n}": f"mouth-{n}" for n in range(1, 5)}
    follows |= {f"string bulb {n + 1}": f"string-{n // 3 + 1}" for n in range(len(string_bulbs()))}
    follows["kiln sign letters"] = "sign-2"
    # Lanterns and bulbs hang about their lamps; a fire and a sign light what is near them by themselves.
    bodies = tuple(part for part in follows if part.endswith("glass") or part.startswith("string bulb"))
    glows = (PartMarks(part=part, follows=lamp, is_lamp=part in bodies) for part, lamp in follows.items())
    return (*heroes, *glows)


def kilnworks_project() -> Project:
    """The works as they open: ten past five, the sun low, the kiln alight."""
    sun, moon, sky = base_light()
    return Project(
        name="Copperfold Kilnworks",
        level="builtin:kilnworks",
        setting=PLACE,
        air=Air(
            on=True,
            visibility=16_000.0,
            scale_height=260.0,
            base_height=-24.0,
            forwardness=0.62,
            reach=80.0,
            own_colour=(0.5, 0.72, 1.0),
        ),
        mist=Mist(
            visibility=110.0, scale_height=3.5, base_height=-14.0, forwardness=0.7, colour=(0.97, 0.97, 0.98)
        ),
        sources=(sun, moon.revised(trim=2.0), sky.revised(ground_by="the level"), *_lamps(), *_pockets()),
        shots=SHOTS,
        walks=(WALK,),
        look=Look(
            exposed="metered",
            ev100=11.0,
            weighted="centre",
            darkest=-4.0,
            saturation=1.03,
            vignette=0.3,
            bloom_reach=0.72,
            range_low=-2.0,
        ).revised(**AS_METERED),
        lanes=_lanes(),
        marks=_marks(),
    )

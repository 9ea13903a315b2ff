"""Days of our own, to begin from."""

from typing import Any

from wallum.document.air import Air
from wallum.document.day_plans import DayPlan
from wallum.document.lanes import Lane, Peg, parse_peg_time
from wallum.document.look import AS_METERED, Look
from wallum.document.sources import MoonSource, SkySource, SunSource

__all__ = ["own_days"]


def _lane(path: str, easing: str = "soft", **at: Any) -> Lane:
    """A lane by `owner/name`; times in words, with _ for a space and _to_ for a colon."""
    owner, name = path.split("/")
    pegs = []
    for word, value in at.items():
        when = word.lstrip("h").replace("_", ":") if word[0] == "h" else word
        pegs.append(Peg(at=parse_peg_time(when), value=value, easing=easing))  # type: ignore[arg-type]
    return Lane(owner=owner, name=name, pegs=tuple(pegs))


def _sun(**values: Any) -> SunSource:
    return SunSource(id="sun", name="Sun", **values)


def _moon(**values: Any) -> MoonSource:
    return MoonSource(id="moon", name="Moon", **values)


def _sky(**values: Any) -> SkySource:
    return SkySource(id="sky", name="Sky", **values)


METERED = Look(exposed="metered", compensation=0.8, darkest=-3.0).revised(**AS_METERED)


def _clear_desert() -> DayPlan:
    return DayPlan(
        name="Clear desert",
        note="Hard sun, deep blue, haze that thickens with the heat and glows at both ends.",
        sun=_sun(),
        moon=_moon(),
        sky=_sky(ground=0.3, blue_depth=0.25, haze=0.7, height=600.0, low_warmth=250.0),
        air=Air(on=True, visibility=60_000.0, scale_height=900.0, forwardness=0.65),
        look=METERED,
        lanes=(
            _lane("sky/haze", sunrise=0.9, h10_00=0.5, h15_00=1.2, sunset=1.6),
            _lane("air/visibility", sunrise=60_000.0, h14_30=28_000.0, sunset=38_000.0),
            _lane("look/compensation", sunrise=0.6, noon=0.9, sunset=0.5, dusk=0.2, midnight=-0.2),
        ),
    )


def _hazy_coast() -> DayPlan:
    return DayPlan(
        name="Hazy coast",
        note="White air over the water, a soft sun, mist in the morning that burns away.",
        sun=_sun(disc=1.2),
        moon=_moon(),
        sky=_sky(
            ground=0.1,
            haze=4.0,
            haze_blue=0.6,
            haze_forward=0.8,
            cloud=0.25,
            cloud_soft=0.9,
            cloud_opacity=0.4,
        ),
        air=Air(on=True, visibility=6000.0, scale_height=180.0, forwardness=0.72),
        look=METERED,
        lanes=(
            _lane("air/visibility", dawn=900.0, sunrise=700.0, h11_00=7000.0, h16_00=9000.0, dusk=2500.0),
            _lane("air/scale_height", sunrise=40.0, h11_00=220.0, dusk=90.0),
            _lane("sky/haze", sunrise=6.0, noon=3.0, sunset=5.0),
        ),
    )


def _overcast() -> DayPlan:
    return DayPlan(
        name="Overcast",
        note="No shadow but that of the sky: a closed deck, thinner and brighter about noon.",
        sun=_sun(),
        moon=_moon(),
        sky=_sky(
            ground=0.2,
            haze=2.0,
            haze_blue=0.6,
            deck=1.0,
            deck_base=700.0,
            deck_thick=500.0,
            deck_density=0.02,
            deck_size=1800.0,
            deck_detail=0.3,
        ),
        air=Air(on=True, visibility=9000.0, scale_height=400.0, forwardness=0.4),
        look=METERED,
        lanes=(_lane("sky/deck_thick", sunrise=750.0, noon=450.0, sunset=800.0),),
    )


def _polar_summer() -> DayPlan:
    return DayPlan(
        name="Polar summer",
        note="A low sun that does not set, thin air over snow, long blue shadows.",
        sun=_sun(),
        moon=_moon(on=False),
        sky=_sky(
            ground=0.8, haze=0.4, ozone=340.0, blue_depth=0.3, low_warmth=-150.0, cloud=0.3, cloud_soft=0.8
        ),
        air=Air(on=True, visibility=90_000.0, scale_height=1200.0, forwardness=0.5),
        look=METERED,
        lanes=(
            _lane("sky/low_warmth", noon=-150.0, midnight=350.0),
            _lane("sky/cloud", h6_00=0.15, h15_00=0.45, h22_00=0.3),
        ),
    )


def _stylised_dusk() -> DayPlan:
    return DayPlan(
        name="Stylised dusk",
        note="Painted colours that belong to no planet: teal above, ember below, all evening long.",
        sun=_sun(light="own", kelvin=3200.0, illuminance=30_000.0, disc=2.0),
        moon=_moon(trim=1.5),
        sky=_sky(
            model="gradient",
            zenith=(0.05, 0.14, 0.3),
            middle=(0.3, 0.24, 0.45),
            horizon=(0.95, 0.45, 0.28),
            below=(0.12, 0.08, 0.1),
            middle_height=22.0,
            brightness=2500.0,
            glow_size=24.0,
            glow_stops=2.5,
            stars=3.0,
            cloud=0.35,
            cloud_soft=0.4,
            cloud_opacity=0.7,
        ),
        air=Air(on=True, visibility=12_000.0, scale_height=300.0, forwardness=0.75),
        look=METERED,
        lanes=(
            _lane(
                "sky/brightness",
                sunrise=1500.0,
                noon=5000.0,
                sunset=1500.0,
                dusk=40.0,
                midnight=0.02,
                dawn=40.0,
            ),
            _lane(
                "sky/horizon",
                sunrise=(0.95, 0.6, 0.4),
                noon=(0.8, 0.75, 0.7),
                sunset=(0.95, 0.45, 0.28),
                dusk=(0.55, 0.2, 0.4),
            ),
            _lane("sun/illuminance", sunrise=12_000.0, noon=60_000.0, sunset=9000.0),
        ),
    )


def own_days() -> tuple[DayPlan, ...]:
    """Clear desert, hazy coast, overcast, polar summer, stylised dusk."""
    return (_clear_desert(), _hazy_coast(), _overcast(), _polar_summer(), _stylised_dusk())

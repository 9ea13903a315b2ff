"""The look: what the picture does with the light of the scene."""

from typing import Final, Literal, Self, get_args

from pydantic import model_validator

from wallum.document.fields import Item, choice, declared, parameter

__all__ = ["INDIRECT", "Indirect", "Look"]

# How light that comes back from surfaces, and the sky's, is shown: from the truest on.
Indirect = Literal["probes", "lightmaps", "sky alone", "flat", "none"]
INDIRECT: Final[tuple[Indirect, ...]] = get_args(Indirect)


def _gaps(
    default: float, label: str, help_text: str, unit: str = "", low: float = 0.0, high: float = 1.0
) -> float:
    return parameter(
        default,
        label=label,
        help=help_text,
        unit=unit,
        low=low,
        high=high,
        step=0.05,
        first=False,
        heading="Gaps",
    )


def _metering(default: float, label: str, help_text: str, unit: str, low: float, high: float) -> float:
    return parameter(
        default,
        label=label,
        help=help_text,
        unit=unit,
        low=low,
        high=high,
        step=0.01 if unit == "" else 0.1,
        first=False,
        heading="Metering",
    )


class Look(Item):
    """From scene light to picture."""

    exposed: Literal["by hand", "metered"] = choice(
        "by hand",
        label="Exposed",
        help="By hand: at the exposure set. Metered: by the light in the picture.",
    )
    ev100: float = parameter(
        13.0,
        label="Exposure",
        help="Exposure value at ISO 100, where exposed by hand: higher is darker.",
        unit="EV",
        low=-12.0,
        high=20.0,
        step=0.1,
    )
    weighted: Literal["whole", "centre", "heroes"] = choice(
        "centre",
        label="Weighted",
        help="What is metered: the whole picture, its centre more, or the heroes in it.",
    )
    compensation: float = parameter(
        0.8,
        label="Compensation",
        help="Stops brighter than metered. At 0.8 the mean lands on mid grey.",
        unit="stops",
        low=-8.0,
        high=8.0,
        step=0.1,
    )
    night_eye: float = parameter(
        0.0,
        label="Night eye",
        help="A look, not light: in the dark colour goes and blue stays brighter, as to the eye at night.",
        low=0.0,
        high=1.0,
        step=0.05,
    )
    vignette: float = parameter(
        0.0,
        label="Vignette",
        help="What the lens loses in the picture's corners. It is a look: metering does not see it.",
        unit="stops",
        low=0.0,
        high=4.0,
        step=0.05,
        first=False,
        heading="Lens",
    )
    indirect: Indirect = choice(
        "probes",
        label="Shown by",
        help="Probes: as it is. Lightmaps: as it was baked. The rest are fakes, for games that have no more.",
        first=False,
        heading="Light from surfaces",
    )
    flat_share: float = parameter(
        0.3,
        label="Flat light",
        help="Where it is shown flat: as much of the sky's light on open ground. A fake.",
        low=0.0,
        high=2.0,
        step=0.05,
        first=False,
        heading="Light from surfaces",
    )
    bounce: float = parameter(
        0.0,
        label="Bounce",
        help="Stops that light from surfaces is brighter. 0 is true; anything else is a fake.",
        unit="stops",
        low=-12.0,
        high=6.0,
        step=0.1,
        first=False,
        heading="Light from surfaces",
    )
    bounce_colour: float = parameter(
        1.0,
        label="Its colour",
        help="How much of its colour light from surfaces keeps. 1 is true; anything else is a fake.",
        low=0.0,
        high=2.0,
        step=0.05,
        first=False,
        heading="Light from surfaces",
    )
    gaps: float = _gaps(
        0.0,
        "Gaps",
        "How much darker gaps are for light from all around, where probes are too coarse.",
    )
    gaps_reach: float = _gaps(0.4, "Reach", "How far away a surface may be to darken a gap.", "m", 0.02, 5.0)
    gaps_behind: float = _gaps(
        0.4,
        "Thickness",
        "How far before a surface something may lie and still darken it; little keeps posts free of rims.",
        "m",
        0.02,
        5.0,
    )
    gaps_direct: float = _gaps(
        0.0,
        "Of direct light",
        "Share of it that also dims light straight from its source. Anything but 0 is a fake.",
    )
    darkest: float = _metering(
        -6.0, "Lowest EV", "Metering goes no lower: night stays night.", "EV", -12.0, 20.0
    )
    brightest: float = _metering(17.0, "Highest EV", "Metering goes no higher.", "EV", -12.0, 20.0)
    clip_low: float = _metering(
        0.2, "Leave out darkest", "Share of the darkest that is not counted.", "", 0.0, 0.49
    )
    clip_high: float = _metering(
        0.05, "Leave out brightest", "Share of the brightest that is not counted.", "", 0.0, 0.49
    )
    speed_up: float = _metering(
        3.0, "Speed to bright", "How fast the eye takes to more light in play.", "stops/s", 0.05, 100.0
    )
    speed_down: float = _metering(
        1.5, "Speed to dark", "How fast the eye takes to less light in play.", "stops/s", 0.05, 100.0
    )

    def inactive(self) -> frozenset[str]:
        off = set() if self.indirect == "flat" else {"flat_share"}
        if self.indirect not in ("probes", "lightmaps"):
            off |= {"bounce", "bounce_colour"}
        if self.exposed == "metered":
            return frozenset({"ev100", *off})
        return frozenset(declared(self)) - {
            "exposed", "ev100", "night_eye", "vignette", "indirect", "flat_share", "bounce", "bounce_colour",
            "gaps", "gaps_reach", "gaps_behind", "gaps_direct",
        } | off  # fmt: skip

    @model_validator(mode="after")
    def _limits_in_order(self) -> Self:
        if self.darkest > self.brightest:
            raise ValueError(
                f"the lowest EV ({self.darkest:g}) must not be above the highest ({self.brightest:g})"
            )
        return self

"""The look: what the picture does with the light of the scene."""

import math
from typing import ClassVar, Final, Literal, Self, get_args

from pydantic import model_validator

from wallum.document.fields import choice, parameter
from wallum.document.picture_values import EFFECTS, PictureValues, folded, switch
from wallum.physics.colour_table import TableOn
from wallum.physics.curves import DEFAULT_WHITE, CurveKind, CurveOn
from wallum.physics.exposure import DARKER_AT, MID_GREY, key_value
from wallum.physics.tone import DEFAULT_CURVE, ToneCurve

__all__ = ["AS_METERED", "DARKER", "INDIRECT", "Indirect", "Look"]

METERED = ("darkest", "brightest", "clip_low", "clip_high", "speed_up", "speed_down")
# How much darker than metered a picture stays, from the least light on: by physics.exposure.DARKER_AT.
DARKER = ("dark_starlit", "dark_moonlit", "dark_lamplit", "dark_dusk", "dark_shade")
# Of looks that were made before these.
AS_METERED: Final[dict[str, float]] = dict.fromkeys(DARKER, 0.0)
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


def _darker(number: int, label: str) -> float:
    """By default as bright as Krawczyk and others 2005 have it, over day."""
    light = DARKER_AT[number]
    day, own = (float(key_value(item)) for item in (DARKER_AT[-1], light))
    return parameter(
        round(math.log2(day / own), 2), label=label, unit="stops", low=-2.0, high=8.0, step=0.1, first=False,
        heading="Night stays night",
        help=f"Stops that a metered picture stays darker where its mean is {light:g} cd/m2.",
    )  # fmt: skip


class Look(PictureValues):
    """From scene light to picture."""

    NEUTRAL_K: ClassVar[float] = 6500.0

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

    dark_starlit: float = _darker(0, "By stars")
    dark_moonlit: float = _darker(1, "By the moon")
    dark_lamplit: float = _darker(2, "By lamps")
    dark_dusk: float = _darker(3, "At dusk")
    dark_shade: float = _darker(4, "In shade by day")

    with_focus: bool = switch("Focus")
    focus: Literal["off", "far and near", "far", "near"] = choice(
        "off", label="Unsharp", first=False, heading="Focus",
        help="What lies away from the focus: none of it, all, or only what is beyond or before.",
    )  # fmt: skip
    focus_at: float = folded(
        "Focus", 6.0, "Focus at", "How far away it is sharp.", 0.1, 10_000.0, unit="m", step=0.1, scale="log"
    )
    focus_stop: float = folded(
        "Focus", 4.0, "f-number", "Of a lens before a sensor 24 mm high: less is more unsharp.", 0.7, 32.0,
        step=0.1, scale="log",
    )  # fmt: skip
    with_curve: bool = switch("Tone curve")
    curve: CurveKind = choice(
        "own", label="Curve", first=False, heading="Tone curve",
        help="From light to what a screen shows. Own: a toe, a shoulder, mid grey where it is.",
    )  # fmt: skip
    curve_on: CurveOn = choice(
        "channel", label="Works on", first=False, heading="Tone curve",
        help="Channel: bright colours go to white. Luminance: they keep their ratios.",
    )  # fmt: skip
    white: float = folded(
        "Tone curve", DEFAULT_WHITE, "White", "Picture value that becomes white; 11.52 is 6 stops over grey.",
        0.36, 1000.0, step=0.5, scale="log",
    )  # fmt: skip
    toe: float = folded("Tone curve", 0.62, "Toe", "Slope at black: less buries the dark.", 0.05, 1.0)
    shoulder: float = folded("Tone curve", 1.18, "Steepness", "Stops for each stop at mid grey.", 1.0, 1.5)
    with_table: bool = switch("Table")
    table: str = parameter(
        "", label="Table", help="A table of colours, .cube.", kind="file", first=False, heading="Table"
    )
    table_on: TableOn = choice(
        "display", label="It takes", first=False, heading="Table",
        help="Display: what the screen gets. Linear: before the sRGB transfer. Log: light, by stops from 10 "
        "below to 6.5 above mid grey, in the place of the curve.",
    )  # fmt: skip
    table_strength: float = folded("Table", 1.0, "Strength", "How much of it is taken.", 0.0, 1.0)

    limit: float = folded(
        "Loudness", 40.0, "Loud from", "Median shift of colours from which the look is said to be loud.",
        1.0, 500.0, unit="delta E", step=1.0,
    )  # fmt: skip

    @property
    def darker(self) -> tuple[float, ...]:
        """Of a metered picture, see physics.exposure.kept_dark."""
        return tuple(getattr(self, name) for name in DARKER)

    @property
    def own_curve(self) -> ToneCurve:
        """The program's own curve of this look."""
        if (self.toe, self.shoulder, self.white) == (0.62, 1.18, DEFAULT_WHITE):
            return DEFAULT_CURVE
        return ToneCurve.through(self.toe, self.shoulder, math.log2(self.white / MID_GREY))

    def _chain_off(self) -> set[str]:
        """Of the chain, what does nothing as the look is."""
        off = set() if self.focus != "off" else {"focus_at", "focus_stop"}
        off |= set() if self.curve == "own" else {"toe", "shoulder"}
        if self.curve not in ("own", "reinhard"):
            off |= {"white"}
        if self.curve == "neutral":
            off |= {"curve_on"}
        off |= self.switched_off()
        return off if self.table else off | {"table_on", "table_strength", "with_table"}

    def only(self, effect: str) -> "Look":
        """This look with one effect alone (see EFFECTS), or none where it is empty; exposed as it is."""
        return self.revised(**{item: item == effect and getattr(self, item) for item in EFFECTS})

    def inactive(self) -> frozenset[str]:
        off = self._chain_off()
        off |= set() if self.indirect == "flat" else {"flat_share"}
        if self.indirect not in ("probes", "lightmaps"):
            off |= {"bounce", "bounce_colour"}
        if self.exposed == "metered":
            return frozenset({"ev100", *off})
        return frozenset({"weighted", "compensation", *METERED, *DARKER, *off})

    @model_validator(mode="after")
    def _chain_is_sound(self) -> Self:
        self.check_grades()
        own = self.own_curve  # looked at only where it is not the one that is known to rise
        if self.curve == "own" and own is not DEFAULT_CURVE and not own.rises_to(self.white):
            raise ValueError(
                f"no curve has a toe of {self.toe:g}, a steepness of {self.shoulder:g} and white at "
                f"{self.white:g}: go back toward 0.62, 1.18 and 11.52"
            )
        return self

    @model_validator(mode="after")
    def _limits_in_order(self) -> Self:
        if self.darkest > self.brightest:
            raise ValueError(
                f"the lowest EV ({self.darkest:g}) must not be above the highest ({self.brightest:g})"
            )
        return self

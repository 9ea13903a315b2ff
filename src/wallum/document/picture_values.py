"""What a picture does with the light, by values that blend: those of the look, and of a zone."""

from typing import Any, Final

from wallum.document.fields import Item, Vector, parameter
from wallum.physics.grade import DecisionList, Ranges

__all__ = ["EFFECTS", "EFFECT_WORDS", "RANGES", "PictureValues", "effect_of", "folded"]

RANGES: Final = ("shadows", "middles", "lights")
HUES: Final = ("hues", "hues_between")
# Each effect: its switch, and the values that are its own.
EFFECTS: Final[dict[str, tuple[str, ...]]] = {
    "with_bloom": ("bloom", "bloom_reach", "bloom_tint", "bloom_threshold"),
    "with_focus": ("focus", "focus_at", "focus_stop"),
    "with_lens": ("vignette", "shade", "shade_radius", "shade_softness", "fringe"),
    "with_grain": ("grain",),
    "with_night_eye": ("night_eye",),
    "with_white": ("neutral_kelvin", "neutral_tint"),
    "with_grade": ("contrast", "pivot", "lift", "slope", "offset", "power", "saturation", *HUES),
    "with_ranges": (
        *(f"{range_}_{part}" for range_ in RANGES for part in ("slope", "offset", "power", "saturation")),
        "range_low",
        "range_high",
        "range_soft",
    ),
    "with_curve": ("curve", "curve_on", "white", "toe", "shoulder"),
    "with_table": ("table", "table_on", "table_strength"),
}


# As they are called.
EFFECT_WORDS: Final[dict[str, str]] = {
    "with_bloom": "Bloom",
    "with_focus": "Focus",
    "with_lens": "Lens",
    "with_grain": "Grain",
    "with_night_eye": "Night eye",
    "with_white": "White balance",
    "with_grade": "Grade",
    "with_ranges": "Shadows, middles, lights",
    "with_curve": "Tone curve",
    "with_table": "Table",
}


def effect_of(name: str) -> str | None:
    """The switch of the effect that a value belongs to."""
    return next((switch for switch, names in EFFECTS.items() if name == switch or name in names), None)


def folded(
    heading: str, default: float, label: str, help_text: str, low: float, high: float, **more: Any
) -> float:
    """A number under a heading; or seen at once, where it stands `after` another value."""
    more = {"step": 0.01, "first": "after" in more, **more}
    return parameter(default, label=label, help=help_text, low=low, high=high, heading=heading, **more)


def switch(heading: str) -> bool:
    """Whether an effect is on."""
    return parameter(
        True, label="On", help="Off: the picture without it; its values stay.", kind="switch", first=False,
        heading=heading,
    )  # fmt: skip


def _triple(
    heading: str, default: float, label: str, help_text: str, letters: str = "RGB", most: float | None = None
) -> Vector:
    limits = {} if most is None else {"low": 0.0, "high": most}
    return parameter(
        (default,) * 3, label=label, help=help_text, kind="vector", step=0.01, first=False, heading=heading,
        letters=letters, **limits,
    )  # fmt: skip


def _slope(heading: str) -> Vector:
    return _triple(heading, 1.0, "Slope", "What each channel is multiplied by.")


def _offset(heading: str) -> Vector:
    return _triple(heading, 0.0, "Offset", "What is added to each channel then.")


def _power(heading: str) -> Vector:
    return _triple(heading, 1.0, "Power", "Of each channel after these.")


def _saturation(heading: str, **more: Any) -> float:
    text = "How far colours are from grey."
    return folded(heading, 1.0, "Saturation", text, 0.0, 4.0, safe=(0.7, 1.25), **more)


class PictureValues(Item):
    """Lens, eye, white balance and grade."""

    with_white: bool = switch("White balance")
    neutral_kelvin: float = folded(
        "White balance", 6500.0, "Neutral", "Light of this colour looks neutral. 6500 leaves all as it is.",
        2000.0, 20_000.0, unit="K", step=50.0, scale="log", after="compensation",
    )  # fmt: skip
    neutral_tint: float = folded(
        "White balance", 0.0, "Its tint", "As far off the colours of glow and day; positive is toward green.",
        -0.05, 0.05, unit="Duv", step=0.001,
    )  # fmt: skip

    with_grade: bool = switch("Grade")
    contrast: float = folded(
        "Grade", 1.0, "Contrast", "Stops for each stop, about the pivot.", 0.25, 4.0, safe=(0.85, 1.2),
        after="neutral_kelvin",
    )  # fmt: skip
    saturation: float = _saturation("Grade", after="contrast")
    night_eye: float = folded(
        "Night eye", 0.0, "Night eye",
        "A look, not light: in the dark colour goes and blue stays brighter, as to the eye at night.",
        0.0, 1.0, step=0.05, after="saturation",
    )  # fmt: skip
    with_night_eye: bool = switch("Night eye")
    pivot: float = folded(
        "Grade",
        0.0,
        "Pivot",
        "What contrast leaves as it is, from mid grey on.",
        -8.0,
        6.0,
        unit="stops",
        step=0.1,
    )
    lift: float = folded(
        "Grade", 0.0, "Lift", "How much the darkest are raised. Black stays black: it is no veil.",
        -3.0, 4.0, unit="stops", step=0.05, safe=(-0.7, 1.0),
    )  # fmt: skip
    slope: Vector = _slope("Grade")
    offset: Vector = _offset("Grade")
    power: Vector = _power("Grade")
    hues: Vector = _triple(
        "Grade", 1.0, "Saturation by hue", "Of reds, greens and blues, each by itself.", most=4.0
    )  # fmt: skip
    hues_between: Vector = _triple(
        "Grade", 1.0, "And between", "Saturation of yellows, cyans and magentas.", "YCM", most=4.0
    )  # fmt: skip

    with_ranges: bool = switch("Shadows, middles, lights")
    range_low: float = folded(
        "Shadows, middles, lights", -2.5, "Shadows end", "Where they meet the middles, from mid grey on.",
        -10.0, 6.0, unit="stops", step=0.1,
    )  # fmt: skip
    range_high: float = folded(
        "Shadows, middles, lights", 1.5, "Lights begin", "Where the middles meet them, from mid grey on.",
        -8.0, 8.0, unit="stops", step=0.1,
    )  # fmt: skip
    range_soft: float = folded(
        "Shadows, middles, lights", 3.0, "Softness", "Over how many stops one goes over into the next.",
        0.1, 8.0, unit="stops", step=0.1,
    )  # fmt: skip
    shadows_slope: Vector = _slope("Shadows")
    shadows_offset: Vector = _offset("Shadows")
    shadows_power: Vector = _power("Shadows")
    shadows_saturation: float = _saturation("Shadows")
    middles_slope: Vector = _slope("Middles")
    middles_offset: Vector = _offset("Middles")
    middles_power: Vector = _power("Middles")
    middles_saturation: float = _saturation("Middles")
    lights_slope: Vector = _slope("Lights")
    lights_offset: Vector = _offset("Lights")
    lights_power: Vector = _power("Lights")
    lights_saturation: float = _saturation("Lights")

    with_bloom: bool = switch("Bloom")
    bloom: float = folded(
        "Bloom", 0.0, "Bloom", "Share of the light that the lens spreads about: none is added.",
        0.0, 1.0, safe=(0.0, 0.12),
    )  # fmt: skip
    bloom_reach: float = folded(
        "Bloom",
        0.6,
        "Spread",
        "How far: more of it goes to the wider part of the glow.",
        0.0,
        0.95,
        step=0.05,
    )
    bloom_tint: Vector = _triple("Bloom", 1.0, "Tint", "How much of each channel is spread, beside the most.")
    bloom_threshold: float = folded(
        "Bloom", 0.0, "From", "Picture value from which light is spread at all. Anything but 0 is a fake.",
        0.0, 100.0, step=0.1,
    )  # fmt: skip

    with_lens: bool = switch("Lens")
    vignette: float = folded(
        "Lens", 0.0, "Fall-off", "What the lens loses in the picture's corners. Metering does not see it.",
        0.0, 4.0, unit="stops", step=0.05, safe=(0.0, 1.0),
    )  # fmt: skip
    shade: float = folded(
        "Lens", 0.0, "Vignette", "By hand: what is lost at the corners. A fake.", -2.0, 4.0, unit="stops",
        step=0.05, safe=(0.0, 0.7),
    )  # fmt: skip
    shade_radius: float = folded(
        "Lens", 0.4, "Its start", "Of the way from the middle to the corner.", 0.0, 1.5, step=0.05
    )
    shade_softness: float = folded(
        "Lens", 0.6, "Its softness", "Over which share of that way it comes up.", 0.02, 2.0, step=0.05
    )
    fringe: float = folded(
        "Lens", 0.0, "Colour fringe", "Pixels at the corners, of 1080 lines: red outward, blue inward.",
        -6.0, 6.0, unit="px", step=0.1, safe=(-1.0, 1.0),
    )  # fmt: skip
    with_grain: bool = switch("Grain")
    grain: float = folded(
        "Grain", 0.0, "Grain", "As of film of this exposure index; 0 is none. It moves in a film.",
        0.0, 12_800.0, unit="EI", step=50.0, safe=(0.0, 800.0),
    )  # fmt: skip

    def list_of(self, item: str) -> DecisionList:
        """The grade of one of RANGES."""
        parts = (getattr(self, f"{item}_{part}") for part in ("slope", "offset", "power", "saturation"))
        return DecisionList(*parts)

    @property
    def ranges(self) -> Ranges | None:
        """Grades of shadows, middles and lights; None where they do nothing."""
        low, high = sorted((self.range_low, self.range_high))  # pegs move one at a time
        shadows, middles, lights = map(self.list_of, RANGES)
        out = Ranges(shadows, middles, lights, (low, high), self.range_soft)
        neutral = DecisionList()
        return out if {out.shadows, out.middles, out.lights} != {neutral} else None

    def grades(self) -> tuple[DecisionList, ...]:
        """Every decision list of it."""
        return DecisionList(self.slope, self.offset, self.power), *map(self.list_of, RANGES)

    def check_grades(self) -> None:
        """Raises ValueError where a grade is none."""
        for grade in self.grades():
            if min(grade.slope) < 0.0 or min(grade.power) <= 0.0:
                raise ValueError("slopes must be 0 or more, and powers above 0")
            if max(*grade.slope, *grade.power, *map(abs, grade.offset)) > 100.0:
                raise ValueError("slope, offset and power must be 100 or less")
        if not all(0.0 <= hue <= 4.0 for hue in (*self.hues, *self.hues_between)):
            raise ValueError("the saturation of a hue must be 0 to 4")
        if self.range_low > self.range_high:
            raise ValueError(
                f"shadows must end ({self.range_low:g} stops) before lights begin ({self.range_high:g})"
            )

    def switched_off(self) -> set[str]:
        """Values of effects that are off; and those that do nothing as others are."""
        off = {name for item, names in EFFECTS.items() if not getattr(self, item, True) for name in names}
        if self.bloom <= 0.0:
            off |= {"bloom_reach", "bloom_tint", "bloom_threshold"}
        if self.shade == 0.0:
            off |= {"shade_radius", "shade_softness"}
        if self.ranges is None:
            off |= {"range_low", "range_high", "range_soft"}
        return off

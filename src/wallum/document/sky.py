"""The sky as a source: four kinds behind one switch, each with values of its own."""

from typing import Any, Literal

from wallum.document.coloured import (
    COLOUR_FIELDS,
    Coloured,
    LinearColour,
    Role,
    kelvin_field,
    trim_field,
)
from wallum.document.fields import choice, parameter

__all__ = ["SkySource"]

WHITE = (1.0, 1.0, 1.0)


def _folded(heading: str, default: Any, label: str, help_text: str, **more: Any) -> Any:
    return parameter(default, label=label, help=help_text, first=False, heading=heading, **more)


def _air(
    default: float, label: str, help_text: str, low: float, high: float, step: float, unit: str = ""
) -> Any:
    return _folded("Air of the sky", default, label, help_text, unit=unit, low=low, high=high, step=step)


def _stops(heading: str, label: str, help_text: str, low: float = -6.0, high: float = 6.0) -> Any:
    return _folded(heading, 0.0, label, help_text, unit="stops", low=low, high=high, step=0.05)


def _colour(heading: str, default: tuple[float, float, float], label: str, help_text: str) -> Any:
    return _folded(heading, default, label, help_text, kind="colour")


def _angle(heading: str, default: float, label: str, help_text: str, low: float, high: float) -> Any:
    return _folded(heading, default, label, help_text, unit="deg", low=low, high=high, step=0.5)


def _share(heading: str, default: float, label: str, help_text: str) -> Any:
    return _folded(heading, default, label, help_text, low=0.0, high=1.0, step=0.01)


class SkySource(Coloured):
    """The sky: the air that sun, moon and night light, a gradient, a picture, or a plain dome."""

    kind: Literal["sky"] = "sky"
    role: Role = choice("base", label="Role", help="What the source is for.", first=False)
    model: Literal["atmosphere", "gradient", "picture dome", "plain"] = choice(
        "atmosphere",
        label="Sky",
        help="Atmosphere: true for the hour, from noon to night. Gradient: colours by height. Picture dome: "
        "a panorama. Plain: a dome of a strength of its own.",
    )
    trim: float = trim_field("Stops more or less light than the sky truly gives.")
    kelvin: float = kelvin_field(
        9500.0, "Correlated colour temperature of a plain dome's light.", heading="Plain dome", step=100.0
    )
    illuminance: float = parameter(
        12000.0,
        label="Strength",
        help="Illuminance of open, level ground by a plain dome alone.",
        unit="lx",
        low=0.0,
        high=60000.0,
        step=100.0,
        scale="log",
        first=False,
        heading="Plain dome",
    )
    ground_by: Literal["choice", "the level"] = choice(
        "choice",
        label="Ground by",
        help="The level: far ground sends back as much light, and in the hue, as the level's floors do. "
        "Choice: as set.",
    )
    ground: float = parameter(
        0.2,
        label="Ground reflects",
        help="Share of light that far ground sends back up, into the air as well.",
        low=0.0,
        high=0.95,
        step=0.01,
    )
    haze: float = parameter(
        1.0,
        label="Haze",
        help="Amount of haze in the air of the sky; 1 is a clear day's.",
        low=0.0,
        high=20.0,
        step=0.1,
    )
    blue_depth: float = parameter(
        0.0,
        label="Blue depth",
        help="Stops by which the sky's blue is made deeper, or paler below 0.",
        unit="stops",
        low=-2.0,
        high=3.0,
        step=0.05,
    )
    stars: float = parameter(
        1.0,
        label="Stars",
        help="Strength of the stars; 1 is true. They drown in the light of day by themselves.",
        low=0.0,
        high=100.0,
        step=0.1,
    )

    twinkle: float = _share("Night", 0.4, "Twinkle", "How much the stars flicker, more so low down.")
    airglow: float = _folded(
        "Night", 1.0, "Airglow", "Strength of the moonless night's own light; 1 is true.",
        low=0.0, high=100.0, step=0.1,
    )  # fmt: skip

    # Atmosphere
    haze_blue: float = _air(
        1.3, "Haze blueness", "0: white haze of large grains; 2: blue haze.", 0.0, 3.0, 0.05
    )
    haze_forward: float = _air(
        0.76,
        "Haze forwardness",
        "How much haze glows about the sun: g of its phase function.",
        0.0,
        0.95,
        0.01,
    )
    ozone: float = _air(300.0, "Ozone", "It keeps the blue hour blue; 300 is usual.", 0.0, 1000.0, 10.0, "DU")
    height: float = _air(
        0.0,
        "Height above sea",
        "Of the level; high up the sky is darker and deeper.",
        -400.0,
        9000.0,
        10.0,
        "m",
    )

    # The artist's trims on the atmosphere
    low_warmth: float = _folded(
        "By hand", 0.0, "Low sun warmer", "Kelvin warmer that a low sun and the glow about it are.",
        unit="K", low=-3000.0, high=3000.0, step=50.0,
    )  # fmt: skip
    band_width: float = _angle(
        "By hand", 6.0, "Horizon band", "Height of the band over the horizon that is set apart.", 0.5, 45.0
    )
    band_stops: float = _stops("By hand", "Band", "Stops brighter that the band over the horizon is.")
    stops_low: float = _stops("By hand", "At the horizon", "Stops brighter at the horizon.")
    stops_middle: float = _stops("By hand", "At 30 deg", "Stops brighter a third of the way up.")
    stops_high: float = _stops("By hand", "At the zenith", "Stops brighter overhead.")
    tint_low: LinearColour = _colour(
        "By hand", WHITE, "Tint at the horizon", "Colour that it is multiplied with."
    )
    tint_middle: LinearColour = _colour(
        "By hand", WHITE, "Tint at 30 deg", "Colour that it is multiplied with."
    )
    tint_high: LinearColour = _colour(
        "By hand", WHITE, "Tint at the zenith", "Colour that it is multiplied with."
    )

    # Gradient
    zenith: LinearColour = _colour("Gradient", (0.08, 0.22, 0.62), "Zenith", "Colour overhead, linear sRGB.")
    middle: LinearColour = _colour("Gradient", (0.32, 0.5, 0.85), "Middle", "Colour at the middle's height.")
    horizon: LinearColour = _colour("Gradient", (0.95, 0.8, 0.62), "Horizon", "Colour at the horizon.")
    below: LinearColour = _colour("Gradient", (0.2, 0.16, 0.12), "Ground", "Colour of all below the horizon.")
    middle_height: float = _angle(
        "Gradient", 25.0, "Middle's height", "Where the middle colour stands.", 1.0, 89.0
    )
    brightness: float = _folded(
        "Gradient", 10_000.0, "Brightness", "Luminance of a colour of 1, 1, 1.",
        unit="cd/m2", low=0.0, high=1e6, step=50.0, scale="log",
    )  # fmt: skip
    glow_size: float = _angle("Gradient", 18.0, "Glow about the sun", "Its radius.", 0.5, 90.0)
    glow_stops: float = _stops(
        "Gradient", "Glow", "Stops brighter than the sky that the glow is in its middle.", 0.0, 8.0
    )

    # Picture dome
    picture: str = _folded(
        "Picture dome", "", "Picture", "A panorama, twice as wide as high: .hdr, .exr or .png.", kind="file"
    )
    picture_stops: float = _stops(
        "Picture dome", "Exposure", "Stops brighter; at 0 a value of 1 is 1 cd/m2 of an .hdr or .exr, "
        "4000 of a .png.", -20.0, 20.0,
    )  # fmt: skip
    contrast: float = _folded(
        "Picture dome", 1.0, "Contrast", "About its mean, in stops times this.", low=0.2, high=3.0, step=0.05
    )
    rotation: float = _angle("Picture dome", 0.0, "Rotation", "Clockwise, seen from above.", -360.0, 360.0)
    horizon_height: float = _angle(
        "Picture dome", 0.0, "Horizon", "Height in the picture at which its horizon is.", -45.0, 45.0
    )
    disc_out: bool = _folded(
        "Picture dome", False, "Take the sun out", "The sun's disc in the picture is filled from around it, "
        "where the sun gives its light.", kind="switch",
    )  # fmt: skip

    # High cloud
    cloud: float = _share(
        "High cloud", 0.0, "Coverage", "Share of the sky that high cloud covers; 0 is none."
    )
    cloud_soft: float = _share("High cloud", 0.6, "Softness", "How softly it ends.")
    cloud_opacity: float = _share(
        "High cloud", 0.6, "Opacity", "How much of what is behind the thickest is hidden."
    )
    cloud_stops: float = _stops("High cloud", "Brightness", "Stops brighter than the light gives.")
    cloud_colour: LinearColour = _colour("High cloud", WHITE, "Colour", "Share of light that it sends on.")
    cloud_height: float = _folded(
        "High cloud", 8000.0, "Height", "Over the level.", unit="m", low=500.0, high=20000.0, step=100.0
    )
    cloud_size: float = _folded(
        "High cloud", 9000.0, "Size", "Width of its larger shapes.",
        unit="m", low=200.0, high=60000.0, step=100.0, scale="log",
    )  # fmt: skip
    cloud_speed: float = _folded(
        "High cloud",
        12.0,
        "Speed",
        "With which it drifts over the level.",
        unit="m/s",
        low=0.0,
        high=100.0,
        step=0.5,
    )
    cloud_toward: float = _angle("High cloud", 70.0, "Drifts to", "Clockwise from north.", -360.0, 360.0)
    cloud_shadow: bool = _folded(
        "High cloud",
        True,
        "Casts shadow",
        "Whether it dims sun and moon where it stands before them.",
        kind="switch",
    )

    # Deck
    deck: float = _share("Deck", 0.0, "Coverage", "Share of the sky that a deck of cloud covers; 0 is none.")
    deck_base: float = _folded(
        "Deck",
        900.0,
        "Base",
        "Height of its underside over the level.",
        unit="m",
        low=-500.0,
        high=8000.0,
        step=20.0,
    )
    deck_thick: float = _folded(
        "Deck",
        500.0,
        "Thickness",
        "From its underside to its tops.",
        unit="m",
        low=20.0,
        high=5000.0,
        step=20.0,
    )
    deck_density: float = _folded(
        "Deck", 0.03, "Density", "Share of light that a metre in its midst takes.",
        unit="1/m", low=0.0005, high=0.2, step=0.001, scale="log",
    )  # fmt: skip
    deck_size: float = _folded(
        "Deck", 2500.0, "Size", "Width of its larger shapes.",
        unit="m", low=100.0, high=30000.0, step=50.0, scale="log",
    )  # fmt: skip
    deck_detail: float = _share("Deck", 0.6, "Detail", "How much finer shapes eat at its edges.")
    deck_speed: float = _folded(
        "Deck",
        8.0,
        "Speed",
        "With which it drifts over the level.",
        unit="m/s",
        low=0.0,
        high=100.0,
        step=0.5,
    )
    deck_toward: float = _angle("Deck", 60.0, "Drifts to", "Clockwise from north.", -360.0, 360.0)

    # What it gives to surfaces
    diffuse: float = _stops("On surfaces", "Diffuse", "Stops more of what rough surfaces get of the sky.")
    mirrored: float = _stops("On surfaces", "Mirrored", "Stops more of the sky's image in smooth surfaces.")
    ground_colour: LinearColour = _colour(
        "On surfaces", WHITE, "Ground's colour", "Hue of the light that far ground sends back."
    )
    flat: float = _share(
        "On surfaces", 0.0, "Flat share", "Share of the sky's light by direction that an even light replaces."
    )
    flat_colour: LinearColour = _colour("On surfaces", WHITE, "Flat colour", "Hue of the even light.")

    def inactive(self) -> frozenset[str]:
        used = KINDS[self.model]
        own = super().inactive() if self.model == "plain" else COLOUR_FIELDS
        others = frozenset().union(*(names for kind, names in KINDS.items() if kind != self.model)) - used
        cloud = CLOUD if self.cloud <= 0.0 else frozenset()
        deck = DECK if self.deck <= 0.0 else frozenset()
        ground = frozenset({"ground", "ground_colour"}) if self.ground_by == "the level" else frozenset()
        return own | others | cloud | deck | ground


CLOUD = frozenset(
    f"cloud_{word}"
    for word in ("soft", "opacity", "stops", "colour", "height", "size", "speed", "toward", "shadow")
)
DECK = frozenset(f"deck_{word}" for word in ("base", "thick", "density", "size", "detail", "speed", "toward"))
KINDS: dict[str, frozenset[str]] = {
    "atmosphere": frozenset(
        {
            "haze", "blue_depth", "stars", "haze_blue", "haze_forward", "ozone", "height", "low_warmth",
            "band_width", "band_stops", "stops_low", "stops_middle", "stops_high", "tint_low", "tint_middle",
            "tint_high", "twinkle", "airglow",
        }
    ),
    "gradient": frozenset(
        {
            "zenith", "middle", "horizon", "below", "middle_height", "brightness", "glow_size", "glow_stops",
            "stars", "twinkle",
        }
    ),
    "picture dome": frozenset(
        {"picture", "picture_stops", "contrast", "rotation", "horizon_height", "disc_out"}
    ),
    "plain": frozenset({"illuminance"}),
}  # fmt: skip

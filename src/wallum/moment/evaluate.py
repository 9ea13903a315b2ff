"""From the project and a moment to its LitScene: a pure function of what is given."""

import math
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.air import Air, AirValues
from wallum.document.fields import Vector, unchecked
from wallum.document.look import Look
from wallum.document.project import Balance, Project
from wallum.document.sources import GROUPS, Lamp, Source
from wallum.memo import Memo
from wallum.moment.ambient_boxes import rooms_of
from wallum.moment.at_moment import LaneValues, lane_values, with_values
from wallum.moment.base_light import direction_to, find_base_light
from wallum.moment.cards import cards_of
from wallum.moment.kinds import parts_of, row_of
from wallum.moment.lamps import LAMP_ROW, LampRows, Lamps
from wallum.moment.looks import shown_look
from wallum.moment.moment import Moment, own_moment
from wallum.moment.pockets import pockets_of
from wallum.moment.scene import AIR_ID, AmbientOcclusion, Dome, LitScene, Sun
from wallum.moment.screen import radial_of
from wallum.moment.static_sources import still_ids
from wallum.moment.switching import is_on
from wallum.moment.zones import zoned
from wallum.physics.colour import luminance
from wallum.physics.dome import DOME_SIZE, dome_directions, irradiance
from wallum.physics.exposure import ev_for_luminance
from wallum.physics.gobo import COMES_BACK
from wallum.physics.medium import AirLayer, LinearFog, Medium, extinction_for
from wallum.physics.sky_air import air_mass

__all__ = ["air_of", "direction_to", "evaluate", "layer_of", "straight_fog"]

# Rows of lamps that did not change.
_ROWS: Final = Memo[bytes](20_000)
# Where a lamp's light is looked at, to foresee a metered exposure [m].
LAMP_DISTANCE_M = 3.0
# Share of the light that air scatters which still comes down: forward scattering prevails.
SCATTERED_DOWN = 0.7
# A layer of no air.
CLEAR: Final = AirLayer(0.0, 1e4, 0.0, (0.0, 0.0, 0.0), 0.0)


@dataclass(frozen=True)
class LampStack:
    """Every lamp of a project as a row, on or off."""

    sources: tuple[Source, ...]
    lamps: tuple[Lamp, ...]
    rows: LampRows
    on: NDArray[np.bool_]
    ids: tuple[str, ...]
    index: dict[str, int]
    switched: tuple[int, ...]  # lamps that are not switched by hand alone
    patterned: tuple[int, ...]  # lamps with a gobo


_STACKS: Final = Memo[LampStack](4)
_OTHERS: Final = Memo[tuple[Source, ...]](4)
# Of projects that differ in their look alone.
_LAMPS: Final = Memo[tuple[Lamps, dict[str, float]]](4)


def _row(lamp: Lamp) -> bytes:
    return _ROWS.get(lambda: row_of(lamp), lamp)


def _shines(lamp: Lamp) -> bool:
    return lamp.on and lamp.strength > 0.0


def _stack(sources: tuple[Source, ...]) -> LampStack:
    lamps = tuple(source for source in sources if isinstance(source, Lamp))
    rows = np.frombuffer(b"".join(map(_row, lamps)), LAMP_ROW)
    on = np.array([_shines(lamp) for lamp in lamps], dtype=bool)
    index = {lamp.id: i for i, lamp in enumerate(lamps)}
    switched = tuple(i for i, lamp in enumerate(lamps) if lamp.switched != "by hand")
    patterned = tuple(np.flatnonzero(rows["gobo"]).tolist())
    return LampStack(sources, lamps, rows, on, tuple(index), index, switched, patterned)


def _lamps(project: Project, moment: Moment, lanes: LaneValues) -> tuple[Lamps, dict[str, float]]:
    """Lamps that are on at a moment, and what those that glow follows give, 0 to 1 and more."""
    sources = project.resolved_sources
    stack = _STACKS.get(lambda: _stack(sources), sources)
    rows, on = stack.rows, stack.on.copy()
    changed: dict[int, Lamp] = {}
    for owner, values in lanes.items():
        if owner in stack.index:
            i = stack.index[owner]
            changed[i] = unchecked(stack.lamps[i], values)
    if changed:
        rows = rows.copy()
        for i, lamp in changed.items():
            rows[i] = np.frombuffer(row_of(lamp), LAMP_ROW)[0]
            on[i] = _shines(lamp)
    for i in {*stack.switched, *(i for i, lamp in changed.items() if lamp.switched != "by hand")}:
        on[i] = on[i] and is_on(project, changed.get(i, stack.lamps[i]), moment)
    rows = _drifted(_group_trimmed(rows, stack, project.balance), stack, changed, moment)
    followed = {mark.follows for mark in project.marks if mark.follows}
    glow = {}
    for lamp_id in followed & stack.index.keys():
        i = stack.index[lamp_id]
        now, set_to = changed.get(i, stack.lamps[i]), stack.lamps[i].strength
        stops = now.trim + getattr(project.balance, GROUPS[now.role])
        glow[lamp_id] = float(on[i]) * (now.strength / set_to * 2.0**stops if set_to > 0.0 else 0.0)
    if on.all():
        return Lamps(stack.ids, rows), glow
    selected = np.flatnonzero(on)
    return Lamps(tuple(map(stack.ids.__getitem__, selected.tolist())), rows[selected]), glow


def _drifted(rows: LampRows, stack: LampStack, changed: dict[int, Lamp], moment: Moment) -> LampRows:
    """Rows with what gobos have drifted since midnight."""
    speeds = {i: getattr(changed.get(i, stack.lamps[i]), "gobo_drift", 0.0) for i in stack.patterned}
    if not any(speeds.values()):
        return rows
    out = rows.copy()
    for i, speed in speeds.items():
        out["gobo_at"][i] = math.fmod(speed * moment.clock * 3600.0, COMES_BACK)
    return out


def _lamps_that_are_on(project: Project, moment: Moment, lanes: LaneValues) -> tuple[Lamps, dict[str, float]]:
    """The same, found once for all looks."""
    rest = (value for name, value in project.__dict__.items() if name != "look")
    return _LAMPS.get(lambda: _lamps(project, moment, lanes), *rest, also=moment)


def _group_trimmed(rows: LampRows, stack: LampStack, balance: Balance) -> LampRows:
    """Rows with the trims of their groups."""
    if not (balance.lamps or balance.accents or balance.base):
        return rows
    stops = {"lamps": balance.lamps, "accents": balance.accents, "base": balance.base}
    gain = np.array([2.0 ** stops[GROUPS[lamp.role]] for lamp in stack.lamps], dtype=np.float32)
    out = rows.copy()
    out["emission"] *= gain[:, None]
    return out


def layer_of(values: AirValues) -> AirLayer:
    """A layer of air as it is set."""
    own = np.array(values.own_colour)
    if values.own_light > 0.0:
        own = own * (values.own_light / max(float(luminance(own)), 1e-9))
    red, green, blue = own.tolist()
    swallowed = np.array(values.swallows) * (values.absorption / max(values.swallows))
    absorption: tuple[float, float, float] = tuple(swallowed.tolist())
    return AirLayer(
        extinction_for(values.visibility),
        values.scale_height,
        values.base_height,
        values.colour,
        values.forwardness,
        absorption,
        (red, green, blue) if values.own_light > 0.0 else (0.0, 0.0, 0.0),
    )


def straight_fog(air: Air) -> LinearFog:
    """Straight fog as it is set."""
    return LinearFog(
        air.straight_start,
        max(air.straight_end, air.straight_start + 0.1),  # pegs move one at a time
        air.straight_top,
        air.straight_fade,
        air.straight_strength,
        air.straight_colour,
    )


def air_of(project: Project, moment: Moment) -> Medium | None:
    """All air that is on, of a project as it is at a moment."""
    air = project.air
    if air.on and air.model == "straight":
        return Medium((CLEAR,), shafts=False, straight=straight_fog(air))
    layers = tuple(layer_of(item) for item in (air, project.mist) if item.on)
    pockets = pockets_of(project.sources, moment, project.balance)
    if not layers and not pockets:
        return None
    # Pockets alone stand in clear air, which is a layer as any other.
    layers = layers or (CLEAR,)
    return Medium(layers, air.clear_to, 1.0 - 0.01 * air.contrast_kept, air.shafts, air.reach, pockets)


def _through(far: Sun | None, air: Medium | None) -> Sun | None:
    """The far light as it comes down to base height through the level's own air."""
    if far is None or air is None:
        return far
    elevation = math.degrees(math.asin(min(max(float(far.direction[1]), 0.0), 1.0)))
    mass = float(air_mass(elevation))
    return replace(far.times(air.at_base(mass)), through=(air, mass))


def _scattered(air: Medium) -> NDArray[np.float64]:
    """(3,) RGB share of what air takes that it scatters, over all its layers."""
    taken = np.stack([layer.extinction * layer.scale_height * layer.thickness for layer in air.layers])
    scattered = np.stack([layer.scattered for layer in air.layers])
    return np.asarray((taken * scattered).sum(axis=0) / np.maximum(taken.sum(axis=0), 1e-30))


def _with_haze(sky: Dome | None, outside: Sun | None, far: Sun | None, air: Medium | None) -> Dome | None:
    """The sky with what the level's air took from the far light and scattered on downward."""
    if sky is None or air is None or outside is None or far is None:
        return sky
    lost = (outside.illuminance - far.illuminance) * far.direction[1]
    added = _scattered(air) * lost * SCATTERED_DOWN / math.pi
    luminance_map = (sky.luminance + added).astype(np.float32)
    behind = None if sky.backdrop is None else (sky.backdrop + added).astype(np.float32)
    red, green, blue = added.tolist()
    picture = None if sky.picture is None else sky.picture.times(1.0, (red, green, blue))
    key = (*sky.key, red, green, blue)
    return replace(sky, luminance=luminance_map, backdrop=behind, picture=picture, key=key)


def _with_own_light(sky: Dome | None, air: Medium | None) -> Dome | None:
    """The sky with the air's own light, as surfaces at base height get it; the eye sees that in the air."""
    if air is None or not any(max(layer.own) > 0.0 for layer in air.layers):
        return sky
    if sky is None:
        dark = np.zeros((*DOME_SIZE, 3), np.float32)
        sky = Dome(AIR_ID, dark, np.zeros(3), (0.0,))
    directions, _ = dome_directions(*sky.luminance.shape[:2])
    sines = np.maximum(directions[..., 1:2], 1e-3)
    depths = [layer.extinction * layer.scale_height * layer.thickness / sines for layer in air.layers]
    whole = np.maximum(sum(depths), 1e-30)
    light = sum(depth * np.array(layer.own) for layer, depth in zip(air.layers, depths, strict=True))
    own = np.asarray(light / whole * -np.expm1(-whole), dtype=np.float32)
    behind = sky.backdrop
    if behind is None and sky.picture is None:
        behind = sky.luminance
    key = (*sky.key, float(own.sum()), *own[-1, 0].tolist())
    return replace(sky, luminance=sky.luminance + own, backdrop=behind, key=key, air_light=own)


def _foreseen_ev(scene: LitScene) -> float:
    """About the exposure that metering will find; keeps half floats in their range."""
    outside = 0.0
    if scene.sky is not None:
        outside = float(luminance(scene.sky.terms[0] * 0.282095))
    if scene.sun is not None:
        outside += float(luminance(scene.sun.illuminance) * scene.sun.direction[1])
    brightest = max(
        (float(kind.facing_lx(rows, LAMP_DISTANCE_M).max()) for kind, rows in parts_of(scene.lamps)),
        default=0.0,
    )
    lux = max(outside, brightest, 1e-5)
    return min(max(ev_for_luminance(lux * 0.18 / math.pi), -12.0), 20.0)


def _gaps(look: Look) -> AmbientOcclusion | None:
    if look.gaps <= 0.0:
        return None
    return AmbientOcclusion(look.gaps_reach, look.gaps_behind, look.gaps, look.gaps_direct)


def _flat(look: Look, sky: Dome | None) -> NDArray[np.float64] | None:
    """(3,) illuminance that all surfaces have alike [lx], where it is shown so."""
    if look.indirect != "flat" or sky is None or look.flat_share <= 0.0:
        return None
    up = np.array([[0.0, 1.0, 0.0]])
    return np.maximum(irradiance(sky.terms, up)[0], 0.0) * look.flat_share


def evaluate(project: Project, moment: Moment | None = None, eye: Vector | None = None) -> LitScene:
    """What lights the level at a moment (None: the project's own), all resolved.

    eye : where a camera stands, which zones have a say in its picture by; None: none of them has
    """
    moment = moment or own_moment(project)
    values = lane_values(project, moment)
    now = with_values(unchecked(project, {"sources": _others(project)}), values)
    if eye is not None:
        now = zoned(now, np.array(eye))
    lamps, glow = _lamps_that_are_on(project, moment, values)
    base = find_base_light(now, moment).times(2.0**project.balance.base)
    air = air_of(now, moment)
    far = _through(base.far, air)
    sky = _with_own_light(_with_haze(base.sky, base.far, far, air), air)
    gain = 2.0**project.balance.glow * float(project.level_light.glow)
    look = shown_look(now.look)
    cards = cards_of(now.sources, lamps, far, sky, moment, now.balance)
    shafts = radial_of(now.screen_shafts, far, sky)
    by_probes = now.look.indirect in ("probes", "lightmaps")
    bounce = (2.0**now.look.bounce if by_probes else 0.0, now.look.bounce_colour)
    scene = LitScene(
        lamps, far, sky, look, air, cards, shafts, glow, gain, bounce, _gaps(now.look),
        open_sky=by_probes or now.look.indirect == "sky alone", flat=_flat(now.look, sky),
        bodies=project.bodies, rooms=rooms_of(now.sources, now.balance),
        still=still_ids(project) if now.look.indirect == "lightmaps" else None,
    )  # fmt: skip
    if look.metering is None:
        return scene
    return replace(scene, look=replace(look, ev100=_foreseen_ev(scene)))


def _others(project: Project) -> tuple[Source, ...]:
    """Sources that are no lamps; a project may have a thousand of those."""
    sources = project.resolved_sources
    return _OTHERS.get(lambda: tuple(source for source in sources if not isinstance(source, Lamp)), sources)

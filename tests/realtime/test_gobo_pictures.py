"""Gobos in every picture and reading: where a pattern falls by plain geometry; real time, rays and the
reference agree, on surfaces and in the air."""

from dataclasses import replace

import numpy as np
import pytest
from gltf_maker import no_files
from level_shapes import corridor, field_of, grey_level, plain_ground
from pydantic import ValidationError
from test_air_in_the_works import MEASURED, air_off

from wallum.document.lanes import Lane, Peg, PegTime
from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import GOBO_VALUES, CardSource, SpotSource
from wallum.exchange.gltf_export import build_gltf
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.work import count_work
from wallum.level.gltf_writer import to_glb
from wallum.level.importers.gltf.reader import parse_gltf
from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.kinds import kind_of
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.physics.medium import AirLayer, Medium
from wallum.realtime.level.bundling import bundle_level, chunk_boxes
from wallum.realtime.process.request import PictureRequest
from wallum.transport.direct.pool import pool_field
from wallum.transport.field.bounce import BounceField
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

SPOT = SpotSource(
    id="spot", name="Shutter", position=(0.0, 4.0, 0.0), direction=(0.2, -1.0, -0.3), inner=30.0, outer=45.0,
    intensity=800.0, radius=0.01,
)  # fmt: skip
CAMERA = Camera((0.0, 5.0, 6.0), (0.0, -0.7071, -0.7071), 50.0, 1.0, far=60.0)
SIZE = (120, 120)
PATTERNS = ("slats", "panes", "leaves")


def with_gobo(pattern, **values):
    return SPOT.revised(**{"gobo": pattern, "gobo_size": 0.2, "gobo_open": 0.4, "gobo_turn": 25.0, **values})


def scene_of(*lamps):
    return evaluate(Project(sources=lamps, look=Look(ev100=7.0)))


def arriving(spot, places):
    """(N,) illuminance facing the lamp, for an emission of 1."""
    rows = scene_of(spot).lamps.rows
    return kind_of(rows[0]).sample(rows, np.asarray(places, float)).strength


def shown(renderer, scene, active=frozenset()):
    renderer.set_level(bundle_level(plain_ground()))
    request = PictureRequest(1, scene, CAMERA, SIZE, active=active)
    for _ in renderer.draw(request):
        pass
    return renderer.luminance(request, settled=False).astype(np.float64)


def test_slats_fall_where_straight_lines_take_them():
    """On a wall 3 m before a lamp of 45 degrees its beam is 6 m wide: with a size of a quarter a slat and
    its gap take 1.5 m, open from the axis on for as long as the open share says."""
    spot = SPOT.revised(position=(0.0, 0.0, 0.0), direction=(0.0, 0.0, -1.0), inner=44.0)
    slats = spot.revised(gobo="slats", gobo_size=0.25, gobo_open=0.4, gobo_soft=0.0)
    heights = np.array([0.05, 0.3, 0.55, 0.65, 1.0, 1.45, 1.55, 2.05, -0.1, -0.85, -0.95, -1.45])
    open_there = (heights % 1.5) < 0.6
    for x in (0.0, 0.8, -1.1):
        places = np.stack([np.full(len(heights), x), heights, np.full(len(heights), -3.0)], axis=1)
        left = arriving(slats, places) / arriving(spot, places)
        assert left == pytest.approx(open_there.astype(float), abs=1e-4)
    upright = np.stack([heights, np.full(len(heights), 0.7), np.full(len(heights), -3.0)], axis=1)
    left = arriving(slats.revised(gobo_turn=90.0), upright) / arriving(spot, upright)
    assert left == pytest.approx(open_there.astype(float), abs=1e-4)


@pytest.mark.parametrize("pattern", PATTERNS)
def test_what_comes_through_is_the_open_share_of_the_beam(pattern, rng):
    """Over the middle of the beam, by the flat plate that it stands in."""
    spot = SPOT.revised(position=(0.0, 0.0, 0.0), direction=(0.0, 0.0, -1.0), inner=44.9)
    places = np.concatenate([rng.uniform(-0.7, 0.7, (60_000, 2)), np.full((60_000, 1), -1.0)], axis=1)
    gobo = {"gobo": pattern, "gobo_size": 0.02, "gobo_open": 0.35}
    left = arriving(spot.revised(**gobo), places) / arriving(spot, places)
    assert left.mean() == pytest.approx(0.35, abs=0.01)


@pytest.mark.parametrize("pattern", PATTERNS)
def test_the_real_time_picture_shows_it_where_it_falls(renderer, pattern):
    spot = with_gobo(pattern, gobo_drift=0.3)
    plain, left = shown(renderer, scene_of(SPOT)), shown(renderer, scene_of(spot))
    side = (np.arange(SIZE[0]) + 0.5) / SIZE[0]
    rays = CAMERA.rays(*(item.ravel() for item in np.meshgrid(side, side)))
    places = np.array(CAMERA.eye) + rays * (-CAMERA.eye[1] / rays[:, 1])[:, None]
    lit = luminance(plain).ravel() > 0.05 * luminance(plain).max()
    seen = luminance(left).ravel()[lit] / luminance(plain).ravel()[lit]
    text = arriving(spot, places[lit]) / arriving(SPOT, places[lit])
    assert lit.sum() > 3000
    assert np.ptp(text) > 0.8
    assert np.quantile(np.abs(seen - text), 0.98) < 0.03


def test_under_the_hand_it_is_added_as_it_is_summed(renderer):
    lamps = (with_gobo("leaves"), SPOT.revised(id="b", position=(1.0, 3.0, 1.0)))
    whole = shown(renderer, scene_of(*lamps))
    added = shown(renderer, scene_of(*lamps), frozenset({"spot"}))
    assert added == pytest.approx(whole, rel=4e-3, abs=1e-3 * whole.max())
    other = shown(renderer, scene_of(*lamps), frozenset({"b"}))
    assert other == pytest.approx(whole, rel=4e-3, abs=1e-3 * whole.max())


def test_paths_and_the_pool_find_the_same(renderer):
    scene, level = scene_of(with_gobo("panes", gobo_soft=0.3)), plain_ground()
    rays = RayScene(level, flatten(level))
    reference = Reference(rays, level, scene, CAMERA, SIZE, bounces=0)
    for _ in range(24):
        reference.step()
    picture, true = (luminance(item) for item in (shown(renderer, scene), reference.luminance))
    lit = true > 0.1 * true.max()
    assert np.median(np.abs(picture - true)[lit] / true[lit]) < 0.06
    seen = seen_surfaces(rays, level, CAMERA, SIZE)
    pool = pool_field(rays, scene, seen, "spot")
    plain = pool_field(rays, scene_of(SPOT), seen, "spot")
    assert np.allclose(pool, 0.4 * plain, equal_nan=True)


@pytest.mark.parametrize("pattern", PATTERNS)
def test_the_air_is_lit_through_it_as_rays_say(renderer, pattern):
    """Spots in the walls of a fogged corridor, whose beams are seen from the side and from behind."""
    level = grey_level(*corridor())
    lamps = tuple(
        SpotSource(
            id=f"s{n}", name=f"Spot {n}", position=(1.6 - 3.2 * (n % 2), 2.6, -1.5 - 3.5 * n), inner=20.0, outer=42.0,
            direction=((-1.0) ** (n + 1), -0.6, 0.2), intensity=200.0, range=9.0, shadow=True, gobo=pattern,
            gobo_size=0.2, gobo_open=0.4, gobo_soft=0.1, gobo_turn=20.0,
        )
        for n in range(4)
    )  # fmt: skip
    air = Medium((AirLayer(0.12, 5.0, 100.0, (0.92, 0.92, 0.92), 0.4),), reach=30.0)
    camera = Camera((0.0, 1.6, 5.0), (0.0, 0.0, -1.0), 60.0, MEASURED[0] / MEASURED[1], far=60.0)
    renderer.set_level(bundle_level(level))
    rays = RayScene(level, flatten(level))
    through, without = (
        replace(scene_of(*some), air=air) for some in (lamps, [lamp.revised(gobo="none") for lamp in lamps])
    )
    assert np.median(air_off(renderer, rays, through, camera, 96)) < 0.1
    # Another picture than without them, by more than they differ from rays.
    assert np.median(air_off(renderer, rays, without, camera, 24, of=through)) > 0.3


def test_what_drifts_is_another_picture_at_another_time_and_the_same_at_the_same():
    spot = with_gobo("slats", gobo_drift=0.25)
    project = Project(sources=(spot,))
    at = {clock: evaluate(project, Moment(clock)).lamps.rows["gobo_at"][0] for clock in (9.0, 9.001, 23.5)}
    assert at[9.001] - at[9.0] == pytest.approx(0.25 * 3.6, abs=1e-3)
    assert evaluate(project, Moment(9.0)).lamps.rows["gobo_at"][0] == at[9.0]
    assert abs(at[23.5]) < 256.0


def test_light_that_comes_back_is_not_worked_out_anew_while_it_drifts():
    level = plain_ground()
    rays, built = field_of(level)
    bounce = BounceField.of(rays, level, built, {})
    project = Project(sources=(with_gobo("slats", gobo_drift=0.25),))
    at_nine, later = (evaluate(project, Moment(clock)) for clock in (9.0, 9.4001))
    assert at_nine.lamps.rows["gobo_at"] != later.lamps.rows["gobo_at"]
    for _ in bounce.relight(at_nine):
        pass
    assert not bounce.stale(later)
    fresh = BounceField.of(rays, level, built, {})
    for _ in fresh.relight(later):
        pass
    assert np.array_equal(fresh.units["spot"].light, bounce.units["spot"].light)
    turned = evaluate(Project(sources=(with_gobo("slats", gobo_turn=80.0),)), Moment(9.0))
    assert bounce.stale(turned) == ["spot"]


def test_its_values_follow_pegs_and_are_inactive_without_a_pattern():
    pegs = (Peg(at=PegTime(hours=6.0), value=0.2), Peg(at=PegTime(hours=18.0), value=0.8))
    lane = Lane(owner="spot", name="gobo_open", pegs=pegs)
    project = Project(sources=(with_gobo("leaves"),), lanes=(lane,))
    shares = [evaluate(project, Moment(clock)).lamps.rows["gobo_open"][0] for clock in (6.0, 12.0, 18.0)]
    assert shares[0] == pytest.approx(0.2)
    assert shares[0] < shares[1] < shares[2]
    own = {"gobo_size", "gobo_open", "gobo_soft", "gobo_turn", "gobo_drift"}
    assert own <= SPOT.inactive()
    assert not own & with_gobo("slats").inactive()


@pytest.mark.parametrize("values", [{"gobo_size": 0.0}, {"gobo_open": 0.0}, {"gobo": "stars"},
                                    {"gobo_drift": float("nan")}])  # fmt: skip
def test_a_gobo_that_cannot_be_is_refused(values):
    with pytest.raises(ValidationError):
        SPOT.revised(**values)


def test_a_card_shows_what_the_gobo_leaves_and_its_work_is_counted():
    card = CardSource(id="card", name="Card", shape="beam", of="spot", length=3.0)
    plain, through = (scene_of(item, card).cards[0] for item in (SPOT, with_gobo("panes")))
    assert np.array(through.light) == pytest.approx(0.4 * np.array(plain.light), rel=1e-5)
    level = plain_ground()
    flat = flatten(level)
    seen = seen_surfaces(RayScene(level, flat), level, CAMERA, (48, 48))
    work = count_work(
        PassWork(Boxes(*chunk_boxes(level, flat)), scene_of(with_gobo("panes")), seen, CAMERA, SIZE)
    )
    assert work.sources["spot"]["light"]["gobo pixels"] == work.sources["spot"]["light"]["lamp pixels"] > 0.0


def test_a_file_for_others_says_that_it_has_no_gobo_and_ours_reads_it_back():
    project = Project(sources=(with_gobo("leaves", gobo_drift=0.5),))
    document, data, lost = build_gltf(project, plain_ground())
    assert any("Shutter" in item and "gobos" in item for item in lost)
    (read,) = parse_gltf(to_glb(document, data), "a.glb", no_files).sources
    for name in ("gobo", *GOBO_VALUES):
        assert getattr(read, name) == getattr(project.sources[0], name)

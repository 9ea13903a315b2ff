"""What a frame costs, and what checks notice: sums that add up, remedies that help."""

import json
from dataclasses import replace

import numpy as np
import pytest
from set_lights import plain_sky, set_sun

from wallum.document.lanes import PegTime
from wallum.document.look import Look
from wallum.document.pegging import pegged
from wallum.document.project import PartMarks, Project, Shot
from wallum.document.sources import PointSource, SpotSource
from wallum.document.targets import STAND_INS, Target
from wallum.errors import ProjectProblem
from wallum.frame.order import COUNTS
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.checks import CheckSubject, _exposure, check
from wallum.judge.cost import frame_cost
from wallum.judge.device import PROFILE_NAMES, DeviceProfile, load_profile, read_profile, write_profile
from wallum.judge.work import count_work
from wallum.level.demos.pale_room import pale_room
from wallum.level.importers.images.cube_file import write_cube
from wallum.level.model.flatten import flatten
from wallum.moment.at_moment import at_moment
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.metered import metered_picture
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.physics.colour_table import ColourTable
from wallum.physics.dome import sample_dome
from wallum.realtime.level.bundling import bundle_level, chunk_boxes
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces
from wallum_dev.speed.profile import Measured, fit_profile, median_error, split

CAMERA = Camera((-2.0, 1.5, 3.5), (0.5, -0.3, -1.0), 60.0, 16 / 9, far=50.0)
SHOT = Shot(id="shot", name="Shot", eye=CAMERA.eye, direction=CAMERA.direction, fov=60.0)
CORNERS = (np.array([0.0, 0.0, 1.0, 1.0, 0.5]), np.array([0.0, 1.0, 0.0, 1.0, 0.5]))
LAMP = PointSource(id="p", name="P", position=(-1.0, 2.4, 0.0), intensity=90.0, shadow=True, range=6.0)
SPOT = SpotSource(id="s", name="S", position=(0.0, 2.6, 2.0), direction=(0.2, -1.0, -0.6), intensity=300.0)


@pytest.fixture(scope="module")
def setting():
    level = pale_room()
    flat = flatten(level)
    return level, RayScene(level, flat), Boxes(*chunk_boxes(level, flat))


def work_of(setting, sources, size=(640, 360)):
    level, rays, boxes = setting
    seen = seen_surfaces(rays, level, CAMERA, (96, 54))
    return count_work(PassWork(boxes, evaluate(Project(sources=sources)), seen, CAMERA, size))


def test_chunks_of_the_count_are_those_that_are_drawn(setting):
    level, _, boxes = setting
    bundle = bundle_level(level)
    assert np.array_equal(boxes.low, bundle.low)
    assert np.array_equal(boxes.triangles, bundle.chunks[:, 1])
    assert boxes.triangles.sum() == level.triangle_count


def test_a_source_costs_what_the_frame_takes_with_it_less_without_it(setting):
    target, profile = Target(), load_profile("couch 60")
    everything = (set_sun(), plain_sky(), LAMP, SPOT)
    whole = frame_cost(work_of(setting, everything), target, profile)
    assert sum(whole.passes.values()) == pytest.approx(whole.frame_ms)
    assert sum(whole.sources.values()) == pytest.approx(whole.frame_ms)
    for left_out in (LAMP, SPOT, everything[0]):
        rest = tuple(item for item in everything if item is not left_out)
        without = frame_cost(work_of(setting, rest), target, profile)
        assert whole.frame_ms - without.frame_ms == pytest.approx(whole.sources[left_out.id], rel=1e-6)


def test_counts_follow_pixels_reach_and_shadow(setting):
    small, large = work_of(setting, (LAMP,), (320, 180)), work_of(setting, (LAMP,), (640, 360))
    for name in ("pixels", "lamp pixels", "shadowed lamp pixels"):
        assert large.passes["light"][name] == pytest.approx(4.0 * small.passes["light"][name])
    near = work_of(setting, (LAMP.revised(range=1.0),))
    assert near.passes["light"]["lamp pixels"] < large.passes["light"]["lamp pixels"]
    plain = work_of(setting, (LAMP.revised(shadow=False),))
    assert "lamp shadows" not in plain.passes
    assert plain.shadow_bytes == 0.0
    assert large.passes["lamp shadows"]["tiles"] == 6
    assert work_of(setting, (SPOT.revised(shadow=True),)).passes["lamp shadows"]["tiles"] == 1


def test_broken_traits_are_said(setting):
    many = tuple(LAMP.revised(id=f"p{i}", name=f"P{i}") for i in range(9))
    work = work_of(setting, many)
    assert work.lamps_per_pixel == 9
    strict = Target(lights_per_pixel=8, shadowed_per_pixel=4, memory_mb=20.0)
    broken = frame_cost(work, strict, load_profile("couch 60")).broken
    assert len(broken) == 3
    assert broken["lamps at a pixel"] == "9 lamps reach one pixel, of 8 allowed"
    assert frame_cost(work_of(setting, (LAMP,)), strict, load_profile("couch 60")).broken == {}


def test_stand_ins_are_uncalibrated_and_profiles_are_files(tmp_path):
    assert [item.profile for item in STAND_INS] == list(PROFILE_NAMES)
    for name in PROFILE_NAMES:
        profile = load_profile(name)
        assert not profile.calibrated
        assert "stand-in" in profile.origin
        assert set(profile.coefficients) == set(COUNTS)
    file = tmp_path / "mine.json"
    mine = DeviceProfile("mine", "measured by hand", True, {"develop": {"pixels": 1e-6}})
    write_profile(mine, file)
    assert read_profile(file) == mine
    assert load_profile(str(file)) == mine


@pytest.mark.parametrize(
    "text",
    ["{", "[]", '{"name": "x"}', '{"name": "x", "origin": "", "calibrated": true, "coefficients_ms": {"develop": {"pixels": -1}}}',
     '{"name": "x", "origin": "", "calibrated": true, "coefficients_ms": {"dreams": {"pixels": 1}}}'],
)  # fmt: skip
def test_a_wrong_profile_is_refused_in_one_sentence(tmp_path, text):
    file = tmp_path / "wrong.json"
    file.write_text(text)
    with pytest.raises(ProjectProblem) as raised:
        read_profile(file)
    assert "\n" not in str(raised.value)
    with pytest.raises(ProjectProblem, match="there is no device profile"):
        load_profile("some tablet")


def test_a_fit_finds_the_coefficients_that_made_the_times(setting):
    true = load_profile("pocket 30")
    rng = np.random.default_rng(2)
    scenes = []
    for number in range(24):
        size = (int(rng.integers(200, 1200)), int(rng.integers(200, 900)))
        lamps = tuple(
            LAMP.revised(id=f"p{i}", name=f"P{i}", shadow=bool(i % 2), range=float(rng.uniform(1, 6)))
            for i in range(number % 7)
        )
        sky = (plain_sky(), set_sun()) if number % 3 else ()
        work = work_of(setting, (*lamps, *sky), size)
        ms = {
            name: true.pass_ms(name, counts) * (1.0 + 0.02 * rng.normal())
            for name, counts in work.passes.items()
        }
        scenes.append(Measured(str(number), work, ms))
    fitted = fit_profile(scenes[:18], "fitted", "a test")
    assert fitted.calibrated
    assert median_error(fitted, scenes[18:]) < 0.05
    assert median_error(true, scenes) < 0.03


def test_a_disturbed_scene_does_not_sway_the_fit(setting):
    """Another program took the processor in the middle of two of the scenes."""
    true = load_profile("pocket 30")
    scenes = []
    for number in range(24):
        work = work_of(setting, (plain_sky(), set_sun()), (200 + 37 * number, 150 + 29 * number))
        ms = {name: true.pass_ms(name, counts) for name, counts in work.passes.items()}
        scenes.append(Measured(str(number), work, ms))
    whole = fit_profile(scenes, "calm", "a test")
    late = [replace(scene, ms={k: 4.0 * v for k, v in scene.ms.items()}) for scene in scenes[:2]]
    swayed = fit_profile([*late, *scenes[2:]], "late", "a test")
    assert median_error(whole, scenes) < 0.005
    assert median_error(swayed, scenes[2:]) < 0.01


def test_of_every_kind_of_scene_some_are_fitted_and_some_left_out():
    """Scenes come in eights, the last two of each under high cloud and under a deck."""
    fitted, left_out = split(list(range(48)))
    assert sorted([*fitted, *left_out]) == list(range(48))
    assert {item % 8 for item in fitted} == set(range(8))
    assert {item % 8 for item in left_out} == set(range(8))


def test_high_cloud_is_counted_with_the_light_and_costs_what_older_profiles_say(setting, tmp_path):
    level, rays, boxes = setting
    seen = seen_surfaces(rays, level, CAMERA, (96, 54))
    # The lower half of the picture is the room, the upper is open.
    seen = replace(seen, points=seen.points[len(seen.points) // 2 :])
    clear, clouded = (
        count_work(PassWork(boxes, evaluate(Project(sources=(sky,)), Moment(12.0)), seen, CAMERA, (640, 360)))
        for sky in (plain_sky(), plain_sky().revised(cloud=0.5))
    )
    assert clear.passes["light"]["cloud pixels"] == 0.0
    assert clouded.passes["light"]["cloud pixels"] == pytest.approx(640 * 360 / 2)
    assert "clouds" not in clouded.passes
    now = load_profile("couch 60")
    before = {name: dict(counts) for name, counts in now.coefficients.items()}
    before["clouds"]["cloud pixels"] = before["light"].pop("cloud pixels")
    before["open sky"] = before.pop("sky visibility")
    file = tmp_path / "older.json"
    write_profile(replace(now, coefficients=before), file)
    assert read_profile(file).coefficients == now.coefficients


def checked(setting, project):
    level, rays, boxes = setting
    return check(
        CheckSubject(project.revised(shots=(SHOT,)), level, rays, boxes, load_profile(project.target.profile))
    )


def kinds(found):
    return {item.kind for item in found}


def apply(project, finding):
    return finding.remedy.applied(project)


def test_a_source_in_a_solid_is_found_and_its_remedy_frees_it(setting):
    buried = LAMP.revised(position=(1.5, 0.5, -2.0), radius=0.02)
    project = Project(sources=(buried,), look=Look(ev100=5.0))
    (finding,) = [item for item in checked(setting, project) if item.kind == "source in a solid"]
    assert finding.where == "sources/p"
    assert finding.grade == "error"
    assert "source in a solid" not in kinds(checked(setting, apply(project, finding)))
    free = Project(sources=(LAMP,), look=Look(ev100=5.0))
    assert "source in a solid" not in kinds(checked(setting, free))


def test_burnt_and_buried_heroes_are_told_apart_and_exposure_helps(setting):
    level = setting[0]
    block = next(part for part in level.parts if "block" in part.name.lower())
    marks = (PartMarks(part=block.id, hero=True),)
    burnt = Project(sources=(LAMP.revised(intensity=4000.0), SPOT), look=Look(ev100=0.0), marks=marks)
    result = [item for item in checked(setting, burnt) if "hero" in item.kind]
    assert {item.kind for item in result} == {"burnt hero"}
    assert apply(burnt, result[0]).look.ev100 > 0.0
    dark = Project(sources=(LAMP.revised(intensity=1.0),), look=Look(ev100=12.0), marks=marks)
    assert "buried hero" in kinds(checked(setting, dark))
    good = Project(sources=(LAMP.revised(intensity=400.0), SPOT), look=Look(ev100=5.0), marks=marks)
    assert not {"buried hero", "burnt hero"} & kinds(checked(setting, good))


def test_a_look_that_clips_a_heros_colour_or_crushes_the_dark_is_told(setting):
    level = setting[0]
    block = next(part for part in level.parts if "block" in part.name.lower())
    lit = Project(
        sources=(LAMP.revised(intensity=400.0), SPOT),
        look=Look(ev100=5.0),
        marks=(PartMarks(part=block.id, hero=True),),
    )
    assert not {"clipped hero", "crushed blacks"} & kinds(checked(setting, lit))
    red = lit.revised(look=lit.look.revised(slope=(40.0, 1.0, 1.0), curve="linear"))
    (finding,) = [item for item in checked(setting, red) if item.kind == "clipped hero"]
    assert finding.where == block.id
    crushed = lit.revised(look=lit.look.revised(offset=(-0.6, -0.6, -0.6)))
    (finding,) = [item for item in checked(setting, crushed) if item.kind == "crushed blacks"]
    assert "black by the look alone" in finding.text
    assert "crushed blacks" not in kinds(checked(setting, apply(crushed, finding)))


def test_a_loud_look_is_told_with_the_effect_that_makes_it_so(setting):
    lit = Project(sources=(LAMP.revised(intensity=400.0), SPOT), look=Look(ev100=5.0))
    quiet = lit.revised(look=lit.look.revised(saturation=1.05))
    assert "loud look" not in kinds(checked(setting, quiet))
    loud = lit.revised(
        look=lit.look.revised(saturation=1.05, neutral_kelvin=2500.0, lights_slope=(1.02, 1.0, 1.0))
    )
    (finding,) = [item for item in checked(setting, loud) if item.kind == "loud look"]
    assert "without white balance" in finding.remedy.text
    assert "loud look" not in kinds(checked(setting, apply(loud, finding)))
    heard = loud.revised(look=loud.look.revised(limit=500.0))
    assert "loud look" not in kinds(checked(setting, heard))


def test_a_table_that_has_no_entries_for_what_is_bright_is_told(setting, tmp_path):
    cube = tmp_path / "plain.cube"
    share = np.linspace(0.0, 1.0, 5)
    grid = np.stack(np.meshgrid(share, share, share, indexing="ij"), axis=-1)
    write_cube(cube, ColourTable(grid.astype(np.float32)), "Plain", [])
    base = Project(sources=(LAMP.revised(intensity=400.0), SPOT), look=Look(ev100=5.0, table=str(cube)))
    assert "table outside its domain" not in kinds(checked(setting, base))
    bright = base.revised(look=base.look.revised(table_on="log", ev100=-9.0))
    (finding,) = [item for item in checked(setting, bright) if item.kind == "table outside its domain"]
    assert "table outside its domain" not in kinds(checked(setting, apply(bright, finding)))
    narrow = tmp_path / "narrow.cube"
    write_cube(narrow, ColourTable(grid.astype(np.float32), (0.0,) * 3, (0.2,) * 3), "Narrow", [])
    few = base.revised(look=base.look.revised(table=str(narrow)))
    (finding,) = [item for item in checked(setting, few) if item.kind == "table outside its domain"]
    assert "table outside its domain" not in kinds(checked(setting, apply(few, finding)))


def test_glow_that_nothing_carries_is_found_where_it_is_shown_by_no_probes(setting):
    level, rays, *rest = setting
    glowing = [
        replace(material, emissive=(90.0,) * 3) if n == 0 else material
        for n, material in enumerate(level.materials)
    ]
    lit = (replace(level, materials=tuple(glowing)), rays, *rest)
    kind = "glow without light"
    project = Project(sources=(SPOT.revised(position=(40.0, 2.0, 0.0)),), look=Look(ev100=5.0))
    assert kind not in kinds(checked(lit, project))
    flat = project.revised(look=project.look.revised(indirect="flat"))
    finding = next(item for item in checked(lit, flat) if item.kind == kind)
    assert "lights nothing" in finding.text
    assert kind not in kinds(checked(lit, apply(flat, finding)))


def test_a_remedy_holds_at_the_hour_where_it_is_needed_and_nowhere_else(setting):
    block = next(part for part in setting[0].parts if "block" in part.name.lower())
    project = Project(
        sources=(LAMP.revised(intensity=400.0), SPOT),
        look=Look(ev100=5.0),
        marks=(PartMarks(part=block.id, hero=True),),
    )
    for hours, value in ((9.0, 5.0), (20.0, 5.0), (21.5, 14.0), (23.0, 5.0)):
        project = pegged(project, "look/ev100", PegTime(hours=hours), value)
    (finding,) = [item for item in checked(setting, project) if "hero" in item.kind]
    assert finding.kind == "buried hero"
    assert "at 21:30" in finding.text
    assert finding.remedy.moment.clock == 21.5
    better = apply(project, finding)
    assert at_moment(better, Moment(21.5)).look.ev100 == pytest.approx(13.3)
    for hour in (9.0, 20.0, 23.0):
        assert at_moment(better, Moment(hour)).look.ev100 == pytest.approx(5.0)
    assert better.look == project.look


def test_a_lamp_that_walks_into_a_wall_is_found_at_its_hour(setting):
    project = Project(sources=(LAMP.revised(radius=0.02),), look=Look(ev100=5.0))
    project = pegged(project, "sources/p/position", PegTime(hours=9.0), LAMP.position, "step")
    project = pegged(project, "sources/p/position", PegTime(hours=16.0), (1.5, 0.5, -2.0), "step")
    (finding,) = [item for item in checked(setting, project) if item.kind == "source in a solid"]
    assert finding.remedy.moment.clock == 17.5
    better = apply(project, finding)
    assert "source in a solid" not in kinds(checked(setting, better))
    assert at_moment(better, Moment(9.0)).source("p").position == LAMP.position


def test_exposure_counts_the_sky_that_a_shot_sees(setting):
    level, rays, boxes = setting
    up = Shot(id="up", name="Up", eye=(0.0, 30.0, 0.0), direction=(0.02, 1.0, 0.0), fov=40.0)
    project = Project(
        sources=(plain_sky(),), look=Look(exposed="metered", weighted="whole", compensation=0.0), shots=(up,)
    )
    subject = CheckSubject(project, level, rays, boxes, load_profile("couch 60"))
    seen, _, scene = next(subject.looks())
    assert len(seen.surfaces.pixel) == 0
    light = luminance(sample_dome(scene.sky.luminance, scene.sky.ground, seen.camera.rays(*CORNERS)))
    darkest, brightest = (
        metered_picture(np.full((36, 64, 3), float(item)), scene.look.metering)
        for item in (light.min(), light.max())
    )
    assert darkest - 0.3 <= _exposure(scene, seen, np.zeros((0, 3))) <= brightest + 0.3


def test_checking_ends_early_when_it_is_not_wanted_any_more(setting):
    level, rays, boxes = setting
    project = Project(sources=(LAMP, SPOT), target=Target(frame_rate=500.0, share=0.01), shots=(SHOT,))
    subject = CheckSubject(project, level, rays, boxes, load_profile("couch 60"), lambda: False)
    assert list(subject.looks()) == []
    assert "over budget" not in kinds(check(subject))


def test_over_budget_names_shot_and_hour_and_what_would_save_most(setting):
    tight = Target(frame_rate=500.0, share=0.2)
    project = Project(sources=(LAMP, SPOT), look=Look(ev100=5.0), target=tight)
    (finding,) = [item for item in checked(setting, project) if item.kind == "over budget"]
    assert "Shot at" in finding.where
    assert "uncalibrated" in finding.text
    better = apply(project, finding)
    assert not better.source("p").shadow
    json.dumps(finding.as_json())


def test_a_lamp_that_burns_under_the_open_noon_sky_is_told_to_follow_the_light(setting):
    outside = LAMP.revised(position=(0.0, 20.0, 0.0))
    project = Project(sources=(plain_sky(), set_sun(), outside), look=Look(ev100=12.0))
    (finding,) = [item for item in checked(setting, project) if item.kind == "lamp in daylight"]
    better = apply(project, finding)
    assert better.source("p").switched == "by light"
    assert "lamp in daylight" not in kinds(checked(setting, better))
    indoors = project.revised(sources=(plain_sky(), set_sun(), LAMP))
    assert "lamp in daylight" not in kinds(checked(setting, indoors))


def test_a_vignette_costs_its_pixels(setting):
    level, rays, boxes = setting
    seen = seen_surfaces(rays, level, CAMERA, (96, 54))
    costs = []
    for stops in (0.0, 1.0):
        scene = evaluate(Project(sources=(LAMP,), look=Look(vignette=stops)))
        work = count_work(PassWork(boxes, scene, seen, CAMERA, (640, 360)))
        assert work.passes["develop"]["vignette pixels"] == (640 * 360 if stops else 0)
        costs.append(frame_cost(work, Target(), load_profile("couch 60")).passes["develop"])
    assert costs[1] > costs[0]

"""Whole days: kept, applied in part, refused when broken; our own ones hold what they say."""

import json

import numpy as np
import pytest

from wallum.document.day_plans import PARTS, applied_day, day_of_project, load_day, save_day
from wallum.document.lanes import PegTime
from wallum.document.migrations import migrate
from wallum.document.own_days import own_days
from wallum.document.pegging import pasted, pegged, replaced
from wallum.document.project import SCHEMA_VERSION, Project, Setting, base_light
from wallum.document.sources import PointSource
from wallum.document.storage import load, save
from wallum.errors import ProjectProblem
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment

LAMP = PointSource(id="lamp", name="Lamp")
DESERT = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12", clock=10.0)


def project():
    built = Project(setting=DESERT, sources=(*base_light(), LAMP))
    built = pegged(built, "sources/lamp/intensity", PegTime(hours=20.0), 300.0)
    return pegged(built, "sources/sky/haze", PegTime(hours=9.0), 3.0)


@pytest.mark.parametrize("day", own_days(), ids=lambda day: day.name)
def test_every_day_of_our_own_lights_all_its_hours_and_leaves_lamps_alone(day, tmp_path):
    applied = applied_day(project(), day)
    assert applied.source("lamp") == LAMP
    assert applied.lane("lamp", "intensity") is not None
    for hour in (0.0, 6.5, 12.0, 18.2):
        scene = evaluate(applied, Moment(hour))
        assert np.isfinite(scene.sky.luminance).all()
        assert scene.sky.luminance.min() >= 0.0
    assert (
        evaluate(applied, Moment(12.0)).sky.luminance.mean()
        > 3.0 * evaluate(applied, Moment(0.0)).sky.luminance.mean()
    )
    save_day(day, tmp_path / "day.wallum-day")
    assert load_day(tmp_path / "day.wallum-day") == day


def test_parts_that_are_not_chosen_stay_as_they_were():
    before = project()
    day = own_days()[0]
    after = applied_day(before, day, ("sky",))
    assert after.source("sky").blue_depth == day.sky.blue_depth
    assert after.source("sky").name == before.source("sky").name
    assert after.air == before.air
    assert after.look == before.look
    assert after.source("sun") == before.source("sun")
    assert {lane.owner for lane in after.lanes} == {"sky", "lamp"}
    assert applied_day(before, day, ()) == before


def test_a_day_that_was_kept_is_the_one_that_was_there():
    there = applied_day(project(), own_days()[1])
    day_project = day_of_project(there, "coast")
    assert day_project.parts == tuple(PARTS)
    other = Project(sources=(*base_light(), LAMP))
    again = applied_day(other, day_project)
    assert day_of_project(again, "coast") == day_project


@pytest.mark.parametrize(
    ("change", "word"),
    [
        (lambda data: "nonsense", "not a day's file"),
        (lambda data: {**data, "schema_version": 9}, "schema"),
        (lambda data: {**data, "air": {"visibility": -4.0}}, "greater than"),
        (lambda data: {**data, "lanes": [{**data["lanes"][0], "owner": "lamp"}]}, "which it has not"),
        (lambda data: {**data, "lanes": [{**data["lanes"][0], "name": "smell"}]}, "which it has not"),
    ],
)
def test_a_broken_day_is_refused_in_a_sentence(tmp_path, change, word):
    file = tmp_path / "d.wallum-day"
    save_day(own_days()[0], file)
    file.write_text(json.dumps(change(json.loads(file.read_text()))))
    with pytest.raises(ProjectProblem, match=word):
        load_day(file)


def test_pegs_are_replaced_taken_out_and_pasted():
    built = project()
    lane = built.lane("sky", "haze")
    moved = replaced(built, "sky", "haze", lane.pegs[0], lane.pegs[0].revised(value=5.0))
    assert moved.lane("sky", "haze").pegs[0].value == 5.0
    assert replaced(built, "sky", "haze", lane.pegs[0], None).lane("sky", "haze") is None
    copies = [("sky", "haze", lane.pegs[0]), ("nobody", "haze", lane.pegs[0])]
    twice = pasted(built, copies, 16.0)
    assert sorted(peg.at.hours for peg in twice.lane("sky", "haze").pegs) == [1.0, 9.0]
    # At the same time it takes the other's place.
    assert len(pasted(twice, copies, 0.0).lane("sky", "haze").pegs) == 2


def test_the_sky_of_version_3_is_the_atmosphere_everywhere():
    old = {
        "schema_version": 3,
        "sources": [{"kind": "sky", "id": "sky", "name": "Sky", "model": "clear"}],
        "variants": [
            {
                "id": "v",
                "name": "V",
                "sources": [{"kind": "sky", "id": "sky", "name": "Sky", "model": "clear"}],
            }
        ],
    }
    new = migrate(old, "file")
    assert new["schema_version"] == SCHEMA_VERSION
    assert new["sources"][0]["model"] == "atmosphere"
    assert new["variants"][0]["sources"][0]["model"] == "atmosphere"
    assert Project.model_validate(new).source("sky").model == "atmosphere"


def test_what_the_floors_are_is_kept_and_older_projects_know_none(tmp_path):
    project = Project(name="P", floors=(0.4, 0.2, 0.1))
    save(project, tmp_path / "p.wallum")
    assert load(tmp_path / "p.wallum").floors == (0.4, 0.2, 0.1)
    old = migrate({"schema_version": 4, "name": "P"}, "file")
    assert Project.model_validate(old).floors is None

"""The command line on the light: what it costs, what is wrong with it, the reference picture."""

import json

import numpy as np
import pytest
from commands import run

from wallum.document.storage import load, save
from wallum.exchange.pictures import read_exr
from wallum.judge.device import PROFILE_NAMES, load_profile, read_profile, write_profile
from wallum.level.demos.pale_room import pale_room_project

ROOM = "demo:pale-room"


def test_cost_is_the_sum_of_its_passes_and_of_its_sources(capsys):
    status, out, _ = run(capsys, "cost", ROOM, "--json")
    result = json.loads(out)
    assert status == 0
    assert result["broken"] == []
    assert sum(item["ms"] for item in result["passes"]) == pytest.approx(result["frame_ms"], abs=0.01)
    assert sum(item["ms"] for item in result["sources"]) == pytest.approx(result["frame_ms"], abs=0.01)


def test_a_slower_device_takes_longer_and_the_text_says_the_same_as_the_numbers(capsys):
    times = {}
    for name in PROFILE_NAMES:
        _, out, _ = run(capsys, "cost", ROOM, "--target", name, "--json")
        times[name] = json.loads(out)["frame_ms"]
        _, text, _ = run(capsys, "cost", ROOM, "--target", name)
        assert f"{times[name]:.2f} ms of" in text
        assert "uncalibrated" in text
    assert len(set(times.values())) == len(times)


def test_cost_takes_a_profile_of_ones_own_and_refuses_what_is_none(tmp_path, capsys):
    file = tmp_path / "mine.json"
    slow = load_profile(PROFILE_NAMES[0])
    ten = {name: {k: 10.0 * v for k, v in counts.items()} for name, counts in slow.coefficients.items()}
    write_profile(type(slow)("mine", "ten times as slow", True, ten), file)
    assert read_profile(file).coefficients == ten
    _, out, _ = run(capsys, "cost", ROOM, "--target", PROFILE_NAMES[0], "--json")
    _, own, _ = run(capsys, "cost", ROOM, "--target", file, "--json")
    assert json.loads(own)["calibrated"]
    assert json.loads(own)["frame_ms"] > json.loads(out)["frame_ms"]
    file.write_text("{}")
    status, _, messages = run(capsys, "cost", ROOM, "--target", file)
    assert status == 2
    assert messages.count("\n") == 1
    assert "not a device profile" in messages


def test_check_tells_what_is_wrong_and_its_remedy_can_be_set(tmp_path, capsys):
    file = tmp_path / "room.wallum"
    project = pale_room_project()
    lamp = next(source for source in project.sources if source.kind == "point")
    save(project.with_source(lamp.revised(position=(1.5, 0.5, -2.0), radius=0.02)), file)
    status, out, _ = run(capsys, "check", file, "--json")
    assert status == 1
    (result,) = [item for item in json.loads(out)["findings"] if item["kind"] == "source in a solid"]
    assert "inside a solid" in run(capsys, "check", file)[1]
    (value,) = result["remedy"]["values"].values()
    text = ",".join(str(item) for item in value)
    assert run(capsys, "set", file, f"{result['where']}/position={text}")[0] == 0
    assert load(file).source(lamp.id).position == pytest.approx(value)
    assert "source in a solid" not in run(capsys, "check", file, "--json")[1]


def test_parameters_are_written_as_the_manual_has_them(tmp_path, capsys):
    status, out, _ = run(capsys, "parameters")
    assert status == 0
    for word in ("sources", "intensity", "ev100"):
        assert word in out
    file = tmp_path / "parameters.md"
    assert run(capsys, "parameters", "--out", file)[0] == 0
    assert file.read_text() == out
    status, _, messages = run(capsys, "parameters", "--out", tmp_path / "no" / "where.md")
    assert status == 2
    assert "cannot be written" in messages


def test_the_reference_engine_writes_light_and_says_how_sure_it_is(tmp_path, capsys):
    common = ("render", ROOM, "--engine", "reference", "--size", "48x27", "--shot", "long-side", "--json")
    noises, light = [], {}
    for samples, bounces in ((2, 2), (16, 2), (16, 0)):
        out = tmp_path / f"{samples}-{bounces}.exr"
        status, messages, _ = run(capsys, *common, "--samples", samples, "--bounces", bounces, "--out", out)
        assert status == 0
        noises.append(json.loads(messages)["noise"])
        light[samples, bounces] = read_exr(out)
    assert json.loads(messages)["samples"] == 16
    assert noises[1] < 0.7 * noises[0]
    assert light[16, 2].mean() == pytest.approx(light[2, 2].mean(), rel=0.2)
    assert light[16, 2].mean() > 1.1 * light[16, 0].mean()  # what bounces is more than nothing
    assert np.isfinite(light[16, 2]).all()


def test_the_reference_engine_has_no_picture_of_some_views(tmp_path, capsys):
    out = tmp_path / "a.png"
    common = ("render", ROOM, "--shot", "long-side", "--size", "16x9", "--out", out)
    status, _, messages = run(capsys, *common, "--engine", "reference", "--view", "casters")
    assert status == 2
    assert "no reference picture of casters" in messages
    assert not out.exists()


def test_each_shot_that_is_named_is_held_against_paths_with_what_those_are_unsure_of(capsys):
    status, out, _ = run(
        capsys, "check", ROOM, "--truth", "--paths", "1", "--shots", "floor-from-above", "--json"
    )
    assert status == 0
    lines = json.loads(out)["truth"]
    assert [line["clock"] for line in lines] == ["06:30", "09:00", "17:10", "21:30"]
    assert {line["shot"] for line in lines} == {"Floor from above"}
    for line in lines:
        assert line["blocks"] > 100
        assert 0.0 < line["noise"] < 1.0, "one path tells of no noise: more are followed"
        assert line["median"] < 0.5


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--truth", "--shots", "nowhere"), "there is no shot 'nowhere'"),
        (("--shots", "long-side"), "--truth"),
    ],
)
def test_shots_that_there_are_not_or_that_nothing_asks_for_are_refused_in_a_sentence(capsys, options, words):
    status, out, messages = run(capsys, "check", ROOM, *options)
    assert status != 0
    assert words in messages
    assert out == ""

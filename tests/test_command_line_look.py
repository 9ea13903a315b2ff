"""The command line on the look: pictures developed, looks written."""

import json

import numpy as np
import pytest
from commands import run
from PIL import Image

from wallum.document.look_file import read_look
from wallum.document.storage import load, save
from wallum.errors import ValueProblem
from wallum.exchange.pictures import read_exr, write_exr
from wallum.level.demos.pale_room import pale_room_project
from wallum.physics.curves import neutral
from wallum.physics.exposure import exposure_scale
from wallum.physics.tone import srgb_decode


@pytest.fixture
def light(tmp_path, rng):
    """A picture of all brightness and colour [cd/m2], in a file."""
    values = (2.0 ** rng.uniform(-6.0, 7.0, (48, 64, 1)) * rng.uniform(0.2, 1.0, (48, 64, 3))).astype(
        np.float32
    )
    path = tmp_path / "light.exr"
    write_exr(path, values)
    return path, values.astype(np.float64)


def developed(capsys, light, tmp_path, *settings):
    out = tmp_path / "out.exr"
    changes = [word for setting in settings for word in ("--set", setting)]
    status, _, messages = run(capsys, "develop", light[0], "--ev100", 2.0, *changes, "--out", out)
    assert status == 0, messages
    return read_exr(out)


def test_curves_are_their_published_forms_on_exposed_light(capsys, tmp_path, light):
    x = light[1] * exposure_scale(2.0)
    linear = developed(capsys, light, tmp_path, "look/curve=linear")
    assert linear == pytest.approx(np.clip(x, 0.0, 1.0), abs=1e-6)
    by_channel = developed(capsys, light, tmp_path, "look/curve=reinhard", "look/white=4")
    assert by_channel == pytest.approx(np.clip(x * (1.0 + x / 16.0) / (1.0 + x), 0.0, 1.0), abs=1e-6)
    luma = (x @ [0.2126, 0.7152, 0.0722])[..., None]
    selected = developed(
        capsys, light, tmp_path, "look/curve=reinhard", "look/white=4", "look/curve_on=luminance"
    )
    assert selected == pytest.approx(np.clip(x * (1.0 + luma / 16.0) / (1.0 + luma), 0.0, 1.0), abs=1e-6)
    pbr = developed(capsys, light, tmp_path, "look/curve=neutral")
    assert pbr == pytest.approx(np.clip(neutral(x), 0.0, 1.0), abs=1e-6)


def test_a_png_is_the_same_with_transfer_and_dither(capsys, tmp_path, light):
    display = developed(capsys, light, tmp_path)
    out = tmp_path / "out.png"
    assert run(capsys, "develop", light[0], "--ev100", 2, "--out", out)[0] == 0
    shown = srgb_decode(np.asarray(Image.open(out)) / 255.0)
    assert np.abs(shown - display).max() < 0.01


def test_a_look_written_as_a_table_is_read_back_as_the_look(capsys, tmp_path, light):
    """33 a side, by stops: under one step of 8 bits."""
    project = tmp_path / "room.wallum"
    graded = pale_room_project().look.revised(
        contrast=1.15, saturation=1.1, slope=(1.05, 1.0, 0.95), neutral_kelvin=5000.0
    )
    save(pale_room_project().revised(look=graded), project)
    table = tmp_path / "look.cube"
    status, out, _ = run(capsys, "export", project, table, "--json")
    assert status == 0
    messages = json.loads(out)
    assert messages["mean_error_of_255"] < 1.0
    assert messages["largest_error_of_255"] > messages["mean_error_of_255"]
    assert "log2(value / 0.18) + 10) / 16.5" in table.read_text()
    pictures = []
    for words in (("--look", project), ("--set", f"look/table={table}", "--set", "look/table_on=log")):
        path = tmp_path / f"{len(pictures)}.png"
        assert run(capsys, "develop", light[0], "--ev100", 2, *words, "--out", path)[0] == 0
        pictures.append(np.asarray(Image.open(path)).astype(int))
    off = np.abs(pictures[0] - pictures[1])
    assert off.mean() < 0.5
    assert np.quantile(off, 0.98) <= 2


def test_a_look_goes_by_a_file_of_its_own(capsys, tmp_path, light):
    project, own = tmp_path / "room.wallum", tmp_path / "own.json"
    save(pale_room_project().revised(look=pale_room_project().look.revised(contrast=1.4)), project)
    assert run(capsys, "export", project, own)[0] == 0
    assert json.loads(own.read_text())["look"]["contrast"] == 1.4
    outs = [tmp_path / "a.exr", tmp_path / "b.exr"]
    for look, out in zip((project, own), outs, strict=True):
        assert run(capsys, "develop", light[0], "--look", look, "--out", out)[0] == 0
    assert np.array_equal(read_exr(outs[0]), read_exr(outs[1]))


def test_a_metered_look_meters_the_picture(capsys, tmp_path, light):
    """Three stops less light by day is three stops of exposure; at night the picture stays darker."""
    out, result = tmp_path / "out.exr", []
    for gain in (8e3, 1e3, 1e-3):
        path = tmp_path / "lit.exr"
        write_exr(path, (light[1] * gain).astype(np.float32))
        messages = run(capsys, "develop", path, "--set", "look/exposed=metered", "--out", out, "--json")[1]
        result.append(json.loads(messages)["ev100"])
    day, shade, night = result
    assert day - shade == pytest.approx(3.0, abs=0.05)
    assert day - night < np.log2(8e6) - 3.0


def test_pixels_that_are_no_numbers_are_black_and_told(capsys, tmp_path, light):
    broken = light[1].astype(np.float32)
    broken[3, 4] = np.nan, 1.0, np.inf
    write_exr(light[0], broken)
    out = tmp_path / "out.exr"
    status, _, messages = run(capsys, "develop", light[0], "--ev100", 2, "--out", out)
    assert status == 0
    assert "1 pixels" in messages
    assert np.isfinite(read_exr(out)).all()


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--set", "look/table=none.cube"), "none.cube"),
        (("--set", "sources/sun/on=off"), "look/PATH"),
        (("--set", "look/power=1 0 1"), "power"),
        (("--set", "look/curve=steep"), "curve"),
        (("--look", "none.json"), "none.json"),
    ],
)
def test_what_cannot_be_is_told_in_one_sentence_and_nothing_is_written(capsys, tmp_path, light, words, told):
    out = tmp_path / "out.png"
    status, _, error = run(capsys, "develop", light[0], *words, "--out", out)
    assert status != 0
    assert told in error
    assert error.count("\n") == 1
    assert not out.exists()


def test_a_file_that_is_no_picture_or_the_input_itself_is_refused(capsys, tmp_path, light):
    text = tmp_path / "text.exr"
    text.write_text("no picture")
    for item, out in ((text, tmp_path / "a.png"), (light[0], light[0])):
        before = item.read_bytes()
        status, _, error = run(capsys, "develop", item, "--out", out)
        assert status != 0
        assert error.count("\n") == 1
        assert item.read_bytes() == before


def test_a_projects_table_is_named_from_its_folder(tmp_path):
    folder = tmp_path / "project"
    folder.mkdir()
    table = tmp_path / "looks" / "own.cube"
    look = pale_room_project().look.revised(table=str(table))
    save(pale_room_project().revised(look=look), folder / "room.wallum")
    assert "../looks/own.cube" in (folder / "room.wallum").read_text()
    assert load(folder / "room.wallum").look.table == str(table)


@pytest.mark.parametrize("suffix", [".cc", ".ccc", ".cdl"])
def test_a_grade_goes_by_a_decision_list(capsys, tmp_path, light, suffix):
    project, listed = tmp_path / "room.wallum", tmp_path / f"own{suffix}"
    look = pale_room_project().look.revised(slope=(1.2, 1.0, 0.8), saturation=0.7, offset=(0.0, 0.1, 0.0))
    save(pale_room_project().revised(look=look), project)
    assert run(capsys, "export", project, listed)[0] == 0
    outs = [tmp_path / "a.exr", tmp_path / "b.exr"]
    for item, out in zip((project, listed), outs, strict=True):
        assert run(capsys, "develop", light[0], "--ev100", 2, "--look", item, "--out", out)[0] == 0
    assert read_exr(outs[0]) == pytest.approx(read_exr(outs[1]), abs=1e-6)


def test_a_channel_is_set_by_its_letter(capsys, tmp_path, light):
    linear = developed(capsys, light, tmp_path, "look/curve=linear", "look/slope/g=0.5")
    x = light[1] * exposure_scale(2.0) * [1.0, 0.5, 1.0]
    assert linear == pytest.approx(np.clip(x, 0.0, 1.0), abs=1e-6)


def test_a_look_of_before_meters_as_it_did_and_one_of_later_is_refused(tmp_path):
    old, later = tmp_path / "old.json", tmp_path / "later.json"
    old.write_text(json.dumps({"kind": "wallum look", "version": 1, "look": {"exposed": "metered"}}))
    later.write_text(json.dumps({"kind": "wallum look", "version": 9, "look": {}}))
    assert read_look(old).darker == (0.0,) * 5
    with pytest.raises(ValueProblem, match="version 9"):
        read_look(later)


def test_a_project_takes_a_look_by_name_or_file_whole_or_in_part(capsys, tmp_path):
    project, own = tmp_path / "room.wallum", tmp_path / "own.json"
    before = pale_room_project().look.revised(ev100=6.0, contrast=1.3)
    save(pale_room_project().revised(look=before), project)
    status, out, _ = run(capsys, "look", project, "soot and brass", "--only", "grain; bloom", "--json")
    assert status == 0
    assert json.loads(out)["effects"] == ["bloom", "grain"]
    look = load(project).look
    assert (look.grain, look.contrast, look.ev100) == (200.0, 1.3, 6.0)
    assert run(capsys, "export", project, own)[0] == 0
    other = tmp_path / "other.wallum"
    save(pale_room_project(), other)
    assert run(capsys, "look", other, own)[0] == 0
    assert load(other).look.contrast == 1.3
    assert load(other).look.ev100 == pale_room_project().look.ev100


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("Nothing like it",), "Clay at noon"),
        (("gone.json",), "gone.json"),
        (("Printed", "--only", "smell"), "grain"),
    ],
)
def test_a_look_that_is_none_leaves_the_project(capsys, tmp_path, words, told):
    project = tmp_path / "room.wallum"
    save(pale_room_project(), project)
    bytes_ = project.read_bytes()
    status, _, error = run(capsys, "look", project, *words)
    assert status == 2
    assert told in error
    assert error.count("\n") == 1
    assert project.read_bytes() == bytes_

"""The command line under bad luck: faults, odd names, inputs as outputs, two writers, levels of nothing."""

import json
import math
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from gltf_maker import Maker, png

from wallum.cli.main import main
from wallum.document.storage import load, save
from wallum.errors import FAULT
from wallum.exchange.pictures import read_exr
from wallum.faults import log_file
from wallum.level.demos.pale_room import pale_room_project
from wallum.level.opening import open_project

ROOT = Path(__file__).resolve().parents[1]


def status(*words):
    """Exit status of a command in this process."""
    try:
        return main([str(word) for word in words])
    except SystemExit as end:
        return end.code


def wallum(*words, **more):
    """The command in a process of its own."""
    paths = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    command = [sys.executable, "-m", "wallum", *map(str, words)]
    return subprocess.run(command, capture_output=True, text=True, env=paths, errors="replace", **more)


@pytest.fixture
def lamps_only(tmp_path):
    """A project on a level of lamps and a camera, without a surface."""
    document = {
        "asset": {"version": "2.0"},
        "extensionsUsed": ["KHR_lights_punctual"],
        "extensions": {"KHR_lights_punctual": {"lights": [{"type": "point", "intensity": 50.0}]}},
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}],
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [
            {"name": "Lamp", "translation": [0, 2, 0], "extensions": {"KHR_lights_punctual": {"light": 0}}},
            {"name": "Eye", "camera": 0, "translation": [0, 1, 5]},
        ],
    }
    (tmp_path / "lamps.gltf").write_text(json.dumps(document))
    assert main(["new", str(tmp_path / "lamps.gltf"), str(tmp_path / "p.wallum")]) == 0
    return tmp_path / "p.wallum"


# -- faults ----------------------------------------------------------------------------


def test_a_fault_of_ours_is_one_sentence_with_a_log_and_a_status_of_its_own(monkeypatch, capsys):
    def broken(*_):
        raise ZeroDivisionError("of ours")

    monkeypatch.setattr("wallum.document.paths.walk", broken)
    assert main(["show", "demo:pale-room", "--json"]) == FAULT == 4
    out, err = capsys.readouterr()
    assert err.count("\n") == 1
    assert str(log_file()) in err
    assert "Traceback" not in err
    assert str(log_file()) in json.loads(out)["error"]["what"]
    assert "ZeroDivisionError: of ours" in log_file().read_text()


def test_the_log_is_kept_small(monkeypatch, capsys):
    monkeypatch.setattr("wallum.faults.LOG_BYTES", 4000)

    def broken(*_):
        raise ZeroDivisionError("of ours")

    monkeypatch.setattr("wallum.document.paths.walk", broken)
    for _ in range(12):
        main(["show", "demo:pale-room"])
    capsys.readouterr()
    files = list(log_file().parent.iterdir())
    assert len(files) == 3
    assert sum(file.stat().st_size for file in files) < 30_000


def test_a_state_folder_that_cannot_be_made_stops_no_command(tmp_path, monkeypatch, capsys):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    assert main(["show", "demo:pale-room", "look/ev100"]) == 0


def test_with_json_nothing_but_the_document_is_on_standard_output(tmp_path):
    """Not even what a package writes past Python."""
    hook = tmp_path / "sitecustomize.py"
    hook.write_text(
        "import atexit, os, wallum.document.paths as paths\n"
        "was = paths.look_up\n"
        "def noisy(*a):\n    os.write(1, b'noise of a package\\n')\n    return was(*a)\n"
        "paths.look_up = noisy\n"
    )
    paths = {**os.environ, "PYTHONPATH": f"{tmp_path}{os.pathsep}{ROOT / 'src'}"}
    command = [sys.executable, "-m", "wallum", "show", "demo:pale-room", "look/ev100", "--json"]
    done = subprocess.run(command, capture_output=True, text=True, env=paths)
    assert json.loads(done.stdout)["path"] == "look/ev100"
    assert "noise of a package" in done.stderr


def test_a_reader_that_has_enough_is_no_fault():
    done = subprocess.run(
        [f"{sys.executable} -m wallum show demo:pale-room | head -1"],
        shell=True, capture_output=True, text=True, env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )  # fmt: skip
    assert done.stderr == ""


# -- names and numbers -----------------------------------------------------------------


@pytest.mark.parametrize("name", ["x" * 300 + ".wallum", "a\nb.wallum", "gone.wallum", "/root/none/x.wallum"])
def test_names_of_all_kinds_are_one_sentence(name, capsys):
    assert main(["show", name]) == 2
    assert capsys.readouterr().err.count("\n") == 1


def test_names_that_are_no_text_are_shown_as_they_can_be(tmp_path):
    name = os.fsencode(tmp_path) + b"/bad\xff.wallum"
    with open(name, "wb") as stream:
        stream.write(b"{")
    done = wallum("show", os.fsdecode(name))
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "bad" in done.stderr


@pytest.mark.parametrize(
    "words",
    [
        ["--eye", "nan,1,2", "--toward", "0,0,0"],
        ["--eye", "inf,1,2", "--toward", "0,0,0"],
        ["--eye", "0,1,2", "--toward", "1e300,0,0"],
        ["--eye", "0,1,2", "--toward", "0,0,0", "--fov", "nan"],
    ],
)
def test_places_and_angles_that_are_none_are_refused(words, tmp_path, capsys):
    out = tmp_path / "a.png"
    assert main(["render", "demo:pale-room", *words, "--out", str(out)]) == 2
    assert capsys.readouterr().err.count("\n") == 1
    assert not out.exists()


# -- a level of nothing ----------------------------------------------------------------


def test_a_level_of_lamps_only_is_checked_costed_and_drawn(lamps_only, tmp_path, capsys):
    assert status("check", lamps_only, "--json") in (0, 1)
    capsys.readouterr()
    assert status("cost", lamps_only, "--json") == 0
    capsys.readouterr()
    place = ["--shot", "eye", "--size", "32x18", "--samples", "2"]
    for engine in ("realtime", "reference"):
        out = tmp_path / f"{engine}.exr"
        assert main(["render", str(lamps_only), *place, "--engine", engine, "--out", str(out)]) == 0
        assert np.isfinite(read_exr(out)).all()
    capsys.readouterr()
    assert main(["meter", str(lamps_only), "--at", "0,0,0", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["direct_lx"] == pytest.approx(50.0 / 4.0, rel=2e-3)


def test_a_level_with_every_part_left_out_is_one_of_nothing(tmp_path, capsys):
    project, _ = open_project("demo:pale-room")
    from wallum.level.demos.pale_room import pale_room

    for part in pale_room().parts:
        project = project.with_marks(project.marks_of(part.id).revised(ignored=True))
    save(project, tmp_path / "p.wallum")
    shot = next(iter(project.shots)).name.lower().replace(" ", "-")
    for words in (["check"], ["cost"]):
        assert status(*words, tmp_path / "p.wallum") in (0, 1)
    out = tmp_path / "a.exr"
    more = ["--shot", shot, "--engine", "reference", "--samples", "1", "--size", "16x9", "--out", str(out)]
    assert main(["render", str(tmp_path / "p.wallum"), *more]) == 0
    assert math.isfinite(float(read_exr(out).sum()))


# -- inputs as outputs, and other places ------------------------------------------------


@pytest.fixture
def project(tmp_path):
    """A project on a .gltf with its numbers and a picture beside it."""
    maker = Maker()
    maker.mesh()
    maker.document["images"] = [{"uri": "wood.png"}]
    maker.document["textures"] = [{"source": 0}]
    maker.document["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]
    maker.document["meshes"][0]["primitives"][0]["material"] = 0
    document = json.loads(maker.embedded())
    document["buffers"][0]["uri"] = "level.bin"
    (tmp_path / "level.bin").write_bytes(bytes(maker.data))
    (tmp_path / "wood.png").write_bytes(png())
    (tmp_path / "level.gltf").write_text(json.dumps(document))
    file = tmp_path / "p.wallum"
    save(pale_room_project().revised(level="level.gltf", shots=(), marks=()), file)
    return file


@pytest.mark.parametrize(
    ("words", "name"),
    [
        (["set", "P", "look/ev100=3", "--out", "level.gltf"], "level.gltf"),
        (["set", "P", "look/ev100=3", "--out", "link.wallum"], "level.gltf"),
        (["export", "P", "level.gltf"], "level.gltf"),
        (["export", "P", "level.GLTF"], "level.gltf"),
        (["render", "P", "--eye", "0,1,3", "--toward", "0,0,0", "--out", "wood.png"], "wood.png"),
        (["new", "level.gltf", "level.gltf"], "level.gltf"),
        (["speed", "--profile", "level.gltf"], "level.gltf"),
        (["speed", "--profile", "nowhere/mine.json"], "level.gltf"),
    ],
)
def test_an_output_never_replaces_an_input(project, words, name, monkeypatch, capsys):
    monkeypatch.chdir(project.parent)
    (project.parent / "link.wallum").symlink_to("level.gltf")
    if "level.GLTF" in words:
        (project.parent / "level.GLTF").symlink_to("level.gltf")
    before = {path.name: path.read_bytes() for path in project.parent.iterdir() if path.is_file()}
    assert main([str(project) if word == "P" else word for word in words]) == 2
    assert capsys.readouterr().err.count("\n") == 1
    after = {path.name: path.read_bytes() for path in project.parent.iterdir() if path.is_file()}
    assert after == before


def test_an_export_does_not_take_the_numbers_that_the_level_reads(project, capsys):
    (project.parent / "level2.gltf").write_text((project.parent / "level.gltf").read_text())
    save(load(project).revised(level="level2.gltf"), project)
    before = (project.parent / "level.bin").read_bytes()
    (project.parent / "level.gltf").unlink()
    assert main(["export", str(project), str(project.parent / "level.gltf")]) == 2
    assert (project.parent / "level.bin").read_bytes() == before


def test_what_is_set_elsewhere_names_the_same_level(project, capsys):
    (project.parent / "sub").mkdir()
    out = project.parent / "sub" / "q.wallum"
    assert main(["set", str(project), "look/ev100=3", "--out", str(out)]) == 0
    assert load(out).level == "../level.gltf"
    assert status("check", out) in (0, 1)


def test_a_level_from_afar_is_read_once_it_was_chosen(project, tmp_path, capsys, monkeypatch):
    stranger = tmp_path / "stranger" / "s.wallum"
    stranger.parent.mkdir()
    save(load(project).revised(level=str(tmp_path / "level.gltf")), stranger)
    assert status("check", stranger) == 2
    assert "have not chosen it" in capsys.readouterr().err
    assert main(["set", str(stranger), "level=../level.gltf"]) == 0
    assert status("check", stranger) in (0, 1)


@pytest.mark.slow
def test_twelve_at_once_lose_nothing(tmp_path):
    file = tmp_path / "p.wallum"
    project = pale_room_project()
    save(project, file)
    paths = [f"balance/{item}" for item in ("base", "lamps", "accents", "glow")]
    paths += [f"look/{item}" for item in ("ev100", "compensation")]
    paths += [
        f"setting/{item}" for item in ("latitude", "longitude", "utc_offset", "north", "clock", "day_length")
    ]
    command = [sys.executable, "-m", "wallum", "set", str(file)]
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    running = [
        subprocess.Popen([*command, f"{path}={n / 10 + 2}"], env=env, stdout=subprocess.DEVNULL)
        for n, path in enumerate(paths)
    ]
    assert [item.wait() for item in running] == [0] * 12
    selected = load(file)
    for n, path in enumerate(paths):
        group, name = path.split("/")
        assert getattr(getattr(selected, group), name) == pytest.approx(n / 10 + 2), path

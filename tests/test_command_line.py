"""The command line as a contract: exit statuses, JSON, one sentence for an error."""

import ast
import json
import math
from pathlib import Path

import numpy as np
import pytest
from gltf_maker import Maker
from PIL import Image

import wallum
from wallum.cli.main import main
from wallum.document.project import PartMarks
from wallum.document.storage import load, save
from wallum.exchange.pictures import read_exr
from wallum.level.importers.gltf.reader import load_gltf

SOURCE = Path(wallum.__file__).parent


@pytest.fixture
def level_file(tmp_path):
    maker = Maker()
    corners = np.array([[-5, 0, -5], [5, 0, -5], [-5, 0, 5], [5, 0, 5]], "f4")
    maker.mesh(corners, np.array([0, 2, 1, 1, 2, 3], "u2"))
    path = tmp_path / "hall.glb"
    path.write_bytes(maker.bytes())
    return path


@pytest.fixture
def project_file(level_file, tmp_path):
    path = tmp_path / "hall.wallum"
    assert main(["new", str(level_file), str(path)]) == 0
    return path


def run(capsys, *arguments):
    capsys.readouterr()
    status = main([str(argument) for argument in arguments])
    out = capsys.readouterr()
    return status, out.out, out.err


def test_new_makes_a_project_at_a_place_and_date(level_file, tmp_path, capsys):
    status, out, err = run(
        capsys,
        "new",
        level_file,
        tmp_path / "n.wallum",
        "--place",
        "31.4,-109.2",
        "--date",
        "2027-10-12",
        "--utc-offset",
        "-7",
        "--json",
    )
    assert status == 0, err
    assert json.loads(out)["parts"] == 1
    built = load(tmp_path / "n.wallum")
    assert (built.setting.latitude, built.setting.longitude, built.setting.utc_offset) == (31.4, -109.2, -7.0)
    assert built.setting.date == "2027-10-12"
    assert built.level == "hall.glb"


def test_show_prints_values_with_units(project_file, capsys):
    status, out, _ = run(capsys, "show", project_file, "sources/sun", "--json")
    values = json.loads(out)["values"]
    assert status == 0
    assert values["sources/sun/illuminance"] == {"value": 80000.0, "unit": "lx"}
    assert "80 000 lx" in run(capsys, "show", project_file, "sources/sun/illuminance")[1]
    assert json.loads(run(capsys, "show", project_file, "level", "--json")[1])["value"] == "hall.glb"


def test_set_changes_all_or_nothing(project_file, capsys):
    assert run(capsys, "set", project_file, "look/ev100=9", "sources/sun/elevation=12 deg")[0] == 0
    assert load(project_file).look.ev100 == 9.0
    before = project_file.read_bytes()
    status, _, err = run(capsys, "set", project_file, "look/ev100=5", "sources/sun/kelvin=-4")
    assert status == 2
    assert project_file.read_bytes() == before
    assert err.count("\n") == 1


def test_set_can_write_elsewhere(project_file, tmp_path, capsys):
    before = project_file.read_bytes()
    status, out, _ = run(
        capsys, "set", project_file, "look/ev100=5", "--out", tmp_path / "b.wallum", "--json"
    )
    assert status == 0
    assert json.loads(out)["values"] == {"look/ev100": 5.0}
    assert project_file.read_bytes() == before
    assert load(tmp_path / "b.wallum").look.ev100 == 5.0


def test_meter_reads_a_line_through_the_air(capsys):
    fog = ["--set", "air/on=true", "--set", "air/visibility=30", "--set", "air/base_height=50"]
    line = ["meter", "demo:pale-room", "--at", "-1.2,1,0.4", "--through", "1.0,1,0.4", "--json", *fog]
    status, out, _ = run(capsys, *line)
    assert status == 0
    result = json.loads(out)
    assert result["distance_m"] <= 2.2 + 1e-9
    selected = math.exp(-3.912 / 30.0 * result["distance_m"])
    assert result["transmittance"] == pytest.approx([selected] * 3, rel=1e-6)
    assert result["contrast_kept"] == pytest.approx(selected, rel=1e-6)
    assert min(result["scattered_cd_m2"]) > 0.0
    pairs = zip(result["luminance_cd_m2"], result["scattered_cd_m2"], strict=True)
    assert all(seen >= scattered for seen, scattered in pairs)
    status, _, err = run(capsys, "meter", "demo:pale-room", "--at", "0,1,0", "--through", "0,1,0")
    assert status == 2
    assert "no length" in err


def test_meter_reads_by_source(capsys):
    status, out, _ = run(capsys, "meter", "demo:pale-room", "--at", "-1.2,0,0.4", "--json")
    reading = json.loads(out)
    assert status == 0
    assert set(reading["by_source"]) == {"ceiling-lamp", "block-spot"}
    assert reading["by_source"]["ceiling-lamp"] == pytest.approx(90.0 / 2.5**2, rel=0.01)
    assert reading["direct_lx"] == pytest.approx(sum(reading["by_source"].values()))
    whole = reading["direct_lx"] + reading["bounce_lx"]
    assert reading["illuminance_lx"] == pytest.approx(whole)
    assert 3.0 * reading["bounce_error_lx"] < reading["bounce_lx"] < reading["direct_lx"]


def test_render_writes_the_picture_and_the_light(tmp_path, capsys):
    png, exr = tmp_path / "a.png", tmp_path / "a.exr"
    common = ("render", "demo:pale-room", "--size", "64x36", "--as-delivered")
    assert run(capsys, *common, "--shot", "long-side", "--out", png)[0] == 0
    status, out, _ = run(capsys, *common, "--eye", "0,1.5,0", "--toward", "0,0,-3", "--out", exr, "--json")
    assert status == 0
    assert {item["name"] for item in json.loads(out)["passes"]} >= {"surfaces", "light"}
    with Image.open(png) as picture:
        assert picture.size == (64, 36)
    light = read_exr(exr)
    assert light.shape == (36, 64, 3)
    assert light.max() > 0.5


def test_render_takes_changes_without_writing_them(tmp_path, capsys):
    pictures = []
    for number, value in enumerate(("90", "9000")):
        out = tmp_path / f"{number}.exr"
        run(
            capsys,
            "render",
            "demo:pale-room",
            "--size",
            "32x18",
            "--shot",
            "long-side",
            "--as-delivered",
            "--set",
            f"sources/ceiling-lamp/intensity={value}",
            "--out",
            out,
        )
        pictures.append(read_exr(out))
    assert pictures[1].mean() > 20 * pictures[0].mean()


def test_export_reads_back(project_file, tmp_path, capsys):
    run(
        capsys,
        "set",
        project_file,
        "sources/sun/elevation=20",
        "sources/sun/stands=where set",
        "sources/sun/light=own",
    )
    status, out, _ = run(capsys, "export", project_file, tmp_path / "out.glb", "--json")
    assert status == 0
    assert any("sky" in warning for warning in json.loads(out)["warnings"])
    assert load_gltf(tmp_path / "out.glb").sources[0].elevation == pytest.approx(20.0)


@pytest.mark.parametrize(
    "arguments",
    [
        ["show", "nowhere.wallum"],
        ["show", "demo:nothing"],
        ["show", "demo:pale-room", "sources/nobody/on"],
        ["set", "demo:pale-room", "look/ev100=3"],
        ["set", "demo:pale-room", "look"],
        ["render", "demo:pale-room", "--out", "a.png"],
        ["render", "demo:pale-room", "--shot", "x", "--out", "a.png"],
        ["render", "demo:pale-room", "--shot", "long-side", "--out", "a.jpg"],
        ["render", "demo:pale-room", "--shot", "long-side", "--size", "0x9", "--out", "a.png"],
        ["render", "demo:pale-room", "--eye", "0,0,0", "--toward", "0,0,0", "--out", "a.png"],
        ["meter", "demo:pale-room", "--at", "1,2"],
        ["meter", "demo:pale-room", "--at", "0,0,0", "--facing", "0,0,0"],
        ["meter", "demo:pale-room"],
        ["export", "demo:pale-room", "a.blend"],
        ["new", "nowhere.glb", "a.wallum"],
        ["new", "nowhere.glb", "a.txt"],
        ["frobnicate"],
        ["render", "demo:pale-room", "--nonsense"],
    ],
)
def test_bad_input_is_one_sentence_status_2_and_json(arguments, capsys, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    status, out, err = run(capsys, *arguments, "--json")
    assert status == 2
    assert err.startswith("wallum: ")
    assert err.count("\n") == 1
    assert set(json.loads(out)["error"]) == {"what", "where", "expected"}
    assert [path.name for path in tmp_path.iterdir() if path.name != "state"] == []


def test_an_existing_project_is_not_written_over(level_file, project_file, capsys):
    before = project_file.read_bytes()
    assert run(capsys, "new", level_file, project_file)[0] == 2
    assert project_file.read_bytes() == before


# -- the code itself -------------------------------------------------------------------


def imported_roots(node):
    if isinstance(node, ast.Import):
        return {name.name.split(".")[0] for name in node.names}
    if isinstance(node, ast.ImportFrom) and node.module:
        return {node.module.split(".")[0], ".".join(node.module.split(".")[:2])}
    return set()


@pytest.mark.parametrize(
    ("folders", "forbidden"),
    [
        (
            ("physics", "document", "level", "moment", "transport", "realtime", "image", "exchange"),
            {"PyQt6", "wallum.desk"},
        ),
        (("physics", "document", "level", "moment", "transport", "image", "exchange", "desk"), {"moderngl"}),
    ],
)
def test_layers_hold_inside_functions_too(folders, forbidden):
    for folder in folders:
        for path in (SOURCE / folder).rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                assert not imported_roots(node) & forbidden, f"{path}:{getattr(node, 'lineno', 0)}"


def test_public_names_are_sorted_and_exist():
    import importlib

    for path in SOURCE.rglob("*.py"):
        name = ".".join(("wallum", *path.relative_to(SOURCE).with_suffix("").parts))
        if path.name in ("__init__.py", "__main__.py"):
            continue
        module = importlib.import_module(name)
        for public in getattr(module, "__all__", []):
            assert hasattr(module, public), f"{name}.{public}"


def docstring_lines(tree):
    """Numbers of the lines that docstrings take."""
    kinds = (ast.Module, ast.ClassDef, ast.FunctionDef, ast.AsyncFunctionDef)
    first = (node.body[0] for node in ast.walk(tree) if isinstance(node, kinds) and node.body)
    texts = (line for line in first if isinstance(line, ast.Expr) and isinstance(line.value, ast.Constant))
    return {number for line in texts for number in range(line.lineno, line.end_lineno + 1)}


def test_functions_and_modules_stay_short():
    """At most 500 lines a module and 60 a function, docstrings left out."""
    for path in [*SOURCE.rglob("*.py"), *SOURCE.with_name("wallum_dev").rglob("*.py")]:
        text = path.read_text()
        tree = ast.parse(text)
        messages = docstring_lines(tree)
        assert len(text.splitlines()) - len(messages) <= 500, path
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef):
                code = [line for line in range(node.lineno, node.end_lineno + 1) if line not in messages]
                assert len(code) <= 61, f"{path}:{node.lineno}"


def test_lists_that_have_no_values_of_their_own_are_shown_whole(project_file, capsys):
    project = load(project_file)
    save(project.with_marks(PartMarks(part="hall", water=True)), project_file)
    status, out, _ = run(capsys, "show", project_file, "marks", "--json")
    assert status == 0
    assert json.loads(out)["value"][0]["water"] is True

"""What the documents say of the tree is so."""

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
DOCUMENTS = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").rglob("*.md"))]
PACKAGE = ROOT / "src" / "wallum"
DEVELOPER = ROOT / "src" / "wallum_dev"


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda item: item.name)
def test_links_lead_somewhere(document):
    for target in re.findall(r"\]\(([^)#]+)(?:#[^)]*)?\)", document.read_text()):
        if "://" not in target:
            assert (document.parent / target).exists(), target


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda item: item.name)
def test_files_that_are_named_are_there(document):
    """As `moment/kinds/panel.py`: from the package, or from the folder named before."""
    names = {path.name for path in (ROOT / "src").rglob("*") if path.is_file()}
    for named in re.findall(r"`([\w/.]+\.(?:py|glsl|json|npy))`", document.read_text()):
        if named.startswith("tests/"):
            assert (ROOT / named).is_file(), named
        elif "/" in named:
            ends = [
                path
                for path in (ROOT / "src").rglob(Path(named).name)
                if path.as_posix().endswith("/" + named)
            ]
            assert ends, named
        else:
            assert named in names, named


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda item: item.name)
def test_folders_that_are_named_are_there(document):
    for named in re.findall(r"`((?:\w+/)+)`", document.read_text()):
        places = (ROOT / named, PACKAGE / named, PACKAGE / "desk" / named, PACKAGE / "realtime" / named)
        layers = ("document", "moment", "frame", "level", "transport", "realtime/passes", "realtime/shaders")
        places += (*(PACKAGE / layer / named for layer in layers), DEVELOPER / named)
        assert any(place.is_dir() for place in places) or named == "out/demo/", named


def test_every_folder_of_the_package_is_on_the_map():
    text = (ROOT / "docs" / "architecture.md").read_text()
    for folder in PACKAGE.iterdir():
        if folder.is_dir() and folder.name != "__pycache__":
            assert f"`{folder.name}/`" in text, folder.name
    for room in ("desk", "realtime", "realtime/passes", "transport", "level"):
        for folder in (PACKAGE / room).iterdir():
            if folder.is_dir() and folder.name != "__pycache__":
                assert f"`{folder.name}/`" in text, f"{room}/{folder.name}"


def test_numbers_in_the_documents_are_those_of_the_code():
    from wallum.frame.quality import HIGH
    from wallum.realtime.gl.lamp_schema import LAMP_WORDS, PACKED

    renderer = (ROOT / "docs" / "details" / "renderer.md").read_text()
    assert f"{65536 // (4 * LAMP_WORDS)} of them in 64 KB" in renderer
    assert len(PACKED) == 9
    assert "nine vectors of four floats" in renderer
    columns, rows, slices = HIGH.air_places
    assert f"{columns} x {rows} x {slices}" in renderer
    assert f"a volume of {columns} x {rows} columns" in (ROOT / "docs" / "details" / "air.md").read_text()

"""Pictures, films, reports, exports, profiles, days: there as a whole or not at all; the old one stays."""

import errno
import os

import numpy as np
import pytest

from wallum.document.day_plans import save_day
from wallum.document.own_days import own_days
from wallum.errors import WallumError
from wallum.exchange.film import film_writer
from wallum.exchange.gltf_export import export_gltf
from wallum.exchange.pictures import write_exr, write_png
from wallum.exchange.report import CostedShot, write_report
from wallum.judge.cost import FrameCost
from wallum.judge.device import load_profile, write_profile
from wallum.level.demos.pale_room import pale_room, pale_room_project

RGB = np.full((36, 64, 3), 90, np.uint8)


def film(path):
    with film_writer(path, (64, 36), 24) as writer:
        writer.add(RGB)


def report(path):
    project = pale_room_project()
    cost = FrameCost(1.0, 5.0, True, {"light": 1.0}, {"shared": 1.0}, {})
    costed = [CostedShot("Shot", "10:00", project.target, load_profile("couch 60"), cost)]
    write_report(path, project, costed, [])


WRITERS = {
    "a.png": lambda path: write_png(path, RGB),
    "a.exr": lambda path: write_exr(path, RGB.astype(np.float32)),
    "a.mp4": film,
    "a.mkv": film,
    "a.html": report,
    "a.glb": lambda path: export_gltf(pale_room_project(), pale_room(), path),
    "a.gltf": lambda path: export_gltf(pale_room_project(), pale_room(), path),
    "a.json": lambda path: write_profile(load_profile("couch 60"), path),
    "a.wallum-day": lambda path: save_day(own_days()[0], path),
}


@pytest.fixture(params=sorted(WRITERS))
def written(request, tmp_path):
    """A writer, and a place where its file stands already."""
    folder = tmp_path / "out"
    folder.mkdir()
    path = folder / request.param
    WRITERS[request.param](path)
    return WRITERS[request.param], path


def everything(folder):
    return {path.name: path.read_bytes() for path in folder.iterdir()}


@pytest.mark.parametrize("step", ["fsync", "replace"])
def test_a_disk_that_is_full_leaves_the_old_file_and_no_part(written, monkeypatch, step):
    write, path = written
    before = everything(path.parent)

    def full(*_args, **_more):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(os, step, full)
    with pytest.raises(WallumError, match="No space left") as caught:
        write(path)
    monkeypatch.undo()
    assert "\n" not in str(caught.value)
    assert everything(path.parent) == before


def test_a_file_written_anew_keeps_its_mode_and_its_link(written):
    write, path = written
    os.chmod(path, 0o640)
    link = path.with_name(f"link{path.suffix}")
    link.symlink_to(path.name)
    write(link)
    assert link.is_symlink()
    assert path.stat().st_mode & 0o777 == 0o640
    os.chmod(path, 0o444)
    with pytest.raises(WallumError, match="read-only"):
        write(path)


def test_a_film_that_is_broken_off_leaves_the_one_before(tmp_path):
    path = tmp_path / "a.mp4"
    film(path)
    before = path.read_bytes()
    with pytest.raises(KeyboardInterrupt), film_writer(path, (64, 36), 24) as writer:
        writer.add(RGB)
        raise KeyboardInterrupt
    assert path.read_bytes() == before
    assert [item.name for item in tmp_path.iterdir() if ".part" in item.name] == []

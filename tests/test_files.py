"""Files: written whole, by one at a time, with their modes; read within limits and from their folder."""

import fcntl
import os
import stat
import threading

import pytest

from wallum.document.paths import put
from wallum.document.project import Project
from wallum.document.storage import as_project_file, editing, load, load_stored, save
from wallum.errors import ChangedProblem, LevelProblem, ProjectProblem, ValueProblem
from wallum.files import inside, locked, read_limited, refuse_inputs, write_whole, written_whole


def parts_in(folder):
    return [path.name for path in folder.iterdir() if ".part" in path.name]


# -- writing ---------------------------------------------------------------------------


def test_a_file_keeps_its_mode_and_a_new_one_has_that_of_the_user(tmp_path):
    file = tmp_path / "a.wallum"
    before = os.umask(0o027)
    try:
        write_whole(file, b"one")
    finally:
        os.umask(before)
    assert stat.S_IMODE(file.stat().st_mode) == 0o640
    os.chmod(file, 0o604)
    write_whole(file, b"two")
    assert stat.S_IMODE(file.stat().st_mode) == 0o604


def test_a_read_only_file_is_refused_even_to_the_administrator(tmp_path):
    file = tmp_path / "a.wallum"
    save(Project(), file)
    os.chmod(file, 0o444)
    with pytest.raises(ProjectProblem, match="read-only"):
        save(Project(name="other"), file)
    assert load(file).name == "Untitled"
    assert not parts_in(tmp_path)


def test_a_link_stays_a_link(tmp_path):
    real, link = tmp_path / "real.wallum", tmp_path / "link.wallum"
    save(Project(), real)
    link.symlink_to("real.wallum")
    save(Project(name="by the link"), link)
    assert link.is_symlink()
    assert load(real).name == "by the link"


def test_what_killed_writers_left_goes_and_what_living_ones_write_stays(tmp_path):
    left = tmp_path / ".wallum-0123.part"
    left.write_bytes(b"half")
    living = tmp_path / ".wallum-4567.part.exr"
    living.write_bytes(b"half")
    with open(living, "rb") as current:
        fcntl.flock(current, fcntl.LOCK_EX)
        write_whole(tmp_path / "a.txt", b"whole")
        assert not left.exists()
        assert living.exists()
    write_whole(tmp_path / "a.txt", b"whole")
    assert not living.exists()


def test_a_writer_killed_in_the_midst_leaves_the_old_file_and_a_part_that_goes(tmp_path):
    file = tmp_path / "a.txt"
    file.write_bytes(b"old")
    child = os.fork()
    if child == 0:
        with written_whole(file) as part:
            part.write_bytes(b"half")
            os._exit(9)
    os.waitpid(child, 0)
    assert file.read_bytes() == b"old"
    assert len(parts_in(tmp_path)) == 1
    write_whole(file, b"new")
    assert file.read_bytes() == b"new"
    assert not parts_in(tmp_path)


@pytest.mark.parametrize("name", ["a\0b", "x" * 256, "folder"])
def test_names_that_cannot_be_written_are_oserrors_and_leave_nothing(tmp_path, name):
    (tmp_path / "folder").mkdir()
    with pytest.raises(OSError, match=r"."):
        write_whole(tmp_path / name, b"")
    assert not parts_in(tmp_path)


def test_many_writers_at_once_lose_nothing(tmp_path):
    file = tmp_path / "a.wallum"
    save(Project(), file)
    failures = []

    def count_up():
        try:
            for _ in range(5):
                with editing(file) as write:
                    now = load(file)
                    write(put(now, "look/ev100", now.look.ev100 - 0.1))
        except Exception as error:
            failures.append(error)

    threads = [threading.Thread(target=count_up) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failures == []
    assert load(file).look.ev100 == pytest.approx(13.0 - 40 * 0.1)


def test_a_change_by_another_is_noticed_at_the_save(tmp_path):
    file = tmp_path / "a.wallum"
    mark = save(Project(), file)
    assert load_stored(file).mark == mark
    mark = save(Project(name="mine"), file, mark)
    save(Project(name="theirs"), file)
    with pytest.raises(ChangedProblem, match="another"):
        save(Project(name="mine again"), file, mark)
    assert load(file).name == "theirs"


def test_a_lock_that_does_not_come_free_is_told(tmp_path, monkeypatch):
    monkeypatch.setattr("wallum.files.LOCK_PATIENCE_S", 0.05)
    with locked(tmp_path / "a"), pytest.raises(ValueProblem, match="another program"), locked(tmp_path / "b"):
        pass
    with locked(tmp_path / "a"):
        pass


def test_an_output_is_no_input(tmp_path):
    level = tmp_path / "level.glb"
    level.write_bytes(b"glTF")
    (tmp_path / "link.glb").symlink_to("level.glb")
    for out in (level, tmp_path / "link.glb"):
        with pytest.raises(LevelProblem, match="written over"):
            refuse_inputs(out, [level], LevelProblem)
    refuse_inputs(tmp_path / "new.glb", [level], LevelProblem)
    (tmp_path / "trap.wallum").symlink_to("level.glb")
    for name in ("level.glb", "trap.wallum"):
        with pytest.raises(ProjectProblem, match=r"\.wallum"):
            as_project_file(tmp_path / name)


# -- reading ---------------------------------------------------------------------------


def test_what_is_no_plain_file_or_too_large_is_refused_at_once(tmp_path):
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "large").write_bytes(b"x" * 2000)
    (tmp_path / "loop").symlink_to("loop")
    cases = {
        "pipe": "regular",
        ".": "regular",
        "large": "at most 1 kB",
        "gone": "no such",
        "loop": "symbolic",
    }
    for name, case in cases.items():
        with pytest.raises(LevelProblem, match=case):
            read_limited(tmp_path / name, 1024, LevelProblem)
    with pytest.raises(LevelProblem, match="regular"):
        read_limited("/dev/zero", 1024, LevelProblem)


@pytest.mark.parametrize("name", ["a\0b", "a\ud800b"])
def test_names_that_no_file_can_have_are_told(name, tmp_path):
    with pytest.raises(LevelProblem) as caught:
        read_limited(tmp_path / name, 1024, LevelProblem)
    str(caught.value).encode()


@pytest.mark.parametrize(
    "name",
    ["../x.png", "/etc/hostname", "%2e%2e/x.png", "a/../../x.png", "%2Fetc%2Fhostname", "out", "sub/out/x"],
)
def test_a_name_that_leads_out_of_its_folder_is_refused(tmp_path, name):
    folder = tmp_path / "level"
    (folder / "sub").mkdir(parents=True)
    (tmp_path / "x.png").write_bytes(b"")
    (folder / "out").symlink_to(tmp_path / "x.png")
    (folder / "sub" / "out").symlink_to(tmp_path)
    with pytest.raises(LevelProblem, match="outside"):
        inside(folder, name, LevelProblem)


def test_names_within_the_folder_are_found_even_through_links(tmp_path):
    folder = tmp_path / "level"
    (folder / "sub").mkdir(parents=True)
    (folder / "in").symlink_to("sub/x.png")
    (tmp_path / "by").symlink_to("level")
    assert inside(tmp_path / "by", "in", LevelProblem) == folder / "sub" / "x.png"
    assert inside(folder, "sub/../with%20space.png", LevelProblem) == folder / "with space.png"
    with pytest.raises(LevelProblem, match="no name"):
        inside(folder, "a%00b", LevelProblem)

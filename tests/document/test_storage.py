import json
import os

import pytest
from kept_work import end_of, leave_work

from wallum.document import autosave, migrations
from wallum.document.look import Look
from wallum.document.paths import put
from wallum.document.project import SCHEMA_VERSION, Project, base_light
from wallum.document.sources import SpotSource
from wallum.document.storage import dump, load, parse, save
from wallum.errors import ProjectProblem


@pytest.fixture
def project():
    return Project(name="Yard", level="yard.glb", sources=(*base_light(), SpotSource(id="s", name="Späti")))


def test_a_project_reads_back_equal(project, tmp_path):
    save(project, tmp_path / "yard.wallum")
    assert load(tmp_path / "yard.wallum") == project


def test_the_file_is_text_with_a_version_and_a_stable_order(project):
    text = dump(project)
    assert text == dump(parse(text))
    assert json.loads(text)["schema_version"] == SCHEMA_VERSION
    assert "Späti" in text


@pytest.mark.parametrize("step", ["open", "write", "fsync", "replace"])
def test_a_save_that_fails_at_any_step_leaves_the_old_file(project, tmp_path, monkeypatch, step):
    file = tmp_path / "yard.wallum"
    save(project, file)
    before = file.read_bytes()

    def fail(*_args, **_kwargs):
        raise OSError(28, "No space left on device")

    if step == "open":
        monkeypatch.setattr("builtins.open", fail)
    elif step == "write":
        real_open = open

        def opened(*args, **kwargs):
            stream = real_open(*args, **kwargs)
            if "r+b" in args:
                stream.write(b'{"schema')  # half of it reaches the disk
                stream.flush()
                stream.close()
            return stream

        monkeypatch.setattr("builtins.open", opened)
    else:
        monkeypatch.setattr(os, step, fail)
    with pytest.raises((ProjectProblem, ValueError)):
        save(put(project, "look/ev100", 3.0), file)
    monkeypatch.undo()
    assert file.read_bytes() == before
    assert [path.name for path in tmp_path.iterdir() if path.name != "state"] == ["yard.wallum"]


def test_a_process_killed_before_the_rename_leaves_the_old_file(project, tmp_path):
    file = tmp_path / "yard.wallum"
    save(project, file)
    child = os.fork()
    if child == 0:
        os.replace = lambda *_: os._exit(9)
        save(put(project, "look/ev100", 3.0), file)
        os._exit(0)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9
    assert load(file) == project


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "not a project"),
        ("[1]", "schema_version"),
        ("{}", "schema_version"),
        ("{", "not a project"),
        ('{"schema_version": 99}', "newer"),
        ('{"schema_version": 0}', "version"),
        ('{"schema_version": true}', "version"),
        ('{"schema_version": 1, "look": {"ev100": NaN}}', "NaN"),
        ('{"schema_version": 1, "colour": 3}', "colour"),
        ('{"schema_version": 1, "sources": [{"kind": "laser"}]}', "sources"),
    ],
)
def test_a_broken_file_is_refused_in_one_sentence(text, said):
    with pytest.raises(ProjectProblem) as caught:
        parse(text, "my.wallum")
    assert "my.wallum" in str(caught.value)
    assert said in str(caught.value)
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("content", [None, b"\xff\xfe\x00bad"])
def test_a_missing_or_binary_file_is_named(tmp_path, content):
    file = tmp_path / "x.wallum"
    if content is not None:
        file.write_bytes(content)
    with pytest.raises(ProjectProblem, match=r"x\.wallum"):
        load(file)


def test_older_versions_are_brought_up_a_step_at_a_time(monkeypatch):
    monkeypatch.setattr(migrations, "SCHEMA_VERSION", 3)
    steps = {1: lambda data: {**data, "one": 1}, 2: lambda data: {**data, "two": data["one"] + 1}}
    done = migrations.migrate({"schema_version": 1}, "old.wallum", steps)
    assert done == {"schema_version": 3, "one": 1, "two": 2}
    with pytest.raises(ProjectProblem, match="no longer"):
        migrations.migrate({"schema_version": 1}, "old.wallum", {2: steps[2]})


def test_unsaved_work_is_found_after_a_crash_and_only_then(project, tmp_path):
    file = tmp_path / "yard.wallum"
    save(project, file)
    assert autosave.recoverable(file) == []
    later = put(project, "look/ev100", 3.0)
    sitting = autosave.RecoveryFile(file)
    sitting.keep(later, edits=3)
    assert autosave.recoverable(file) == []  # whoever made it still works on it
    (result,) = autosave.recoverable(end_of(sitting).file)
    assert (result.project, result.edits, result.file) == (later, 3, file)
    assert "yard.glb" in result.text
    assert "3 edits" in result.text
    save(later, file)
    assert autosave.recoverable(file) == []
    autosave.forget(result)
    assert not sitting.path.exists()


def test_each_sitting_without_a_file_keeps_its_own(project):
    for ev in (1.0, 2.0, 3.0):
        leave_work(put(project, "look/ev100", ev), None)
    recoverable = autosave.recoverable(None)
    assert {item.project.look.ev100 for item in recoverable} == {1.0, 2.0, 3.0}
    autosave.forget(recoverable[0])
    assert len(autosave.recoverable(None)) == 2


def test_a_sitting_lets_go_of_its_own_work_only(project, tmp_path):
    file = tmp_path / "yard.wallum"
    save(project, file)
    path = leave_work(put(project, "look/ev100", 3.0), file)
    mine = autosave.RecoveryFile(file)
    mine.keep(put(project, "look/ev100", 5.0), 1)
    mine.clear()
    assert path.exists()
    assert len(autosave.recoverable(file)) == 1


def test_work_kept_by_an_earlier_version_is_still_found(project, tmp_path):
    file = tmp_path / "yard.wallum"
    save(project, file)
    later = dump(put(project, "look/ev100", 3.0))
    (tmp_path / ".yard.wallum.unsaved").write_text(json.dumps({"file": str(file), "project": later}))
    assert [item.project.look.ev100 for item in autosave.recoverable(file)] == [3.0]


@pytest.mark.parametrize(
    "text", ['{"project": "{"}', "[", "[]", "{}", '{"project": 3}', "[" * 100_000, "\xff"]
)
def test_a_broken_autosave_is_no_work(tmp_path, text):
    file = tmp_path / "yard.wallum"
    autosave.RecoveryFile(file).path.write_text(text)
    assert autosave.recoverable(file) == []


def test_a_project_named_as_long_as_the_system_allows_is_saved_and_kept(project, tmp_path):
    file = tmp_path / ("ö" * 124 + ".wallum")
    assert len(os.fsencode(file.name)) == 255
    save(project, file)
    leave_work(put(project, "look/ev100", 3.0), file)
    assert load(file) == project
    assert len(autosave.recoverable(file)) == 1


def test_older_projects_meter_night_as_bright_as_they_did():
    old = {
        "schema_version": 13,
        "name": "P",
        "variants": [{"id": "v", "name": "V", "look": {"exposed": "metered"}}],
    }
    project = Project.model_validate(migrations.migrate(old, "old.wallum"))
    assert {project.look.darker, project.variants[0].look.darker} == {(0.0,) * 5}
    assert project.variants[0].look.exposed == "metered"
    assert Look().darker[0] == pytest.approx(4.29, abs=0.02)

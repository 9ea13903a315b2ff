"""A day as a film: as many pictures as asked, whole or not at all."""

import json

import av
import numpy as np
import pytest
from commands import run
from PIL import Image

from wallum.cli.main import main
from wallum.document.lanes import PegTime
from wallum.document.pegging import pegged
from wallum.document.storage import save
from wallum.errors import ExportProblem
from wallum.exchange.film import film_writer
from wallum.level.opening import open_project

GREY = np.full((36, 64, 3), 120, np.uint8)


def length(path):
    with av.open(str(path)) as film:
        return sum(1 for _ in film.decode(video=0))


def test_a_video_holds_its_pictures(tmp_path):
    out = tmp_path / "day.mp4"
    with film_writer(out, (64, 36), 12) as writer:
        for level in (20, 120, 220):
            writer.add(np.full_like(GREY, level))
    with av.open(str(out)) as film:
        assert float(film.streams.video[0].average_rate) == 12.0
        shown = [frame.to_ndarray(format="rgb24").mean() for frame in film.decode(video=0)]
    assert shown == pytest.approx([20, 120, 220], abs=4)
    assert [path.name for path in tmp_path.iterdir()] == ["day.mp4"]


def test_a_film_that_is_broken_off_leaves_what_was_there(tmp_path):
    out = tmp_path / "day.mkv"
    out.write_text("yesterday's")
    with pytest.raises(KeyboardInterrupt), film_writer(out, (64, 36), 24) as writer:
        writer.add(GREY)
        raise KeyboardInterrupt
    assert out.read_text() == "yesterday's"
    assert [path.name for path in tmp_path.iterdir()] == ["day.mkv"]


@pytest.mark.parametrize(
    ("name", "size", "word"),
    [("a.gif", (64, 36), ".gif"), ("a.mp4", (63, 36), "even"), ("no/a.mp4", (64, 36), "no such folder")],
)
def test_what_cannot_be_filmed_is_told(tmp_path, name, size, word):
    with pytest.raises(ExportProblem, match=word):
        film_writer(tmp_path / name, size, 24)


def test_the_command_films_a_part_of_the_day_around_midnight(tmp_path, capsys):
    out = tmp_path / "night"
    arguments = (
        "film",
        "demo:pale-room",
        "--from",
        "22:00",
        "--to",
        "02:00",
        "--seconds",
        "0.5",
        "--fps",
        "8",
    )
    assert main([*arguments, "--size", "64x36", "--out", str(out), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["pictures"] == 4
    assert sorted(path.name for path in out.iterdir()) == [f"{i:05d}.png" for i in range(4)]
    with Image.open(out / "00000.png") as first:
        assert first.size == (64, 36)
    video = tmp_path / "night.mp4"
    assert main([*arguments, "--size", "64x36", "--out", str(video)]) == 0
    assert length(video) == 4


def test_in_a_film_the_exposure_comes_after_the_light_in_the_levels_time(tmp_path, capsys):
    """Within a minute the picture shall be six stops brighter: at a twentieth of a stop a second, eight pictures
    of two minutes come after by 0.75 each; those of three hours are there at once."""
    project, _ = open_project("demo:pale-room")
    look = project.look.revised(exposed="metered", speed_up=0.05, speed_down=0.05)
    project = project.revised(look=look)
    for hours, value in ((12.0, 0.0), (12.0 + 1.0 / 60.0, 6.0), (15.0, 6.0)):
        project = pegged(project, "look/compensation", PegTime(hours=hours), value)
    save(project, tmp_path / "noon.wallum")
    steps = {}
    for end in ("12:02", "15:00"):
        asked = ("--from", "12:00", "--to", end, "--seconds", "1", "--fps", "8", "--size", "64x36")
        built = ["film", str(tmp_path / "noon.wallum"), *asked, "--out", str(tmp_path / end[:2]), "--json"]
        assert main(built) == 0
        steps[end] = np.diff(json.loads(capsys.readouterr().out)["ev100"])
    assert steps["12:02"][1:] == pytest.approx(np.full(6, -0.05 * 15.0), abs=5e-3)
    assert steps["15:00"].sum() < -5.0


def test_grain_moves_in_a_film_and_stands_in_stills(tmp_path, capsys):
    room, _ = open_project("demo:pale-room")
    project = tmp_path / "room.wallum"
    save(room.revised(look=room.look.revised(grain=6400.0)), project)
    folder = tmp_path / "film"
    words = ("--size", "64x36", "--seconds", "0.2", "--fps", "10", "--from", "12:00", "--to", "12:01")
    assert run(capsys, "film", project, *words, "--out", folder)[0] == 0
    a, b = (np.asarray(Image.open(path)).astype(int) for path in sorted(folder.glob("*.png"))[:2])
    assert np.abs(a - b).mean() > 0.5
    stills = [tmp_path / "a.png", tmp_path / "b.png"]
    for still in stills:
        assert (
            run(capsys, "render", project, "--shot", "long-side", "--size", "64x36", "--out", still)[0] == 0
        )
    assert stills[0].read_bytes() == stills[1].read_bytes()

"""A day as a film: as many pictures as asked, whole or not at all."""

import json

import av
import numpy as np
import pytest
from PIL import Image

from wallum.cli.main import main
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
    assert [one.name for one in tmp_path.iterdir()] == ["day.mp4"]


def test_a_film_that_is_broken_off_leaves_what_was_there(tmp_path):
    out = tmp_path / "day.mkv"
    out.write_text("yesterday's")
    with pytest.raises(KeyboardInterrupt), film_writer(out, (64, 36), 24) as writer:
        writer.add(GREY)
        raise KeyboardInterrupt
    assert out.read_text() == "yesterday's"
    assert [one.name for one in tmp_path.iterdir()] == ["day.mkv"]


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
    assert sorted(one.name for one in out.iterdir()) == [f"{i:05d}.png" for i in range(4)]
    with Image.open(out / "00000.png") as first:
        assert first.size == (64, 36)
    video = tmp_path / "night.mp4"
    assert main([*arguments, "--size", "64x36", "--out", str(video)]) == 0
    assert length(video) == 4


def test_in_a_film_the_exposure_comes_after_the_light_at_the_eyes_pace(tmp_path, capsys):
    """Through a sunrise in one second the light rises by many stops; the picture by as many as it may."""
    project, _ = open_project("demo:jar-yard")
    look = project.look.revised(exposed="metered", speed_up=2.0, speed_down=1.0)
    save(project.revised(look=look), tmp_path / "dawn.wallum")
    asked = ("--from", "05:00", "--to", "08:00", "--seconds", "1", "--fps", "8", "--size", "64x36")
    made = ["film", str(tmp_path / "dawn.wallum"), *asked, "--out", str(tmp_path / "dawn"), "--json"]
    assert main(made) == 0
    steps = np.diff(json.loads(capsys.readouterr().out)["ev100"])
    assert steps.max() == pytest.approx(2.0 / 8.0, abs=2e-3)
    assert steps.min() >= -1.0 / 8.0 - 2e-3

"""A sky from a picture: its file, its sun, and bringing the two suns together."""

import numpy as np
import pytest
from panorama_maker import panorama, write_panorama
from PIL import Image

from wallum.document.paths import put
from wallum.document.project import Project, Setting, base_light
from wallum.document.storage import load, save
from wallum.errors import LevelProblem, ValueProblem
from wallum.exchange.pictures import write_exr
from wallum.level.importers.images.panorama_file import PNG_WHITE_CD_M2, read_panorama
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.moment.picture_sun import picture_sun, picture_to_sun, sun_apart, sun_to_picture
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_illuminance

DESERT = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12", clock=10.0)


def project_of(file, **sky):
    sun, moon, own = base_light()
    sky = own.revised(model="picture dome", picture=str(file), **sky)
    return Project(setting=DESERT, sources=(sun, moon, sky))


def with_values(project, values):
    for path, value in values.items():
        project = put(project, path, value)
    return project


def runs(pixels):
    """The same picture with scan lines in runs, as most programs write it."""
    height, width = pixels.shape[:2]
    out = bytearray(f"#?RADIANCE\n\n-Y {height} +X {width}\n".encode())
    for row in pixels:
        out += bytes((2, 2, width >> 8, width & 255))
        for channel in range(4):
            values = row[:, channel]
            at = 0
            while at < width:
                same = 1
                while at + same < width and same < 127 and values[at + same] == values[at]:
                    same += 1
                out += bytes((128 + same, values[at])) if same > 2 else bytes((1, values[at]))
                at += same if same > 2 else 1
    return bytes(out)


def test_a_radiance_picture_is_read_plain_and_in_runs(tmp_path):
    plain = write_panorama(tmp_path / "plain.hdr")
    there = read_panorama(plain)
    assert there == pytest.approx(panorama(), rel=0.02, abs=2.0)
    raw = plain.read_bytes()
    rgbe = np.frombuffer(raw[raw.rindex(b"+X 256\n") + 7 :], np.uint8).reshape(128, 256, 4)
    (tmp_path / "runs.hdr").write_bytes(runs(rgbe))
    assert (read_panorama(tmp_path / "runs.hdr") == there).all()


def test_exr_and_png_are_read_too(tmp_path):
    write_exr(tmp_path / "a.exr", panorama().astype(np.float32))
    assert read_panorama(tmp_path / "a.exr") == pytest.approx(panorama(), rel=1e-5)
    Image.new("RGB", (64, 32), (255, 255, 255)).save(tmp_path / "a.png")
    assert read_panorama(tmp_path / "a.png") == pytest.approx(np.full((32, 64, 3), PNG_WHITE_CD_M2))


@pytest.mark.parametrize(
    ("name", "data", "word"),
    [
        ("none.hdr", None, "not there"),
        ("text.hdr", b"hello", "no Radiance"),
        ("cut.hdr", b"#?RADIANCE\n\n-Y 128 +X 256\n\x02\x02\x01\x00", "cut short"),
        ("side.hdr", b"#?RADIANCE\n\n+X 128 -Y 256\n", "on its side"),
        ("a.exr", b"nonsense", "no OpenEXR"),
        ("a.tiff", b"II", "cannot be read from .tiff"),
    ],
)
def test_what_is_no_panorama_is_refused_in_a_sentence(tmp_path, name, data, word):
    if data is not None:
        (tmp_path / name).write_bytes(data)
    with pytest.raises(LevelProblem, match=word):
        read_panorama(tmp_path / name)


def test_a_square_picture_is_no_panorama(tmp_path):
    Image.new("RGB", (64, 64)).save(tmp_path / "square.png")
    with pytest.raises(LevelProblem, match="twice as wide"):
        read_panorama(tmp_path / "square.png")


def test_a_sky_whose_picture_is_gone_is_plain_and_stops_nothing(tmp_path):
    scene = evaluate(project_of(tmp_path / "gone.hdr"))
    assert float(luminance(dome_illuminance(scene.sky.luminance))) > 0.0


def test_the_sun_of_the_picture_is_found_as_it_stands_over_the_level(tmp_path):
    file = write_panorama(tmp_path / "sky.hdr")
    result = picture_sun(project_of(file, rotation=30.0).source("sky"))
    assert result.azimuth == pytest.approx(160.0, abs=1.0)
    assert result.elevation == pytest.approx(40.0, abs=1.0)
    brighter = picture_sun(project_of(file, picture_stops=1.0).source("sky"))
    assert brighter.energy[0] == pytest.approx(2.0 * result.energy[0])


@pytest.mark.parametrize("horizon", [0.0, 8.0])
def test_the_sun_set_to_the_picture_stands_with_it_and_counts_once(tmp_path, horizon):
    project = project_of(write_panorama(tmp_path / "sky.hdr"), rotation=-25.0, horizon_height=horizon)
    before = evaluate(project)
    sky_with_sun = float(luminance(dome_illuminance(before.sky.luminance)))
    project = with_values(project, sun_to_picture(project))
    after = evaluate(project)
    assert sun_apart(project, Moment(10.0)) < 0.1
    by_sky = float(luminance(dome_illuminance(after.sky.luminance)))
    by_sun = float(luminance(after.sun.illuminance)) * after.sun.direction[1]
    # What the disc gave as a part of the sky, the sun gives now.
    assert by_sky < 0.4 * sky_with_sun
    assert by_sky + by_sun == pytest.approx(sky_with_sun, rel=0.25)


def test_the_picture_is_turned_under_the_sun(tmp_path):
    project = project_of(write_panorama(tmp_path / "sky.hdr"))
    turned = with_values(project, picture_to_sun(project, Moment(10.0)))
    sun = evaluate(turned, Moment(10.0)).sun.direction
    result = picture_sun(turned.source("sky"))
    assert np.degrees(np.arctan2(sun[0], -sun[2])) % 360.0 == pytest.approx(result.azimuth, abs=0.5)


def test_without_a_picture_or_a_sun_in_it_one_is_told(tmp_path):
    with pytest.raises(ValueProblem, match="no picture"):
        sun_to_picture(Project(sources=base_light()))
    grey = write_panorama(tmp_path / "grey.hdr", np.full((64, 128, 3), 900.0))
    with pytest.raises(LevelProblem, match="no sun"):
        sun_to_picture(project_of(grey))
    assert sun_apart(project_of(grey), Moment(10.0)) is None


def test_a_picture_is_named_beside_its_project_and_moves_with_it(tmp_path):
    here = tmp_path / "here"
    here.mkdir()
    file = write_panorama(here / "sky.hdr")
    save(project_of(file), here / "a.wallum")
    assert '"sky.hdr"' in (here / "a.wallum").read_text()
    here.rename(tmp_path / "there")
    selected = load(tmp_path / "there" / "a.wallum")
    assert selected.source("sky").picture == str(tmp_path / "there" / "sky.hdr")
    assert evaluate(selected).sky.picture is not None

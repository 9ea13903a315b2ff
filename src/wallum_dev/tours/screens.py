"""The screens of docs/screenshots/, made from the demo data."""

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from PyQt6.QtCore import QPointF

from wallum.checkout import ROOT
from wallum.desk.shell.app import screen_of_its_own
from wallum.desk.shell.window import DeskWindow
from wallum.document.project import Project
from wallum.exchange.gltf_export import export_gltf
from wallum.level.demos.jar_yard import jar_yard
from wallum_dev.tours.tour import DEMO, open_desk, shoot, wait_for, wait_settled, wait_whole

__all__ = ["refresh_screenshots"]

# How far a bake is when it is shown.
PART_BAKED = 0.17


def _settled(window: DeskWindow, path: Path) -> str:
    wait_whole(window)
    return shoot(window, path)


def _works(folder: Path) -> Iterator[str]:
    with open_desk(DEMO) as window:
        wait_for(lambda: window.link.client.light_number > 0, "the probes")
        window.shot_navigation.look_through("shot-kiln")
        yield _settled(window, folder / "desk-kiln.png")
        window.session.selection.select("mouth-1")
        window.shot_navigation.look_through("shot-yard")
        window.session.playhead.set_hour(18.15)
        yield _settled(window, folder / "desk-dusk.png")
        window.session.playhead.set_hour(21.5)
        window.tune.show_group("look")
        yield _settled(window, folder / "desk-night.png")
        window.session.selection.select("sun")
        window.session.playhead.set_hour(9.0)
        yield _settled(window, folder / "desk-day.png")
        yield from _looks(window, folder)
        window.session.playhead.set_hour(12.5)
        window.shot_navigation.look_through("shot-vault")
        window.tune.show_group("target")
        yield _settled(window, folder / "desk-vault.png")
        window.views.setCurrentText("probes")
        window.session.playhead.set_hour(10.0)
        window.shot_navigation.look_through("shot-shed")
        yield _settled(window, folder / "desk-probes.png")
        window.views.setCurrentText("final")
        window.session.playhead.set_hour(17.0 + 1.0 / 6.0)
        window.act["wall"].trigger()
        wait_for(lambda: window.wall.complete, "the wall of shots")
        yield _settled(window, folder / "desk-wall-of-shots.png")
        window.act["wall"].trigger()
        yield from _compared(window, folder)


def _looks(window: DeskWindow, folder: Path) -> Iterator[str]:
    """The look with its curve and scopes at dusk, the night with and without, a zone in the shed."""
    window.session.selection.select("")
    window.tune.show_group("look")
    window.session.playhead.set_hour(17.0 + 2.0 / 3.0)
    window.act["scopes"].trigger()
    wait_for(lambda: bool(window.look.reader.latest and window.look.reader.latest.images), "the scopes")
    yield _settled(window, folder / "desk-look.png")
    window.act["scopes"].trigger()
    window.session.playhead.set_hour(21.5)
    window.act["wipe_look"].trigger()
    window.ask_picture()
    wait_for(lambda: window.wipe.fits, "the picture without its look")
    yield _settled(window, folder / "desk-wipe.png")
    window.act["wipe_look"].trigger()
    window.shot_navigation.look_through("shot-shed")
    window.session.playhead.set_hour(10.0)
    wide, high = window.picture.width(), window.picture.height()
    window.pointer.put_zone(QPointF(0.5 * wide, 0.72 * high))
    zone = window.session.selection.source
    assert zone is not None
    own = {"name": "Wheel", "exposure": 0.7, "size": (5.0, 3.0, 5.0), "with_grade": True, "contrast": 1.15}
    window.session.set_values("the wheel's own look", zone.id, own)
    window.views.setCurrentText("zones")
    yield _settled(window, folder / "desk-zones.png")
    window.views.setCurrentText("final")
    window.session.undo()
    window.session.undo()


def _days(folder: Path) -> Iterator[str]:
    """The Day bench, its shot by hours, the air by morning and in the shed."""
    with open_desk(DEMO) as window:
        wait_for(lambda: window.link.client.light_number > 0, "the probes")
        session = window.session
        window.bench.show_bench("Day")
        session.selection.select("sky")
        session.set_all("cloud", {"sources/sky/deck": 0.42, "sources/sky/cloud": 0.25})
        window.shot_navigation.look_through("shot-kiln")
        session.playhead.set_hour(15.5)
        yield _settled(window, folder / "desk-day-bench.png")
        session.set_value("no deck", "sources/sky/deck", 0.0)
        window.shot_navigation.look_through("shot-yard")
        window.bench.hours.open(("shot-yard",))
        wait_for(lambda: window.bench.hours.complete, "the shot by hours")
        yield _settled(window, folder / "desk-by-hours.png")
        window.bench.hours.hide()
        window.bench.show_bench("Compose")
        session.selection.select("")
        window.shot_navigation.look_through("shot-terrace")
        session.playhead.set_hour(6.0 + 2.0 / 3.0)
        window.tune.show_group("mist")
        yield _settled(window, folder / "desk-air.png")
        window.shot_navigation.look_through("shot-shed")
        session.playhead.set_hour(10.0)
        session.selection.select("clay-dust")
        yield _settled(window, folder / "desk-shed-dust.png")
        yield _three_ways(window, folder)


def _three_ways(window: DeskWindow, folder: Path) -> str:
    """The sun's shafts in the shed, as the air, the screen and a card show them."""
    window.session.playhead.set_hour(9.0)
    window.session.selection.select("sun")
    directions = window.comparison.ways
    directions.begin(QPointF(0.7 * window.picture.width(), 0.6 * window.picture.height()))
    window.ask_picture()
    wait_for(
        lambda: len(directions.images) == 3 and directions.found["true"].off is not None, "the three ways"
    )
    wait_settled(window)
    path = shoot(window, folder / "desk-three-ways.png")
    directions.end()
    return path


def _compared(window: DeskWindow, folder: Path) -> Iterator[str]:
    window.shot_navigation.look_through("shot-yard")
    window.variants.keep("Low sun")
    window.session.playhead.set_hour(17.6)
    window.session.set_value("fire up", "balance/accents", 2.0)
    window.act["strip"].trigger()
    yield shoot(window, folder / "desk-what-lights-it.png")
    window.sheet.close_sheet()
    yield _baking(window, folder)


def _baking(window: DeskWindow, folder: Path) -> str:
    """Light of the morning in the shed, while it is baked."""
    window.session.undo()
    window.shot_navigation.look_through("shot-shed")
    window.session.playhead.set_hour(10.0)
    wait_settled(window)
    window.act["bake"].trigger()
    wait_for(lambda: (window.baking.share or 0.0) > PART_BAKED, "a part of a bake")
    path = shoot(window, folder / "desk-baking.png")
    window.baking.cancel()
    wait_for(lambda: window.baking.share is None, "the end of the bake")
    return path


def _cistern(folder: Path) -> Iterator[str]:
    """Water that mirrors its vaults, and a room of one's own put about a column."""
    with open_desk("demo:cistern") as window:
        window.shot_navigation.look_through("shot-ledge")
        window.session.playhead.set_hour(12.0)
        wide, high = window.picture.width(), window.picture.height()
        window.pointer.put_room(QPointF(wide * 0.45, high * 0.62))
        room = window.session.selection.source
        assert room is not None
        window.session.set_values("light", room.id, {"ambient": 60.0, "size": (5.0, 3.0, 5.0)})
        yield _settled(window, folder / "desk-cistern.png")


def _level_of_ones_own(folder: Path) -> Iterator[str]:
    """A bare level file as it opens by day, a figure in it and a spot put in the shade."""
    with TemporaryDirectory() as temporary:
        level = Path(temporary) / "potters-yard.glb"
        yard = jar_yard()
        export_gltf(Project(name="Potter's yard", shots=yard.shots), yard, level)
        with open_desk(str(level)) as window:
            wide, high = window.picture.width(), window.picture.height()
            window.pointer.put_at("spot", QPointF(wide * 0.62, high * 0.72))
            window.pointer.stand_figure(QPointF(wide * 0.42, high * 0.82))
            wait_for(lambda: window.session.level.dress.figure is not None, "the figure")  # type: ignore[union-attr]
            yield _settled(window, folder / "desk-level-of-ones-own.png")


def refresh_screenshots() -> Iterator[str]:
    """Write docs/screenshots/ anew; yields each path."""
    folder = ROOT / "docs" / "screenshots"
    with screen_of_its_own():
        yield from _works(folder)
        yield from _days(folder)
        yield from _cistern(folder)
        yield from _level_of_ones_own(folder)

"""The demo with no display: the same desk, driven through a tour that writes pictures and a report."""

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Final

import numpy as np
from PIL import Image
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from wallum.checkout import ROOT
from wallum.desk.shell.app import has_display, run_desk, screen_of_its_own
from wallum.desk.shell.window import DeskWindow
from wallum.document.targets import STAND_INS
from wallum.exchange.report import CostedShot, write_report
from wallum.frame.pass_work import PassWork
from wallum.image.develop import develop
from wallum.judge.checks import CheckSubject, check
from wallum.judge.cost import frame_cost
from wallum.judge.device import load_profile
from wallum.judge.work import count_work
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment, own_moment
from wallum.moment.picture_scene import picture_scene
from wallum.moment.resolved_look import ResolvedLook
from wallum.realtime.process.offline import relit, render_picture, renderer_for
from wallum.transport.direct.contributions import LAYER_SIZE
from wallum.transport.field.field_cache import kept_bounce
from wallum.transport.scene.surfaces import seen_surfaces
from wallum_dev.tours.tour import DEMO, open_desk, scrub, shoot, wait_for, wait_whole

__all__ = ["run_demo", "write_tour"]

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CLOCKS: Final = ("9:00", "12:30", "17:10", "21:30")
# Pictures of the proof: shot and hour.
PROOFS: Final = (
    ("shot-kiln", "17:10"),
    ("shot-yard", "9:00"),
    ("shot-yard", "17:40"),
    ("shot-vault", "12:30"),
    ("shot-yard", "21:30"),
)
# That is also shown without its look.
COMPARED: Final = "shot-yard"
REST_PICTURES: Final = 24


def hour_of(clock: str) -> float:
    """Hours of H:MM."""
    hours, minutes = clock.split(":")
    return int(hours) + int(minutes) / 60.0


def _drag(widget: object, start: QPointF, end: QPointF, steps: int = 10) -> None:
    QTest.mousePress(widget, LEFT, PLAIN, start.toPoint())  # type: ignore[call-overload]
    for step in range(1, steps + 1):
        at = start + (end - start) * (step / steps)
        QTest.mouseMove(widget, at.toPoint())  # type: ignore[call-overload]
        QApplication.processEvents()
    QTest.mouseRelease(widget, LEFT, PLAIN, end.toPoint())  # type: ignore[call-overload]


def _settled_shot(window: DeskWindow, path: Path) -> str:
    wait_whole(window, REST_PICTURES)
    return shoot(window, path)


def _trim_a_strip(window: DeskWindow) -> None:
    strip = window.balance.strip_of("group accents")
    x = window.balance.centre_of(strip)
    low, high = window.balance.y_of(0.0), window.balance.y_of(1.5)
    _drag(window.balance, QPointF(x, low), QPointF(x, high))


def _put_and_aim(window: DeskWindow) -> None:
    wide, high = window.picture.width(), window.picture.height()
    window.pointer.put_at("spot", QPointF(wide * 0.70, high * 0.80))
    window.tools.aim(QPointF(wide * 0.56, high * 0.62))


def _pull_the_sun(window: DeskWindow) -> None:
    """Take the shadow of a stick by the sun, and pull it aside."""
    window.session.selection.select("sun")
    window.act["pull"].trigger()
    wide, high = window.picture.width(), window.picture.height()
    for x, y in ((0.50, 0.86), (0.62, 0.80), (0.45, 0.78), (0.70, 0.92)):
        window.shadow.take(QPointF(wide * x, high * y))
        end = window.shadow.shadow_end() if window.shadow.stick is not None else None
        place = window.picture.place_of(end) if end is not None else None
        if place is not None:
            _drag(window.picture, place, place + QPointF(-wide * 0.05, -high * 0.03))
            break
    window.act["pull"].trigger()


def _steps(window: DeskWindow, folder: Path) -> Iterator[str]:
    wait_for(lambda: window.link.client.light_number > 0, "the probes")
    yield _settled_shot(window, folder / "1-opened.png")
    window.variants.keep("As it opened")
    window.shot_navigation.look_through("shot-yard")
    scrub(window, 18.15)
    yield _settled_shot(window, folder / "2-scrubbed-to-dusk.png")
    _trim_a_strip(window)
    yield _settled_shot(window, folder / "3-strip-trimmed.png")
    _put_and_aim(window)
    yield _settled_shot(window, folder / "4-lamp-put-and-aimed.png")
    window.act["undo"].trigger()
    scrub(window, 9.5)
    _pull_the_sun(window)
    yield _settled_shot(window, folder / "5-suns-shadow-pulled.png")
    window.tools.meter(QPointF(window.picture.width() * 0.6, window.picture.height() * 0.75))
    window.act["wipe"].trigger()
    window.ask_picture()
    wait_for(lambda: window.wipe.fits, "the variant's picture")
    yield _settled_shot(window, folder / "6-metered-and-wiped.png")
    window.act["wipe"].trigger()
    while window.session.history.undo_label not in ("", "keep variant As it opened"):
        window.act["undo"].trigger()
    window.act["wall"].trigger()
    wait_for(lambda: window.wall.complete, "the wall of shots")
    yield _settled_shot(window, folder / "7-wall-of-shots.png")
    window.act["wall"].trigger()
    with TemporaryDirectory() as temporary:
        window.save_to(Path(temporary) / "tour.wallum")
        (folder / "tour.wallum").write_bytes((Path(temporary) / "tour.wallum").read_bytes())
    yield str(folder / "tour.wallum")


def _proof_pictures(window: DeskWindow, folder: Path) -> Iterator[tuple[str, str, np.ndarray]]:
    """Pictures drawn without the window: path, caption, pixels."""
    loaded, project = window.session.level, window.session.history.present
    assert loaded is not None
    renderer = renderer_for(project, loaded.level)
    bounce = kept_bounce(loaded.lasting, loaded.level, None, project)
    for shot_id, clock in PROOFS:
        shot = next(item for item in project.shots if item.id == shot_id)
        camera = Camera.of_shot(shot, 1.6, far_for(loaded.level.bounds))
        at = project.revised(setting=project.setting.revised(clock=hour_of(clock)))
        if bounce is not None:
            relit(renderer, bounce, picture_scene(at, own_moment(at), camera, (960, 600)))
        picture = render_picture(at, loaded.level, camera, (960, 600), renderer=renderer)
        path = folder / f"picture-{shot_id.removeprefix('shot-')}-{clock.replace(':', '')}.png"
        Image.fromarray(picture.rgb).save(path)
        if shot_id == COMPARED:
            plain = folder / f"{path.stem}-without-its-look.png"
            Image.fromarray(develop(picture.luminance, ResolvedLook(picture.ev100))).save(plain)
        small = np.asarray(Image.fromarray(picture.rgb).resize((480, 300), Image.Resampling.LANCZOS))
        yield str(path), f"{shot.name}, {clock}", small


def _costed(window: DeskWindow) -> Iterator[CostedShot]:
    loaded, project = window.session.level, window.session.history.present
    assert loaded is not None
    for target in STAND_INS:
        profile = load_profile(target.profile)
        for shot in project.shots:
            camera = Camera.of_shot(shot, target.aspect, far_for(loaded.level.bounds))
            seen = seen_surfaces(loaded.rays, loaded.level, camera, LAYER_SIZE)
            for clock in CLOCKS:
                scene = evaluate(project, Moment(hour_of(clock)))
                size = target.width, target.height
                work = count_work(PassWork(loaded.boxes, scene, seen, camera, size, edges=target.edges))
                yield CostedShot(shot.name, clock, target, profile, frame_cost(work, target, profile))


def write_tour(folder: Path = ROOT / "out" / "demo") -> Iterator[str]:
    """Drive the desk through its tour; yields each file that is written."""
    folder.mkdir(parents=True, exist_ok=True)
    with screen_of_its_own(), open_desk(DEMO) as window:
        yield from _steps(window, folder)
        pictures = []
        for path, caption, pixels in _proof_pictures(window, folder):
            pictures.append((caption, pixels))
            yield path
        loaded, project = window.session.level, window.session.history.present
        assert loaded is not None
        profile = load_profile(project.target.profile)
        findings = check(CheckSubject(project, loaded.level, loaded.rays, loaded.boxes, profile))
        report = folder / "budget.html"
        write_report(report, project, list(_costed(window)), findings, pictures)
        yield str(report)


def run_demo() -> int:
    """The desk with the demo; with no display the same desk, driven through the tour."""
    if has_display():
        return run_desk(DEMO)
    for path in write_tour():
        print(path)
    return 0

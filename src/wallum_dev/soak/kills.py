"""Processes killed at any moment: of what was said to be kept, nothing is lost; a renderer comes back."""

import os
import random
import select
import signal
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from wallum.document.autosave import RecoveryFile, recoverable
from wallum.document.paths import put
from wallum.document.project import Project
from wallum.document.storage import load, save
from wallum.errors import WallumError
from wallum.figures import percentile
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.client import RendererClient
from wallum.realtime.process.memory import store_value
from wallum.realtime.process.request import PictureRequest

__all__ = ["KillsMet", "kill_renderers", "kill_savers"]

LONGEST_S: Final = 0.04
PICTURE: Final = (480, 270)
CAMERA: Final = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)


@dataclass
class KillsMet:
    """What came of killing."""

    kills: int = 0
    lost: list[str] = field(default_factory=list)
    back_s: list[float] = field(default_factory=list)

    @property
    def median_back_s(self) -> float:
        """Time from a kill to the picture, at the median [s]."""
        return percentile(self.back_s, 0.5) if self.back_s else 0.0


def _numbered(project: Project, number: int) -> Project:
    """A project that tells its number."""
    return put(project, "setting/day_length", 2.0 + number)


def _number(project: Project) -> int:
    return round(project.setting.day_length - 2.0)


def _work(folder: Path, seed: int) -> None:
    """Save and keep numbered projects without end, and say of each that it is kept."""
    rng, base = random.Random(seed), pale_room_project()
    file = folder / "work.wallum"
    sitting, number = RecoveryFile(file), _number(load(file)) if file.exists() else 0
    while True:
        number += 1
        project = _numbered(base, number % 80_000)
        if rng.random() < 0.5:
            save(project, file)
            print("saved", number, flush=True)
        else:
            sitting.keep(project, number)
            print("kept", number, flush=True)


def _look(folder: Path, told: dict[str, int], met: KillsMet) -> None:
    """See whether what was said to be kept is there, or something newer."""
    file = folder / "work.wallum"
    try:
        saved = _number(load(file)) if file.exists() else 0
        if saved < told.get("saved", 0):
            met.lost.append(f"saved {told['saved']}, found {saved}")
        result = max((item.edits for item in recoverable(file)), default=0)
        if max(result, saved) < told.get("kept", 0):
            met.lost.append(f"kept {told['kept']}, found {result}")
    except WallumError as error:
        met.lost.append(str(error))
    for path in folder.glob(".work.wallum.*.unsaved"):
        path.unlink()


def kill_savers(folder: Path, kills: int, seed: int) -> KillsMet:
    """Kill a process that saves and keeps, at random moments."""
    rng, met = random.Random(seed), KillsMet()
    folder.mkdir(parents=True, exist_ok=True)
    while met.kills < kills:
        read_end, write_end = os.pipe()
        # A fork, as starting an interpreter takes far longer than a save.
        work_seed = rng.randrange(1 << 30)
        child = os.fork()
        if child == 0:
            os.close(read_end)
            os.dup2(write_end, 1)
            sys.stdout = os.fdopen(1, "w", closefd=False)
            try:
                _work(folder, work_seed)
            finally:
                os._exit(1)
        os.close(write_end)
        time.sleep(rng.random() * LONGEST_S)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        with os.fdopen(read_end, "rb") as stream:
            lines = stream.read().decode().splitlines(keepends=True)
        messages = {line.split()[0]: int(line.split()[1]) for line in lines if line.endswith("\n")}
        _look(folder, messages, met)
        met.kills += 1
    left = [path.name for path in folder.iterdir() if ".part" in path.name]
    save(pale_room_project(), folder / "work.wallum")
    still = [path.name for path in folder.iterdir() if ".part" in path.name]
    if still:
        met.lost.append(f"parts left behind though a write followed: {still} of {left}")
    return met


def kill_renderers(kills: int) -> KillsMet:
    """Kill the renderer, and wait for the picture that was there."""
    met = KillsMet()
    client = RendererClient()
    client.start()
    try:
        client.set_level(store_value(bundle_level(pale_room())))
        client.request(PictureRequest(0, evaluate(pale_room_project()), CAMERA, PICTURE))
        _picture(client)
        while met.kills < kills:
            pid = client.pid
            began = time.monotonic()
            if pid:
                os.kill(pid, signal.SIGKILL)
            met.kills += 1
            if not _picture(client):
                met.lost.append(f"no picture after kill {met.kills}")
                break
            met.back_s.append(time.monotonic() - began)
            client.forgive()
    finally:
        client.stop()
    return met


def _picture(client: RendererClient, seconds: float = 60.0) -> bool:
    """Wait for a picture; False where none came."""
    end = time.monotonic() + seconds
    while time.monotonic() < end and client.running:
        select.select([client.fileno()], [], [], 0.2)
        for message in client.receive():
            if message[0] == "frame":
                client.release(message[1])
                return True
    return False

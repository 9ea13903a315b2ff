"""Tools on the picture that work back from the result: aim, kick, align, meter."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from wallum.desk.session.session import Session
from wallum.desk.viewport.shadow_tool import changes_between
from wallum.desk.viewport.view import PictureView
from wallum.document.quantities import format_quantity
from wallum.document.sources import Coloured, FarLight, Lamp
from wallum.errors import WallumError
from wallum.moment.aiming import aimed_at, aligned, for_reading, kicked
from wallum.moment.evaluate import evaluate
from wallum.moment.scene import GLOW_ID, OF, LitScene
from wallum.physics.colour import luminance
from wallum.physics.exposure import ev_for_luminance
from wallum.transport.direct.meter import MeterReading, direct_illuminance
from wallum.transport.field.bounce import BounceField
from wallum.transport.paths.through import contrast_kept

__all__ = ["PictureTools"]

Point = NDArray[np.float64]
METER_SAMPLES = 64


class PictureTools(QObject):
    """Each tool is one step of undo; what it cannot do, it says."""

    read = pyqtSignal(object, object)  # a Reading and where it was read

    def __init__(self, session: Session, picture: PictureView) -> None:
        super().__init__()
        self._session, self._picture = session, picture
        self._metered: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
        # Light from surfaces, as far as it is known.
        self.bounce: Callable[[], BounceField | None] = lambda: None

    # -- aim and kick ------------------------------------------------------------------

    def aim(self, at: QPointF) -> None:
        """Turn the selected spot toward what is under a place of the picture."""
        lamp, result = self._session.now.source(self._session.selection.lead), self._picture.surface_at(at)
        if not isinstance(lamp, Lamp) or lamp.axis is None:
            self._session.told.emit("Select a lamp that can be aimed; its pool then goes where you point")
        elif result is None:
            self._session.told.emit("There is no surface there to aim at")
        else:
            self._change(f"aim {lamp.name}", lamp, lambda: aimed_at(lamp, result[0]))

    def kick(self, at: QPointF) -> None:
        """Move the selected lamp so that its highlight sits under a place of the picture."""
        lamp, result = self._session.now.source(self._session.selection.lead), self._picture.surface_at(at)
        if not isinstance(lamp, Lamp):
            self._session.told.emit("Select a lamp first; its highlight then sits where you point")
        elif result is None:
            self._session.told.emit("There is no surface there for a highlight")
        else:
            eye = np.array(self._picture.camera.eye)
            self._change(f"kick with {lamp.name}", lamp, lambda: kicked(lamp, result[0], result[1], eye))

    def _change(self, label: str, before: Coloured, make: Callable[[], Coloured]) -> None:
        try:
            after = make()
        except WallumError as error:
            self._session.told.emit(str(error))
            return
        self._session.set_values(label, before.id, changes_between(before, after))

    def align(self) -> None:
        """Let the selected source shine from the camera, along its look."""
        source = self._session.now.source(self._session.selection.lead)
        camera = self._picture.camera
        if not isinstance(source, FarLight | Lamp):
            self._session.told.emit("Select a lamp, the sun or the moon first; it then shines from here")
            return
        eye, direction = np.array(camera.eye), np.array(camera.direction)
        self._change(f"align {source.name}", source, lambda: aligned(source, eye, direction))

    # -- meter -------------------------------------------------------------------------

    def meter(self, at: QPointF) -> MeterReading | None:
        """Read the light at what is under a place of the picture, and say it."""
        result, loaded = self._picture.surface_at(at), self._session.level
        if result is None or loaded is None:
            self._session.told.emit("There is no surface there to read")
            return None
        self._metered = (result[0], result[1])
        return self._read()

    def _read(self) -> MeterReading:
        assert self._metered is not None
        assert self._session.level is not None
        point, normal = self._metered
        scene = evaluate(self._session.project, self._session.playhead.moment)
        reading = direct_illuminance(self._session.level.rays, scene, point, normal, METER_SAMPLES)
        self.read.emit(reading, point)
        selected = ""
        if scene.air is not None and self._session.camera is not None:
            share = contrast_kept(scene, np.array(self._session.camera.eye), point)
            selected = f"; {share:.0%} of contrast kept from here"
        self._session.told.emit(self._told(reading, self._returned(scene, point, normal)) + selected)
        return reading

    def _returned(
        self, scene: LitScene, point: NDArray[np.float64], normal: NDArray[np.float64]
    ) -> dict[str, float]:
        """Illuminance by light from surfaces, and by what glows under each material's name, as probes have
        it [lx]; under no name what comes back of all others."""
        bounce, out = self.bounce(), {"": 0.0}
        if bounce is not None:
            for source_id, light in bounce.shares(scene, point[None], normal[None]).items():
                base, _, material = source_id.partition(OF)
                name = material if base == GLOW_ID else ""
                out[name] = out.get(name, 0.0) + float(luminance(light.astype(np.float64))[0])
        return out

    def _told(self, reading: MeterReading, returned: dict[str, float]) -> str:
        lux = reading.direct_lx
        grey = (lux + sum(returned.values())) * 0.18 / np.pi
        stops = ev_for_luminance(max(grey, 1e-9)) - self._session.shown_ev
        largest = sorted(reading.by_source.items(), key=lambda pair: -pair[1])[:3]
        names = {source.id: source.name for source in self._session.project.resolved_sources}
        parts = ", ".join(
            f"{names.get(key, key)} {value / lux:.0%}" for key, value in largest if lux and value
        )
        others = [f"{format_quantity(returned[''], 'lx')} from surfaces"] if returned[""] > 0.0 else []
        glows = sorted((-value, name) for name, value in returned.items() if name and value > 0.0)[:2]
        others += [f"{format_quantity(-value, 'lx')} glow of {name}" for value, name in glows]
        first = ", ".join([f"{format_quantity(lux, 'lx')} direct", *others])
        return (
            f"{first}, grey {format_quantity(grey, 'cd/m2')}, "
            f"{stops:+.1f} stops from mid grey{f': {parts}' if parts else ''}"
        )

    def make_it_read(self, wanted_lx: float) -> None:
        """Let the selected source bring the reading that was taken last to a number of lux."""
        source = self._session.now.source(self._session.selection.lead)
        if self._metered is None or self._session.level is None or source is None:
            self._session.told.emit("Read a place first (M), and select the source that is to deliver")
            return
        reading = self._read()
        mine = reading.by_source.get(source.id, 0.0)
        try:
            factor = for_reading(1.0, mine, wanted_lx, reading.direct_lx - mine)
        except WallumError as error:
            self._session.told.emit(str(error))
            return
        name = f"{source.name} to {format_quantity(wanted_lx, 'lx')}"
        trim = source.trim + float(np.log2(factor))
        if self._session.set_value(name, f"sources/@{source.id}/trim", round(trim, 4)):
            self._read()

"""From the light of a picture to its bytes: the passes that every picture goes through, kept light or not."""

from abc import ABC, abstractmethod
from dataclasses import dataclass, replace
from typing import ClassVar

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.frame.pass_spec import PassSpec
from wallum.frame.passes.finish import DEVELOP, EDGES, FOCUS, METER, READ_BACK, SAMPLE
from wallum.frame.views import FROM_SURFACES, INSPECTED, VIEWS
from wallum.moment.metered import metered_cells
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.exposure import exposure_scale
from wallum.realtime.passes.frame.sampling import Sampler
from wallum.realtime.passes.post.develop import Developer
from wallum.realtime.passes.post.edges import EdgeFilter
from wallum.realtime.passes.post.focus import FocusBlur
from wallum.realtime.passes.post.metering import Meter
from wallum.realtime.process.request import PictureRequest

__all__ = [
    "DevelopPass", "EdgePass", "FinishPass", "Finishing", "FocusPass", "MeterPass", "ReadBack", "SamplePass",
]  # fmt: skip


# Views of the picture as the lens draws it.
SEEN_BY_LENS = frozenset(VIEWS) - {*INSPECTED, "false colour"}


@dataclass
class Finishing:
    """A picture on its way from light to bytes.

    light   : sum of `samples` pictures, each times `held`, the exposure that it was lit with
    out     : where its bytes go: blue, green, red, 255
    look    : the request's, exposed as it is found
    metered : the exposure that its light asks for; None: not asked
    sample  : a small picture of its values; None: not asked
    shown   : the picture once it is developed
    settled : whether it is of jittered pictures
    key     : its light is the same as long as this is; what was found in that is kept
    depth   : of its surfaces [m], 0 for the sky
    """

    request: PictureRequest
    light: moderngl.Texture
    samples: int
    held: float
    out: memoryview | NDArray[np.uint8]
    look: ResolvedLook
    metered: float | None = None
    sample: NDArray[np.float16] | None = None
    shown: moderngl.Framebuffer | None = None
    settled: bool = False
    key: tuple[object, ...] = ()
    depth: moderngl.Texture | None = None

    @property
    def pixels(self) -> int:
        return self.light.size[0] * self.light.size[1]


class FinishPass(ABC):
    """One step of it, drawn for every picture that is shown."""

    described: ClassVar[PassSpec]

    def wanted(self, picture: Finishing) -> bool:
        """Whether a picture has this pass."""
        return True

    @abstractmethod
    def draw(self, picture: Finishing) -> dict[str, int]:
        """Draw it; returns the work that was done."""


class MeterPass(FinishPass):
    """The exposure that the light asks for."""

    described = METER

    def __init__(self, meter: Meter) -> None:
        self._meter = meter

    def wanted(self, picture: Finishing) -> bool:
        request = picture.request
        return request.scene.look.metering is not None and request.view not in INSPECTED

    def draw(self, picture: Finishing) -> dict[str, int]:
        request, current = picture.request, picture.held * picture.samples
        metering = request.scene.look.metering
        assert metering is not None
        cells = self._meter.cells(picture.light, picture.key).astype(np.float64) / current
        picture.metered = metered_cells(cells, metering, request.heroes, request.view in FROM_SURFACES)
        ev100 = picture.metered if request.held_ev is None else request.held_ev
        picture.look = replace(picture.look, ev100=ev100)
        return {}


class SamplePass(FinishPass):
    """A small picture of its values, exposed."""

    described = SAMPLE

    def __init__(self, sampler: Sampler) -> None:
        self._sampler = sampler

    def wanted(self, picture: Finishing) -> bool:
        return picture.request.sampled and picture.request.view not in INSPECTED

    def draw(self, picture: Finishing) -> dict[str, int]:
        current = picture.held * picture.samples
        picture.sample = self._sampler.read(picture.light, exposure_scale(picture.look.ev100) / current)
        return {}


class FocusPass(FinishPass):
    """What the lens leaves sharp of it."""

    described = FOCUS

    def __init__(self, blur: FocusBlur) -> None:
        self._blur = blur

    def wanted(self, picture: Finishing) -> bool:
        there = picture.look.focus is not None and picture.depth is not None
        return there and picture.request.view in SEEN_BY_LENS

    def draw(self, picture: Finishing) -> dict[str, int]:
        assert picture.look.focus is not None
        assert picture.depth is not None
        fov, focus = picture.request.camera.fov, picture.look.focus
        picture.key = (*picture.key, focus, fov)
        # Light that is a sum stays one: the blur is a mean of it.
        picture.light = self._blur.drawn(picture.light, picture.depth, focus, fov, picture.key)
        return {"pixels": picture.pixels}


class DevelopPass(FinishPass):
    """What the look makes of the light."""

    described = DEVELOP

    def __init__(self, developer: Developer) -> None:
        self._developer = developer

    def draw(self, picture: Finishing) -> dict[str, int]:
        lens = replace(picture.look.lens, seed=picture.request.seed)
        picture.look = replace(picture.look, lens=lens)
        picture.shown = self._developer.develop(
            picture.light,
            picture.look,
            picture.held,
            picture.samples,
            picture.request.view,
            picture.key,
        )
        return {"pixels": picture.pixels}


class EdgePass(FinishPass):
    """Edges of a picture as it is delivered; what settles is smooth by itself."""

    described = EDGES

    def __init__(self, edges: EdgeFilter) -> None:
        self._edges = edges

    def wanted(self, picture: Finishing) -> bool:
        request = picture.request
        return request.edges == "filter" and not picture.settled and request.view not in INSPECTED

    def draw(self, picture: Finishing) -> dict[str, int]:
        assert picture.shown is not None
        picture.shown = self._edges.smoothed(picture.shown)
        return {"pixels": picture.pixels}


class ReadBack(FinishPass):
    """Bytes for whoever shows them."""

    described = READ_BACK

    def draw(self, picture: Finishing) -> dict[str, int]:
        assert picture.shown is not None
        picture.shown.read_into(picture.out, components=4)
        return {"bytes": picture.pixels * 4}

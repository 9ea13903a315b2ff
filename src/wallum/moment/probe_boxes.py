"""Where the artist wants probes closer, or none."""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Project
from wallum.document.sources import AmbientBoxSource
from wallum.physics.arrays import Floats
from wallum.physics.frames import along_sides, corners_about

__all__ = ["ProbeBox", "probe_boxes"]

# How often cells are halved along their sides; None: no probes.
HALVED: Final = {"closer": 1, "closest": 2, "none": None}


@dataclass(frozen=True)
class ProbeBox:
    """A box. half : of its sides [m]; turn_rad : clockwise from above; halved : how often cells are"""

    middle: tuple[float, float, float]
    half: tuple[float, float, float]
    turn_rad: float
    halved: int | None

    def holds(self, places: Floats, beyond_m: float) -> NDArray[np.bool_]:
        """(N,) whether places (N, 3) lie in it, or so far from it along its sides."""
        along = along_sides(places, np.array(self.middle), self.turn_rad)
        return np.asarray((np.abs(along) <= np.array(self.half) + beyond_m).all(axis=1))

    @property
    def reach(self) -> NDArray[np.float64]:
        """(2, 3) corners of what lies about it along the axes [m]."""
        return np.stack(corners_about(np.array(self.middle), self.half, self.turn_rad))


def probe_boxes(project: Project) -> tuple[ProbeBox, ...]:
    """Those of a project's rooms that are on and say so."""
    return tuple(
        ProbeBox(
            source.position,
            (0.5 * source.size[0], 0.5 * source.size[1], 0.5 * source.size[2]),
            math.radians(source.turn),
            HALVED[source.probes],
        )
        for source in project.resolved_sources
        if isinstance(source, AmbientBoxSource) and source.on and source.probes != "placed"
    )

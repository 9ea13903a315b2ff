"""LitScene: what lights the level at one moment, as flat arrays."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.dome import irradiance_terms

__all__ = ["LAMP_COLUMNS", "Dome", "Lamps", "LitScene", "Sun"]

# Columns of Lamps.rows.
LAMP_COLUMNS: Final[dict[str, slice | int]] = {
    "position": slice(0, 3), "range": 3, "intensity": slice(4, 7), "radius": 7,
    "direction": slice(8, 11), "is_spot": 11, "cos_outer": 12, "cos_inner": 13, "shadow": 14,
}  # fmt: skip
LAMP_WIDTH = 15


@dataclass(frozen=True)
class Lamps:
    """Points and spots that are on.

    ids  : N source ids
    rows : (N, 15) float32, see LAMP_COLUMNS; intensity is RGB of the stated candela [cd],
           lengths in metres, range 0 for no limit
    """

    ids: tuple[str, ...]
    rows: NDArray[np.float32]

    def column(self, name: str) -> NDArray[np.float32]:
        """One named column, (N,) or (N, 3)."""
        return self.rows[:, LAMP_COLUMNS[name]]

    def only(self, keep: NDArray[np.bool_]) -> "Lamps":
        """The lamps where `keep` is true."""
        return Lamps(tuple(i for i, k in zip(self.ids, keep, strict=True) if k), self.rows[keep])


@dataclass(frozen=True)
class Sun:
    """A far light. direction points to it; illuminance is RGB, facing it [lx]."""

    id: str
    direction: NDArray[np.float64]
    illuminance: NDArray[np.float64]
    disc_rad: float
    shadow: bool


@dataclass(frozen=True, eq=False)
class Dome:
    """Light of the sky by direction: luminance (H, W, 3) [cd/m2], see physics.dome.

    key : what the luminance was made from; equal keys mean equal domes, in any process
    """

    id: str
    luminance: NDArray[np.float32]
    key: tuple[float, ...]

    @cached_property
    def terms(self) -> NDArray[np.float64]:
        """(9, 3) terms of illuminance by normal."""
        return irradiance_terms(self.luminance)


@dataclass(frozen=True)
class LitScene:
    """All light of one moment, and the exposure it is seen with."""

    lamps: Lamps
    sun: Sun | None
    sky: Dome | None
    ev100: float

    def without_shadows(self) -> "LitScene":
        """The scene as if nothing stood in the way of light."""
        rows = self.lamps.rows.copy()
        rows[:, LAMP_COLUMNS["shadow"]] = 0.0
        sun = replace(self.sun, shadow=False) if self.sun else None
        return replace(self, lamps=Lamps(self.lamps.ids, rows), sun=sun)

    def without(self, ids: frozenset[str]) -> "LitScene":
        """The scene without some sources."""
        if not ids:
            return self
        keep = np.array([one not in ids for one in self.lamps.ids], dtype=bool)
        return replace(
            self,
            lamps=self.lamps.only(keep),
            sun=None if self.sun and self.sun.id in ids else self.sun,
            sky=None if self.sky and self.sky.id in ids else self.sky,
        )

"""Whether a level is likely in other units than metres, or lies on its side: what tells, and what to do."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import chain
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.fit import Axis, LevelFit
from wallum.level.model.model import Finding, Level, Mesh, Part
from wallum.memo import Memo
from wallum.physics.arrays import crossed

__all__ = ["FIT_KIND", "LevelFitGuess", "fit_findings", "fitted", "guess_fit"]

UNITS = {
    0.01: "centimetres",
    0.001: "millimetres",
    0.0254: "inches",
    0.3048: "feet",
    1000.0: "kilometres",
}
# Heights of doors and steps, and of a camera over the ground, as people build and stand [m].
DOOR_M, STEP_M, EYE_M = (1.7, 3.6), (0.10, 0.24), (0.9, 2.6)
DOOR_WORDS, STEP_WORDS = ("door", "gate"), ("step", "stair", "tread")
# Even in great levels something is smaller than this; where nothing is, and it stands this high, it is
# likely in a small unit [m].
THING_M, LOW_M = (0.05, 20.0), 100.0
NO_THING, FEWEST = 50.0, 3
# A level this far across is no level in metres; so small a one neither.
LARGEST_M, SMALLEST_M = 20_000.0, 0.5
# Ground faces one way: so many times more area does along its axis than along Y.
ONE_SIDED, CLEARLY = 0.12, 4.0
FIT_KIND = "scale"


@dataclass(frozen=True)
class LevelFitGuess:
    """How a level likely lies, and what tells."""

    fit: LevelFit
    told_by: str

    @property
    def likely(self) -> str:
        """How it lies, in words."""
        unit = [f"in {UNITS[self.fit.scale]}"] if self.fit.scale != 1.0 else []
        return " and ".join(unit + (["on its side"] if self.fit.up != "y" else []))


def fitted(level: Level, fit: LevelFit) -> Level:
    """A level in metres with Y up, for what its file says."""
    if fit == LevelFit():
        return level
    whole = np.eye(4)
    whole[:3, :3] = fit.matrix()
    parts = tuple(replace(part, matrix=whole @ part.matrix) for part in level.parts)
    # What was told of how it lies is over, or is told of how it lies now.
    messages = tuple(finding for finding in level.findings if finding.kind != FIT_KIND)
    now = replace(level, parts=parts, shots=(), findings=messages)
    return replace(level, parts=parts, findings=(*messages, *fit_findings(now)))


def _extents(level: Level, words: tuple[str, ...]) -> NDArray[np.float64]:
    """(N, 3) sizes of the boxes about the parts whose last name has one of the words, each of its own."""
    sizes = np.zeros((len(level.meshes), 3))
    for number, mesh in enumerate(level.meshes):
        clouds = [primitive.positions for primitive in mesh.primitives if len(primitive.positions)]
        if clouds:
            sizes[number] = np.ptp(np.concatenate(clouds), axis=0)
    chosen = [
        part
        for part in level.parts
        if any(word in part.id.rsplit("/", 1)[-1].lower() for word in words) and sizes[part.mesh].any()
    ]
    if not chosen:
        return np.zeros((0, 3))
    turns = np.abs(np.stack([item.matrix[:3, :3] for item in chosen]))
    return np.asarray(np.einsum("nij,nj->ni", turns, sizes[[item.mesh for item in chosen]]))


def _unit_of(height: float, usual: tuple[float, float]) -> float | None:
    """The unit that makes a height usual; 1 where it is so already."""
    for unit in (1.0, *UNITS):
        if usual[0] <= height * unit <= usual[1]:
            return unit
    return None


def _placed(level: Level) -> dict[int, list[Part]]:
    """The parts that place each mesh."""
    out: dict[int, list[Part]] = {}
    for part in level.parts:
        out.setdefault(part.mesh, []).append(part)
    return out


def _areas(mesh: Mesh) -> NDArray[np.float64]:
    """(T, 3) twice the area of each triangle, along its normal."""
    vectors = [np.zeros((0, 3))]
    for primitive in mesh.primitives:
        a, b, c = (
            primitive.positions.astype(np.float64).take(primitive.triangles[:, k], 0) for k in range(3)
        )
        vectors.append(crossed(b - a, c - a))
    return np.concatenate(vectors)


def _one_sided(level: Level) -> NDArray[np.float64]:
    """(3,) share of all area that faces along X, Y, Z and is not made up for by what faces back."""
    net, total = np.zeros(3), 0.0
    for mesh, parts in _placed(level).items():
        vectors = _areas(level.meshes[mesh])
        linear = np.array([part.matrix[:3, :3] for part in parts])
        # Areas go with the cofactors of a place.
        turning = np.cross(linear[:, [1, 2, 0]], linear[:, [2, 0, 1]])
        net = net + (turning @ vectors.sum(axis=0)).sum(axis=0)
        total += sum(float(np.linalg.norm(vectors @ item.T, axis=1).sum()) for item in turning)
    return net / total if total > 0.0 else net


def _up_of(level: Level) -> Axis:
    x, y, z = _one_sided(level).tolist()
    up: Axis = "x" if x > z else "z"
    best = max(x, z)
    return up if best > ONE_SIDED and best > CLEARLY * abs(y) else "y"


def _told_by_parts(level: Level, up: int) -> Iterator[tuple[str, float]]:
    """What its doors, its steps and the size of its things tell of the unit: words, and the unit."""
    for names, thing, usual in ((DOOR_WORDS, "doors", DOOR_M), (STEP_WORDS, "steps", STEP_M)):
        sizes = _extents(level, names)
        if len(sizes):
            height = float(np.median(sizes[:, up]))
            unit = _unit_of(height, usual)
            if unit is not None:
                yield f"{len(sizes)} {thing} are {height:.3g} units high", unit
    sizes = _extents(level, ("",)).max(axis=1, initial=0.0)
    sizes = sizes[sizes > 0.0]
    height = float(np.ptp(level.bounds[:, up]))
    if len(sizes) >= FEWEST and float(sizes.min()) > NO_THING and height > LOW_M:
        unit = _unit_of(float(sizes.min()), THING_M)
        if unit is not None:
            yield f"the smallest of its {len(sizes)} parts is {sizes.min():.3g} units long", unit


def _told_by_cameras(level: Level, up: int) -> Iterator[tuple[str, float]]:
    """What cameras tell: only of small units, for they stand on roofs and towers too."""
    if level.shots:
        height = float(np.median([shot.eye[up] - level.bounds[0, up] for shot in level.shots]))
        unit = next((item for item in (0.01, 0.001) if EYE_M[0] <= height * item <= EYE_M[1]), None)
        if unit is not None:
            yield f"{len(level.shots)} cameras stand {height:.3g} units over its ground", unit


# What was guessed of the levels that were asked for last, by their parts: the window asks again what
# was found while the level was read, and must not wait for millions of triangles.
_GUESSED: Final = Memo[LevelFitGuess | None](4)


def guess_fit(level: Level) -> LevelFitGuess | None:
    """How a level likely lies, where that is not as the standard asks; None where nothing tells so."""
    return _GUESSED.get(lambda: _guess(level) if level.parts else None, level.parts)


def _guess(level: Level) -> LevelFitGuess | None:
    up = _up_of(level)
    messages = [f"its ground faces along {up.upper()}"] if up != "y" else []
    axis = "xyz".index(up)
    # Doors tell more than steps, those more than other things, and those more than cameras.
    words, unit = next(chain(_told_by_parts(level, axis), _told_by_cameras(level, axis)), ("", 1.0))
    if unit != 1.0:
        messages.append(words)
    if not messages:
        return None
    return LevelFitGuess(LevelFit(scale=unit, up=up), " and ".join(messages))


def fit_findings(level: Level) -> tuple[Finding, ...]:
    """A finding where a level likely is in other units, or lies on its side."""
    guess = guess_fit(level)
    if guess is not None:
        text = (
            f"{level.name} is likely {guess.likely}: {guess.told_by}. Take it as such with "
            f"level_fit/scale={guess.fit.scale:g} level_fit/up={guess.fit.up}."
        )
        return (Finding(FIT_KIND, level.name, "warning", text),)
    size = float(np.linalg.norm(level.bounds[1] - level.bounds[0]))
    if level.parts and not SMALLEST_M <= size <= LARGEST_M:
        text = f"The level is {size:.3g} m across: it can hardly be in metres, as glTF asks."
        return (Finding(FIT_KIND, level.name, "warning", text),)
    return ()

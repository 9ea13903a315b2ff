"""How a level's file lies in the project's space, metres with Y up; and all that goes with it."""

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from wallum.document.fields import Item, choice, parameter, unchecked

__all__ = ["TURNS", "Axis", "LevelFit", "moved_with_level"]

# From the file's space to one whose Y is up, by the axis that is up in the file.
TURNS: dict[str, NDArray[np.float64]] = {
    "y": np.eye(3),
    "z": np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]]),
    "x": np.array([[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]]),
}
Axis = Literal["y", "z", "x"]
PLACES, WAYS = frozenset({"position", "eye"}), frozenset({"direction"})


class LevelFit(Item):
    """The unit of a level's file, and which of its axes is up."""

    scale: float = parameter(
        1.0,
        label="Unit of the file",
        help="Metres in one unit of the level's file: 0.01 where it is in centimetres. glTF asks for 1.",
        unit="m",
        low=1e-4,
        high=1e4,
        step=0.01,
        scale="log",
    )
    up: Axis = choice(
        "y", label="Up in the file", help="The axis of the level's file that is up. glTF asks for Y."
    )

    def matrix(self) -> NDArray[np.float64]:
        """(3, 3) from the file's space to the project's."""
        return self.scale * TURNS[self.up]


def _triple(matrix: NDArray[np.float64], values: Any) -> tuple[float, float, float]:
    x, y, z = (round(float(part), 6) for part in matrix @ np.array(values, dtype=np.float64))
    return x, y, z


def _moved(item: Any, matrix: NDArray[np.float64], turn: NDArray[np.float64]) -> Any:
    fields = type(item).model_fields
    changes: dict[str, Any] = {name: _triple(matrix, getattr(item, name)) for name in PLACES & set(fields)}
    changes |= {name: _triple(turn, getattr(item, name)) for name in WAYS & set(fields)}
    if "points" in fields:
        changes["points"] = tuple(_triple(matrix, point) for point in item.points)
    return unchecked(item, changes) if changes else item


def _moved_lane(lane: Any, matrix: NDArray[np.float64], turn: NDArray[np.float64]) -> Any:
    by = matrix if lane.name in PLACES else turn if lane.name in WAYS else None
    if by is None:
        return lane
    return unchecked(lane, {"pegs": tuple(unchecked(p, {"value": _triple(by, p.value)}) for p in lane.pegs)})


def moved_with_level(project: Any, before: LevelFit) -> Any:
    """A project whose level was fitted otherwise before: lamps, shots, walks, the figure and their pegs
    keep their places in the level."""
    now = project.level_fit
    if now == before:
        return project
    turn = TURNS[now.up] @ TURNS[before.up].T
    matrix = turn * (now.scale / before.scale)

    def light(item: Any) -> dict[str, Any]:
        return {
            "sources": tuple(_moved(source, matrix, turn) for source in item.sources),
            "lanes": tuple(_moved_lane(lane, matrix, turn) for lane in item.lanes),
        }

    return unchecked(
        project,
        {
            **light(project),
            "shots": tuple(_moved(shot, matrix, turn) for shot in project.shots),
            "walks": tuple(_moved(walk, matrix, turn) for walk in project.walks),
            "variants": tuple(unchecked(variant, light(variant)) for variant in project.variants),
            "figure": _moved(project.figure, matrix, turn),
            "viewpoint": None if project.viewpoint is None else _moved(project.viewpoint, matrix, turn),
        },
    )

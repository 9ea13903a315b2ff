"""A look of a shot's own: a zone about its camera, so small that no other shot is in it."""

import math
from typing import Final

from pydantic import ValidationError

from wallum.document.look import Look
from wallum.document.own_looks import zone_values
from wallum.document.paths import refusal
from wallum.document.project import Project, Shot
from wallum.document.sources import ZoneSource
from wallum.errors import ValueProblem

__all__ = ["shot_at", "with_look_of_shot"]

# A camera nearer than this stands at a shot [m].
NEAR_M: Final = 0.05
# Of its zone, and over all zones of places.
SIDE_M: Final = 0.4
BLEND_M: Final = 0.5
RANK: Final = 90.0


def shot_at(project: Project, eye: tuple[float, float, float]) -> Shot | None:
    """The shot that a camera stands at, the nearest of them."""
    near = [(math.dist(item.eye, eye), item) for item in project.shots]
    distance, shot = min(near, key=lambda item: item[0], default=(math.inf, None))
    return shot if distance < NEAR_M else None


def with_look_of_shot(project: Project, shot: Shot, look: Look, effects: tuple[str, ...]) -> Project:
    """The project in which a shot alone has some effects of a look, in the zone that it has or gets.

    Raises ValueProblem where the look has nothing that one shot can have.
    """
    values = zone_values(look, effects)
    if not values:
        raise ValueProblem(
            "that look has nothing that one shot can have", shot.name, "more than curve, table and focus"
        )
    zone_id = f"look-of-{shot.id}"
    old = project.source(zone_id)
    values |= {"position": shot.eye, "on": True}
    try:
        if isinstance(old, ZoneSource):
            zone = old.revised(**values)
        else:
            zone = ZoneSource(
                id=zone_id, name=f"Look of {shot.name}"[:200], shape="ellipsoid", size=(SIDE_M,) * 3,
                blend=BLEND_M, rank=RANK, **values,
            )  # fmt: skip
        return project.with_source(zone)
    except ValidationError as error:
        raise refusal(error, shot.name) from None

"""Setting and taking out pegs, by the path of a parameter."""

from collections.abc import Iterable
from typing import Any

from wallum.document.fields import Item, declared
from wallum.document.lanes import Lane, Peg, PegTime, parse_peg_time
from wallum.document.owners import PEGGED
from wallum.document.paths import locate, look_up, put, put_text
from wallum.document.project import Project
from wallum.errors import PathProblem

__all__ = [
    "Copied",
    "lane_at",
    "pasted",
    "pegged",
    "pegged_text",
    "replaced",
    "shifted",
    "unpegged",
    "without_lane",
]

# A peg with the owner and the name of its lane.
Copied = tuple[str, str, Peg]

# Pegs nearer than this are one [h].
SAME_H = 1.0 / 120.0
STEPPED = ("switch", "choice")


def _address(project: Project, path: str) -> tuple[str, Item, str]:
    """(owner, item, name) of a parameter that a lane can be for. Raises PathProblem."""
    item, name, rest = locate(project, path)
    head = path.strip("/").split("/")[0]
    owner = head if head in PEGGED else str(getattr(item, "id", ""))
    if rest or head not in (*PEGGED, "sources") or name not in declared(item):
        raise PathProblem("no lane can be for this", path, "a value of a source, the look or the air")
    return owner, item, name


def lane_at(project: Project, path: str) -> Lane | None:
    """The lane of a parameter by its path, or None."""
    owner, _, name = _address(project, path)
    return project.lane(owner, name)


def _same(a: PegTime, b: PegTime) -> bool:
    return a.tie == b.tie and a.angle == b.angle and abs(a.hours - b.hours) < SAME_H


def pegged(project: Project, path: str, at: PegTime, value: Any, easing: str | None = None) -> Project:
    """The project with a peg; one that stood at the same time is replaced.

    Raises PathProblem or ValueProblem where the path or the value is refused.
    """
    owner, item, name = _address(project, path)
    value = getattr(locate(put(project, path, value), path)[0], name)
    lane = project.lane(owner, name)
    before = () if lane is None else lane.pegs
    same = next((entry for entry in before if _same(entry.at, at)), None)
    if easing is None:
        stepped = declared(item)[name].kind in STEPPED
        easing = same.easing if same else ("step" if stepped else "soft")
    peg = Peg.model_validate({"at": at, "value": value, "easing": easing})
    pegs = tuple(peg if entry is same else entry for entry in before) if same else (*before, peg)
    return project.with_lane(Lane(owner=owner, name=name, pegs=pegs))


def pegged_text(project: Project, path: str, when: str, text: str) -> Project:
    """The project with a peg as typed: a path, a time such as `sunset +0:20`, a value."""
    return pegged(project, path, parse_peg_time(when), look_up(put_text(project, path, text), path))


def unpegged(project: Project, path: str, peg: Peg) -> Project:
    """The project without one peg; the lane goes with its last."""
    owner, _, name = _address(project, path)
    lane = project.lane(owner, name)
    pegs = tuple(item for item in lane.pegs if item is not peg) if lane else ()
    return project.with_lane(Lane(owner=owner, name=name, pegs=pegs)) if pegs else without_lane(project, path)


def shifted(project: Project, pegs: Iterable[tuple[Lane, Peg]], hours: float) -> Project:
    """The project with pegs of some lanes moved by hours; each stays tied to what it is tied to."""
    for lane, peg in pegs:
        present = project.lane(lane.owner, lane.name)
        if present is None:
            continue
        base = peg.at.hours + hours
        # By the clock a day goes around; by the sun a peg is before or after.
        moved = base % 24.0 if peg.at.tie == "clock" else min(max(base, -12.0), 12.0)
        at = peg.at.revised(hours=round(moved * 60.0) / 60.0)
        others = tuple(item.revised(at=at) if item is peg else item for item in present.pegs)
        project = project.with_lane(present.revised(pegs=others))
    return project


def replaced(project: Project, owner: str, name: str, peg: Peg, by: Peg | None) -> Project:
    """The project with one peg of a lane in another's place, or without it; a lane goes with its
    last peg."""
    lane = project.lane(owner, name)
    if lane is None:
        return project
    pegs = tuple(by if item is peg else item for item in lane.pegs)
    selected = tuple(item for item in pegs if item is not None)
    return project.with_lane(lane.revised(pegs=selected)) if selected else project.without_lane(owner, name)


def pasted(project: Project, pegs: Iterable[Copied], hours: float) -> Project:
    """The project with copies of pegs, moved by hours and tied to the clock as they stood; what
    stood at the same time is replaced. Owners that are not there are passed over."""
    for owner, name, peg in pegs:
        item = project.owner(owner)
        if item is None or name not in declared(item):
            continue
        at = PegTime(hours=round(((peg.at.hours + hours) % 24.0) * 60.0) / 60.0)
        lane = project.lane(owner, name)
        others = tuple(entry for entry in lane.pegs if not _same(entry.at, at)) if lane else ()
        project = project.with_lane(Lane(owner=owner, name=name, pegs=(*others, peg.revised(at=at))))
    return project


def without_lane(project: Project, path: str) -> Project:
    """The project without a parameter's lane: its own value holds all day again."""
    owner, _, name = _address(project, path)
    return project.without_lane(owner, name)

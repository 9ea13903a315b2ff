"""Checks of cards and veils: seen from their edge, or left behind by what they followed."""

from collections.abc import Iterable, Iterator
from typing import Final

import numpy as np

from wallum.document.lanes import format_clock
from wallum.document.paths import slug_of
from wallum.document.project import Project
from wallum.document.sources import CardSource, VeilSource
from wallum.judge.findings import Finding, Remedy
from wallum.moment.aiming import angles_of
from wallum.moment.camera import Camera
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.physics.card import Card, seen_from_edge

__all__ = ["left_behind", "seen_edge_on"]

# So much of what a card shows from its best side may be missing.
MAX_MISSING: Final = 0.8


def seen_edge_on(
    project: Project, shots: Iterable[tuple[str, Camera]], scenes: dict[Moment, LitScene]
) -> Iterator[Finding]:
    """Cards and veils that a shot looks at along their edge. shots : the slug and the camera of each"""
    messages: set[tuple[str, str]] = set()
    for slug, camera in shots:
        for moment, scene in scenes.items():
            for card in scene.cards:
                source = project.source(card.id)
                if source is None or (slug, card.id) in messages or not _in_picture(card, camera):
                    continue
                missing = seen_from_edge(card, np.array(camera.eye))
                if missing < MAX_MISSING:
                    continue
                messages.add((slug, card.id))
                text = (
                    f"{source.name} is seen edge-on at {format_clock(moment.clock)}: {missing:.0%} of what "
                    "it shows from its best side is missing"
                )
                remedy = _turned(source, card, camera, moment)
                yield Finding("card edge-on", f"shots/{slug}", "warning", text, remedy)


def _in_picture(card: Card, camera: Camera) -> bool:
    x, y, depth = camera.place_in_picture(card.middle[None])[0].tolist()
    return bool(depth > camera.near and 0.0 <= x <= 1.0 and 0.0 <= y <= 1.0)


def _turned(source: object, card: Card, camera: Camera, moment: Moment) -> Remedy | None:
    """A veil turned to face the shot; true shafts in the place of a card."""
    if isinstance(source, VeilSource):
        azimuth, _ = angles_of(np.array(camera.eye) - card.middle)
        turn = round((azimuth + 180.0) % 360.0, 1)
        return Remedy("turn it to face the shot", {f"sources/@{source.id}/turn": turn}, moment)
    if isinstance(source, CardSource) and source.of:
        values = {f"sources/@{source.id}/on": False, f"sources/@{source.of}/in_air": 1.0}
        return Remedy("show true shafts instead", values, moment)
    return None


def left_behind(project: Project) -> Iterator[Finding]:
    """Cards that follow a source which is gone: they stay dark."""
    for card in project.sources:
        if not isinstance(card, CardSource) or not (card.on and card.of):
            continue
        if project.source(card.of) is not None:
            continue
        where = f"sources/{slug_of(project, 'sources', card.id)}"
        text = f"{card.name} follows a source that is gone: it stays dark"
        yield Finding(
            "card without source",
            where,
            "note",
            text,
            Remedy("switch it off", {f"sources/@{card.id}/on": False}),
        )

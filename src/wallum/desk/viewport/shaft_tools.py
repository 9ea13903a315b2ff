"""Shafts and near fog by hand: cards that are fitted to a source or an opening, veils, and turning one way of
showing shafts into another."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QPointF

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.session.session import Session
from wallum.desk.viewport.view import PictureView
from wallum.document.names import free_name
from wallum.document.project import Project
from wallum.document.shaft_methods import Way, cards_of_source, present_way, why_not, with_way
from wallum.document.sources import CardSource, FarLight, Lamp, Source, VeilSource, new_id
from wallum.moment.aiming import angles_of
from wallum.moment.cards import visibility_at
from wallum.moment.evaluate import air_of, evaluate
from wallum.moment.scene import LitScene
from wallum.physics.medium import Medium
from wallum.transport.scene.openings import find_opening, free_length, lit_share
from wallum.transport.scene.placing import sky_share
from wallum.transport.scene.rays import RayScene

__all__ = ["ShaftTools"]

Point = NDArray[np.float64]
# A card of a lamp without a range is no longer than this, nor is a shaft through an opening [m].
LONGEST_M, LONGEST_SHAFT_M = 30.0, 40.0
# Share of an opening that sun or moon must shine through.
MIN_LIT = 0.1
WORDS = {"true": "true shafts", "screen": "screen shafts", "card": "cards"}


def _vector(values: Point) -> tuple[float, float, float]:
    x, y, z = (round(float(part), 4) for part in values)
    return x, y, z


def _beyond(length: float) -> float:
    """A little longer than what is free, so that the end lies in the surface and fades before it."""
    return round(max(length / 0.85, 0.1), 2)


class ShaftTools(QObject):
    """Each is one step of undo; what cannot be done is said."""

    def __init__(self, session: Session, picture: PictureView) -> None:
        super().__init__(picture)
        self._session, self._picture = session, picture

    def subject(self) -> Source | None:
        """The source whose shafts are meant: the selected one, or that which a selected card follows."""
        project = self._session.history.present
        chosen = project.source(self._session.selection.lead)
        if isinstance(chosen, CardSource) and chosen.of:
            return project.source(chosen.of)
        return chosen if isinstance(chosen, Lamp | FarLight) else None

    def fitted(self, source: Source, at: QPointF | None = None) -> tuple[CardSource, ...]:
        """Cards such as would be made for a source: of a lamp that faces one way about its axis, of sun or
        moon through the opening under a place of the picture. None where that cannot be."""
        loaded, project = self._session.level, self._session.history.present
        if loaded is None:
            return ()
        name = f"{source.name} card"
        if any(item.name == name for item in project.sources):
            name = free_name(project, name)
        if isinstance(source, Lamp):
            return () if source.axis is None else (self._of_lamp(loaded, source, name),)
        scene = evaluate(project, self._session.playhead.moment)
        if at is None or scene.sun is None or scene.sun.id != source.id:
            return ()
        card = self._of_opening(loaded.rays, source, scene, at, name)
        return () if card is None else (card,)

    def _of_lamp(self, loaded: LoadedLevel, lamp: Lamp, name: str) -> CardSource:
        place, axis = np.array(lamp.position), np.array(lamp.axis)
        free = free_length(loaded.rays, place, axis, lamp.range or LONGEST_M)
        seen = visibility_at(self._air(), place + axis * (0.5 * free))
        return CardSource(
            id=new_id("source"), name=name, of=lamp.id, position=lamp.position, length=_beyond(free),
            visibility=round(seen, 1), hidden=True,
        )  # fmt: skip

    def _of_opening(
        self, rays: RayScene, source: Source, scene: LitScene, at: QPointF, name: str
    ) -> CardSource | None:
        assert scene.sun is not None
        origins, directions = self._picture.ray(at)
        opening = find_opening(rays, np.asarray(origins[0], float), np.asarray(directions[0], float))
        if opening is None:
            return None
        way = -scene.sun.direction
        inward = opening.facing if float(opening.facing @ way) > 0.0 else -opening.facing
        if lit_share(rays, opening, -way) < MIN_LIT:
            return None
        free = free_length(rays, opening.middle + way * 0.05, way, LONGEST_SHAFT_M)
        seen = visibility_at(scene.air, opening.middle + way * (0.5 * free))
        return CardSource(
            id=new_id("source"), name=name, shape="opening", of=source.id, position=_vector(opening.middle),
            direction=_vector(inward), width=round(opening.width, 3), height=round(opening.height, 3),
            length=_beyond(free), visibility=round(seen, 1),
        )  # fmt: skip

    def _air(self) -> Medium | None:
        return air_of(self._session.now, self._session.playhead.moment)

    # -- put ---------------------------------------------------------------------------

    def put_card(self, at: QPointF) -> None:
        """Fit a card to the selected lamp, or to the opening under a place for sun or moon."""
        source = self.subject()
        if source is None:
            scene = evaluate(self._session.project, self._session.playhead.moment)
            source = None if scene.sun is None else self._session.history.present.source(scene.sun.id)
        if source is None:
            self._session.told.emit("Select a spot or a panel; by day, or with a moon, point at an opening")
            return
        fitted = self.fitted(source, at)
        if not fitted:
            self._session.told.emit(self._no_card(source))
            return
        card = fitted[0]
        self._session.history.edit(f"put {card.name}", self._session.history.present.with_source(card))
        self._session.selection.select(card.id)
        size = "" if card.shape == "beam" else f", {card.width:.2f} x {card.height:.2f} m wide and high"
        self._session.told.emit(f"{card.name}: it follows {source.name}, {card.length:g} m long{size}")

    def _no_card(self, source: Source) -> str:
        if isinstance(source, Lamp):
            return f"{source.name} shines all around: cards stand for lamps that face one way"
        return "No opening there that it shines through: point at a window, a door or a gap in a wall"

    def put_veil(self, at: QPointF) -> None:
        """Put a veil on the surface under a place of the picture, facing the camera."""
        result, loaded = self._picture.surface_at(at), self._session.level
        if result is None or loaded is None:
            self._session.told.emit("There is no surface there to put a veil on")
            return
        project = self._session.history.present
        number = 1 + sum(source.kind == "veil" for source in project.resolved_sources)
        veil = VeilSource(id=new_id("source"), name=f"Veil {number}")
        place = result[0] + np.array([0.0, 0.45 * veil.size[1], 0.0])
        azimuth, _ = angles_of(np.array(self._picture.camera.eye) - result[0])
        veil = veil.revised(
            position=_vector(place),
            turn=round((azimuth + 180.0) % 360.0, 1),
            lit=round(max(sky_share(loaded.rays, place), 0.02), 2),
        )
        self._session.history.edit(f"put {veil.name}", project.with_source(veil))
        self._session.selection.select(veil.id)
        self._session.told.emit(
            f"{veil.name}: how much it hides is at the right; {veil.lit:.0%} of the sky lights it"
        )

    # -- turn into ---------------------------------------------------------------------

    def turn_into(self, way: Way, gain: float = 1.0, cards: tuple[CardSource, ...] = ()) -> bool:
        """Show shafts of the source that is meant this way from now on; False where it cannot be."""
        source, project = self.subject(), self._session.history.present
        if source is None:
            self._session.told.emit("Select the lamp, the sun or the moon whose shafts are meant")
            return False
        if source.locked:
            self._session.told.emit(f"{source.name} is locked: unlock it first (L)")
            return False
        cards = cards or (() if isinstance(source, FarLight) else self.fitted(source))
        refused = why_not(project, source, way, cards)
        if refused:
            self._session.told.emit(f"{source.name} cannot be shown so: {refused}")
            return False
        before = present_way(project, source)
        after = with_way(project, source, way, cards, gain)
        self._session.history.edit(f"{WORDS[way]} of {source.name}", after)
        self._select(after, source, way)
        came = f", where there were {WORDS[before]}" if before not in (None, way) else ""
        fitted = "" if gain == 1.0 else f", {gain:.2g} times as strong to be as near as can be"
        self._session.told.emit(f"{source.name}: {WORDS[way]}{came}{fitted}")
        return True

    def turn_into_card(self, at: QPointF) -> bool:
        """The same by cards; of sun or moon without any through the opening under a place."""
        source = self.subject()
        return self.turn_into("card", 1.0, () if source is None else self.fitted(source, at))

    def _select(self, project: Project, source: Source, way: Way) -> None:
        cards = cards_of_source(project, source.id)
        self._session.selection.select(cards[0].id if way == "card" and cards else source.id)

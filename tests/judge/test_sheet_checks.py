"""Findings of cards and veils, each with a remedy that helps."""

import numpy as np

from wallum.document.project import Project
from wallum.document.sources import CardSource, SpotSource, VeilSource
from wallum.judge.sheet_checks import left_behind, seen_edge_on
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment

NOON = Moment(12.0)
CAMERA = Camera((0.0, 2.0, 10.0), (0.0, 0.0, -1.0), 50.0, 16 / 9, far=300.0)


def _found(project):
    return list(seen_edge_on(project, [("one", CAMERA)], {NOON: evaluate(project, NOON)}))


def test_a_veil_seen_from_its_edge_is_turned_to_the_shot():
    veil = VeilSource(id="v", name="Veil", position=(0.0, 2.0, 0.0), turn=90.0)
    project = Project(sources=(veil,))
    (finding,) = _found(project)
    assert finding.where == "shots/one"
    assert "Veil" in finding.text
    turned = finding.remedy.applied(project)
    assert _found(turned) == []
    facing = np.abs(evaluate(turned, NOON).cards[0].sheets[0].normal @ np.array([0.0, 0.0, 1.0]))
    assert facing > 0.999


def test_a_card_looked_along_becomes_true_shafts():
    spot = SpotSource(id="s", name="Spot", position=(0.0, 2.0, -4.0), direction=(0.0, 0.0, 1.0), in_air=0.0)
    card = CardSource(id="c", name="Card", of="s", length=4.0)
    project = Project(sources=(spot, card))
    (finding,) = _found(project)
    after = finding.remedy.applied(project)
    assert _found(after) == []
    assert after.source("s").in_air == 1.0


def test_from_the_side_and_out_of_the_picture_nothing_is_said():
    spot = SpotSource(id="s", name="Spot", position=(0.0, 4.0, 0.0), direction=(0.0, -1.0, 0.0))
    card = CardSource(id="c", name="Card", of="s", length=4.0)
    aside = VeilSource(id="v", name="Veil", position=(80.0, 2.0, 0.0), turn=90.0)
    assert _found(Project(sources=(spot, card, aside))) == []


def test_a_card_whose_source_is_gone_is_said():
    project = Project(sources=(CardSource(id="c", name="Card", of="gone"),))
    (finding,) = left_behind(project)
    assert "Card" in finding.text
    assert list(left_behind(finding.remedy.applied(project))) == []

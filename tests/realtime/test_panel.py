"""Panels in every picture and reading: the closed form, real time, rays and the reference agree."""

import numpy as np
import pytest
from lamp_pictures import CAMERA, SIZE, blocks, by_paths, floor, scene_of, shown

from wallum.document.project import Project
from wallum.document.sources import PanelSource, PointSource
from wallum.exchange.gltf_export import build_gltf
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.work import count_work
from wallum.level.model.flatten import flatten
from wallum.physics.colour import luminance
from wallum.physics.disc import disc_illuminance
from wallum.realtime.level.bundling import chunk_boxes
from wallum.transport.direct.contributions import Layers, fill_layers
from wallum.transport.direct.meter import direct_illuminance
from wallum.transport.direct.pool import pool_field
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

PANEL = PanelSource(
    id="panel", name="Panel", position=(0.4, 1.2, 0.0), radius=0.5, luminance=3000.0, shadow=True
)


def test_its_strength_is_stated_in_any_of_its_units():
    assert PANEL.with_strength(PANEL.strength_for(1000.0)).lumens() == pytest.approx(1000.0)
    assert PANEL.strength_toward(PANEL.luminance * np.pi * 0.25) == pytest.approx(PANEL.luminance)


@pytest.mark.parametrize("at", [(0.4, 0.0, 0.0), (1.5, 0.0, 0.5), (0.0, 1.1, 3.0)])
def test_the_meter_reads_the_closed_form(at):
    level = floor()
    facing = (0.0, 1.0, 0.0) if at[1] == 0.0 else (0.1, 0.2, -1.0)
    reading = direct_illuminance(
        RayScene(level, flatten(level)), scene_of(PANEL), np.array(at), np.array(facing), 64
    )
    normal = np.array(facing) / np.linalg.norm(facing)
    offset = np.array(PANEL.position) - np.array(at)
    true = (
        3000.0 * disc_illuminance(offset[None], np.array([PANEL.direction]), np.array([0.5]), normal[None])[0]
    )
    assert reading.direct_lx == pytest.approx(true, rel=1e-5)
    assert reading.standard_error_lx == pytest.approx(0.0, abs=1e-9)


def test_behind_a_board_the_meter_reads_what_its_edge_leaves():
    level = floor(board=True)
    rays = RayScene(level, flatten(level))
    under = direct_illuminance(
        rays, scene_of(PANEL), np.array([0.1, 0.0, 0.0]), np.array([0.0, 1.0, 0.0]), 4096
    )
    clear = direct_illuminance(rays, scene_of(PANEL.revised(shadow=False)), np.array([0.1, 0.0, 0.0]),
                               np.array([0.0, 1.0, 0.0]), 1)  # fmt: skip
    assert 0.0 < under.direct_lx < 0.7 * clear.direct_lx
    assert under.standard_error_lx < 0.03 * clear.direct_lx


@pytest.mark.parametrize("settled", [False, True])
def test_on_a_dull_floor_every_picture_is_the_closed_form(renderer, settled):
    level = floor()
    picture = shown(renderer, level, scene_of(PANEL.revised(shadow=False)), settled)
    x, y = np.meshgrid((np.arange(96) + 0.5) / 96, (np.arange(96) + 0.5) / 96)
    rays = CAMERA.rays(x.ravel(), y.ravel())
    places = np.array(CAMERA.eye) + rays * (-CAMERA.eye[1] / rays[:, 1])[:, None]
    lux = 3000.0 * disc_illuminance(np.array(PANEL.position) - places, np.array([PANEL.direction]), np.array([0.5]),
                                    np.broadcast_to([0.0, 1.0, 0.0], places.shape))  # fmt: skip
    ratio = luminance(picture).ravel() / (lux * 0.5 / np.pi)
    ratio = ratio[ratio > 0.0]  # beyond the floor there is none
    # A rough surface's gloss gives and takes a little, as for every light.
    assert np.median(ratio) == pytest.approx(1.0, abs=0.06)
    assert np.quantile(np.abs(ratio / np.median(ratio) - 1.0), 0.95) < 0.12


@pytest.mark.parametrize(("roughness", "metallic"), [(1.0, 0.0), (0.5, 0.0), (0.35, 1.0), (0.2, 1.0)])
def test_settled_it_is_what_the_reference_finds(renderer, roughness, metallic):
    level = floor(roughness, metallic)
    picture, true = blocks(shown(renderer, level, scene_of(PANEL))), blocks(by_paths(level, scene_of(PANEL)))
    lit = true > 0.02 * true.max()
    assert np.abs(picture - true)[lit].mean() < 0.06 * true[lit].mean()


def test_its_shadow_is_as_soft_as_rays_find_it(renderer):
    level = floor(board=True)
    picture, true = blocks(shown(renderer, level, scene_of(PANEL))), blocks(by_paths(level, scene_of(PANEL)))
    assert np.abs(picture - true).mean() < 0.08 * true.mean()
    plain = blocks(shown(renderer, level, scene_of(PANEL.revised(shadow=False))))
    assert (picture / plain).min() < 0.5


def test_under_the_hand_it_is_added_as_it_is_summed(renderer):
    lamps = (PANEL, PointSource(id="p", name="P", position=(-1.0, 1.0, 0.0), intensity=200.0, shadow=True))
    whole = shown(renderer, floor(), scene_of(*lamps), settled=False)
    added = shown(renderer, floor(), scene_of(*lamps), settled=False, active=frozenset({"panel"}))
    assert added == pytest.approx(whole, rel=4e-3, abs=1e-3 * whole.max())


def test_layers_and_pool_know_it():
    level, scene = floor(), scene_of(PANEL)
    rays = RayScene(level, flatten(level))
    seen = seen_surfaces(rays, level, CAMERA, (48, 48))
    layers = Layers(seen)
    for _ in fill_layers(layers, rays, scene):
        pass
    pool = pool_field(rays, scene, seen, "panel").ravel()[seen.pixel]
    inputs = luminance(layers.light["panel"])
    current = np.isfinite(pool)
    assert inputs[current].sum() == pytest.approx((pool[current] * 0.5 / np.pi).sum(), rel=0.08)


def test_what_it_costs_is_counted_like_a_lamp_of_six_tiles():
    level, scene = floor(), scene_of(PANEL)
    flat_level = flatten(level)
    seen = seen_surfaces(RayScene(level, flat_level), level, CAMERA, (48, 48))
    work = count_work(PassWork(Boxes(*chunk_boxes(level, flat_level)), scene, seen, CAMERA, SIZE))
    assert work.sources["panel"]["lamp shadows"]["tiles"] == 6.0
    assert work.sources["panel"]["light"]["shadowed lamp pixels"] > 0.0
    upward = scene_of(PANEL.revised(direction=(0.0, 1.0, 0.0)))
    none = count_work(PassWork(Boxes(*chunk_boxes(level, flat_level)), upward, seen, CAMERA, SIZE))
    assert none.sources["panel"] == {}


def test_it_is_written_as_the_nearest_light_there_is_and_the_loss_is_said():
    project = Project(sources=(PANEL,))
    document, _, lost = build_gltf(project, floor())
    (light,) = document["extensions"]["KHR_lights_punctual"]["lights"]
    assert light["type"] == "spot"
    assert light["spot"]["outerConeAngle"] == pytest.approx(np.pi / 2.0)
    weight = float(np.array(light["color"]) @ [0.2126, 0.7152, 0.0722])
    assert light["intensity"] * weight == pytest.approx(3000.0 * np.pi * 0.25)
    assert any("Panel" in item and "spot" in item for item in lost)

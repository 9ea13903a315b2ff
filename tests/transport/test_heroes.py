"""Heroes as metering weighs them."""

from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.transport.scene.heroes import hero_cells
from wallum.transport.scene.rays import RayScene


def rays_of(level):
    return RayScene(level, flatten(level))


def test_heroes_are_found_in_the_picture(room):
    rays = rays_of(room)
    camera = Camera((0.0, 1.5, 3.5), (0.5, -0.2, -1.0), 60.0, 16 / 9, far=50.0)
    none = hero_cells(rays, room, frozenset(), camera, (64, 36))
    some = hero_cells(rays, room, frozenset({room.parts[-1].id}), camera, (64, 36))
    every = hero_cells(rays, room, frozenset(p.id for p in room.parts), camera, (64, 36))
    assert none.sum() == 0
    assert 0 < some.sum() < every.sum()
    assert every.mean() == 1.0

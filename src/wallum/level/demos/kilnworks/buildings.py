"""Walls, gate and lane, throwing shed, clay vault, drying terrace: what stands and stays."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from wallum.level.demos.kilnworks.shapes import (
    at,
    beam,
    bevelled_box,
    joined,
    moved,
    sheet,
    tube_along,
    turned,
    wall,
)
from wallum.level.demos.kilnworks.surfaces import Surface
from wallum.level.demos.kilnworks.terrain import STAIR
from wallum.level.model.model import Primitive
from wallum.level.model.shading_basis import with_tangents
from wallum.level.model.solids import grid

__all__ = ["buildings", "letters"]

S = Surface
# Deep enough for a good layer of earth over its crown.
VAULT_FLOOR = -4.4
Named = tuple[str, tuple[Primitive, ...]]


def _caps(start: tuple[float, float], end: tuple[float, float], top: float) -> list[Primitive]:
    """A coping of clay slabs along a wall."""
    a, b = np.array(start), np.array(end)
    long = float(np.linalg.norm(b - a))
    count = max(1, round(long / 0.9))
    turn = -np.degrees(np.arctan2(b[1] - a[1], b[0] - a[0]))
    out = []
    for k in range(count):
        middle = a + (b - a) * (k + 0.5) / count
        half = long / count / 2 - 0.008
        slab = bevelled_box((-half, top, -0.27), (half, top + 0.085, 0.27), S.CLAY, 0.018)
        out.append(moved(slab, at(middle[0], 0.0, middle[1], turn + 0.6 * np.sin(k * 2.3))))
    return out


def _run(
    start: tuple[float, float],
    end: tuple[float, float],
    high: float,
    material: int,
    openings: tuple[tuple[float, float, float, float], ...] = (),
    cap: bool = True,
) -> list[Primitive]:
    out = wall(
        start,
        end,
        -0.4,
        high,
        0.4,
        material,
        [(a, b, sill + 0.4, head + 0.4) for a, b, sill, head in openings],
    )
    tall = not openings or all(head < high for *_, head in openings)
    return out + (_caps(start, end, high) if cap and tall else [])


def _yard_walls() -> Iterator[Named]:
    yield (
        "south wall",
        joined(_run((-17, 14), (3.6, 14), 2.7, S.PLASTER) + _run((8.4, 14), (17, 14), 2.7, S.PLASTER)),
    )
    yield (
        "west wall",
        joined(_run((-17, -14), (-17, 2.2), 2.7, S.PLASTER) + _run((-17, 6.0), (-17, 14), 2.7, S.PLASTER)),
    )
    yield (
        "north wall",
        joined(_run((-17, -14), (-0.8, -14), 2.9, S.PLASTER) + _run((3.2, -14), (17, -14), 2.9, S.PLASTER)),
    )
    yield "east wall", joined(_run((17, -14), (17, 14), 2.7, S.PLASTER))
    buttresses = []
    for x in (-12.0, -6.0, 0.0):
        buttresses.append(bevelled_box((x - 0.3, -0.3, 13.3), (x + 0.3, 1.9, 13.9), S.PLASTER, 0.06))
    for z in (-9.0, -3.0, 9.5):
        buttresses.append(bevelled_box((-16.9, -0.3, z - 0.3), (-16.3, 1.9, z + 0.3), S.PLASTER, 0.06))
    yield "buttresses", joined(buttresses)


def _gate() -> Iterator[Named]:
    out = []
    for x in (3.3, 8.7):
        out.append(bevelled_box((x - 0.45, -0.4, 13.5), (x + 0.45, 3.5, 14.5), S.BRICK, 0.03))
        out.append(bevelled_box((x - 0.55, 3.5, 13.4), (x + 0.55, 3.68, 14.6), S.CLAY, 0.03))
    yield "gate posts", joined(out)
    timbers = [beam((3.0, 3.55, 14.0), (9.0, 3.55, 14.0), 0.3, 0.34, S.TIMBER)]
    for side, hinge in ((-1.0, 3.85), (1.0, 8.15)):
        ahead = np.array([side * 0.34, 0.0, 0.94])
        for board in range(7):
            foot = np.array([hinge, 0.08, 14.3]) + ahead * (0.12 + board * 0.27)
            timbers.append(
                beam(tuple(foot), (foot[0], 2.5 - 0.03 * (board % 2), foot[2]), 0.25, 0.05, S.TIMBER)
            )
        for height in (0.45, 1.35, 2.2):
            a = np.array([hinge - 0.05 * side, height, 14.3])
            timbers.append(beam(tuple(a), tuple(a + ahead * 1.95), 0.05, 0.16, S.TIMBER))
    yield "gate leaves", joined(timbers)
    lamp = [tube_along(np.array([[8.7, 3.0, 14.5], [8.7, 3.15, 14.85], [8.7, 3.05, 15.1]]), 0.022, 8, S.IRON)]
    lamp.append(turned([(0.001, 3.08), (0.15, 3.0), (0.16, 2.96), (0.12, 2.95)], 14, S.IRON, 1))
    yield "gate lamp bracket", joined([lamp[0], moved(lamp[1], at(8.7, 0.0, 15.1))])


def _lane() -> Iterator[Named]:
    yield "lane wall east", joined(_run((9.6, 15.2), (9.9, 40.0), 2.1, S.PLASTER))
    yield "lane wall west", joined(_run((2.6, 27.5), (2.2, 40.0), 2.1, S.PLASTER))
    shop = _run(
        (2.9, 15.5),
        (2.9, 27.0),
        4.3,
        S.BRICK,
        ((2.2, 3.5, 0.0, 2.25), (5.6, 6.9, 1.0, 2.3), (8.4, 9.7, 1.0, 2.3)),
    )
    shop += _run((-3.0, 15.5), (2.9, 15.5), 4.3, S.BRICK) + _run((-3.0, 27.0), (2.9, 27.0), 4.3, S.BRICK)
    shop += _run((-3.0, 15.5), (-3.0, 27.0), 4.3, S.BRICK)
    yield "shop walls", joined(shop)
    roof = np.array([[[-3.6, 4.9, 14.9], [3.6, 4.25, 14.9]], [[-3.6, 4.9, 27.6], [3.6, 4.25, 27.6]]])
    yield "shop roof", (grid(roof[::-1], S.ROOF, (7.3, 12.7)),)
    sills = []
    for z in (21.1 + 0.65, 23.9 + 0.65):
        sills.append(bevelled_box((2.65, 0.9, z - 0.85), (3.25, 1.0, z + 0.85), S.CLAY, 0.02))
        sills.append(beam((2.9, 2.38, z - 0.9), (2.9, 2.38, z + 0.9), 0.46, 0.16, S.TIMBER))
        for bar in (-0.4, 0.0, 0.4):
            sills.append(beam((2.9, 1.0, z + bar), (2.9, 2.3, z + bar), 0.05, 0.05, S.TIMBER))
    sills.append(beam((2.9, 2.33, 17.5), (2.9, 2.33, 19.2), 0.46, 0.16, S.TIMBER))
    sills.append(bevelled_box((2.82, 0.0, 17.75), (2.92, 2.2, 18.95), S.TIMBER, 0.02))
    yield "shop openings", joined(sills)
    board = [bevelled_box((3.13, 2.86, 18.6), (3.24, 3.72, 26.2), S.GLAZE_BLUE, 0.03)]
    board += [
        beam((3.2, 2.82, 18.5), (3.2, 2.82, 26.3), 0.2, 0.08, S.IRON),
        beam((3.2, 3.76, 18.5), (3.2, 3.76, 26.3), 0.2, 0.08, S.IRON),
    ]
    yield "sign board", joined(board)
    yield "kiln sign letters", letters("COPPERFOLD", (3.27, 2.97, 25.85), 0.62, 0.44, 0.30)


STROKES = {
    "C": "A B C D", "O": "A B C D E F", "P": "A B C E G", "E": "A B C D G", "R": "A B C E G R", "F": "A B C G",
    "L": "B C D", "D": "A B C D E F",
}  # fmt: skip


def letters(
    text: str, start: tuple[float, float, float], high: float, wide: float, gap: float
) -> tuple[Primitive, ...]:
    """Letters of straight strokes on a wall that looks east, read toward north (-z)."""
    x, y, z = start
    t = 0.085
    bars = {
        "A": ((0, high - t), (wide, high)), "B": ((0, high / 2), (t, high)), "C": ((0, 0), (t, high / 2)),
        "D": ((0, 0), (wide, t)), "E": ((wide - t, high / 2), (wide, high)), "F": ((wide - t, 0), (wide, high / 2)),
        "G": ((0, high / 2 - t / 2), (wide, high / 2 + t / 2)), "R": ((wide - 1.6 * t, 0), (wide - 0.4 * t, high / 2)),
    }  # fmt: skip
    cut = {"A": ((0, high - t), (wide - t, high)), "D": ((0, 0), (wide - t, t)),
           "E": ((wide - t, high / 2), (wide, high - t)), "F": ((wide - t, t), (wide, high / 2))}  # fmt: skip
    out = []
    for number, letter in enumerate(text):
        left = z - number * (wide + gap)
        for name in STROKES[letter].split():
            (a, low), (b, top) = (bars | cut if letter == "D" else bars)[name]
            out.append(
                bevelled_box((x - 0.02, y + low, left - b), (x + 0.07, y + top, left - a), S.SIGN_GLOW, 0.02)
            )
    return joined(out)


def _shed() -> Iterator[Named]:
    x0, x1, z0, z1 = 8.2, 16.7, -13.6, -2.2
    yield "shed walls", joined(
        _run((x0 + 0.2, z0), (x1, z0), 3.5, S.BRICK, ((1.0, 2.5, 1.1, 2.6), (3.5, 5.0, 1.1, 2.6), (6.0, 7.5, 1.1, 2.6)), cap=False)
        + _run((x0, z1), (x0, -5.2), 3.1, S.BRICK, cap=False) + _run((x0, -11.2), (x0, z0), 3.1, S.BRICK, cap=False)
        + _run((x0, z1), (x1, z1), 3.3, S.PLASTER, ((3.2, 4.6, 0.0, 2.3),), cap=False)
    )  # fmt: skip
    frame = []
    for z in (z1, -5.2, -8.2, -11.2, z0):
        frame.append(beam((x0, 0.0, z), (x0, 3.3, z), 0.22, 0.22, S.TIMBER))
        frame.append(beam((x0 - 0.5, 3.18, z), (x1 + 0.1, 3.85, z), 0.16, 0.26, S.TIMBER))
        if z1 > z > z0:
            frame.append(beam((12.6, 0.0, z), (12.6, 3.5, z), 0.2, 0.2, S.TIMBER))
            for side in (-1.0, 1.0):
                frame.append(beam((12.6 + side * 0.8, 3.52, z), (12.6, 2.7, z), 0.1, 0.12, S.TIMBER))
    frame.append(beam((x0, 3.2, z1 + 0.1), (x0, 3.2, z0 - 0.1), 0.2, 0.24, S.TIMBER))
    for z in (-12.35, -9.85, -7.35):
        frame.append(beam((9.4 + (z + 12.35), 1.1, z0), (9.4 + (z + 12.35), 2.6, z0), 0.05, 0.05, S.TIMBER))
    yield "shed frame", joined(frame)
    slats = []
    for k in range(28):  # the south half lets the sun in
        z = z1 - 0.1 - k * 0.235
        slats.append(beam((x0 - 0.6, 3.36 + 0.006 * (k % 3), z), (x1 + 0.3, 4.06, z), 0.135, 0.03, S.TIMBER))
    yield "shed slats", joined(slats)
    rows = np.linspace(z0 - 0.5, z1 - 6.6, 2)
    cols = np.linspace(x0 - 0.7, x1 + 0.4, 2)
    points = np.array([[[x, 3.36 + (x - x0 + 0.6) * 0.0775 + 0.05, z] for x in cols] for z in rows])
    turned_uv = grid(points, S.ROOF, (9.0, 5.6))
    yield "shed roof", (turned_uv,)
    floor = np.array([[[x0, 0.09, z1], [x1, 0.09, z1]], [[x0, 0.09, z0], [x1, 0.09, z0]]])
    yield "shed floor", (sheet(floor, S.CLAY),)


def _along(sheet_of_bricks: Primitive) -> Primitive:
    """The same with its courses laid along the other way."""
    assert sheet_of_bricks.uv0 is not None
    uv = np.ascontiguousarray(sheet_of_bricks.uv0[:, ::-1])
    return with_tangents(replace(sheet_of_bricks, uv0=uv))


def _vault() -> Iterator[Named]:
    x0, x1, z0, z1, floor, spring = -31.0, -18.9, 0.8, 7.2, VAULT_FLOOR, VAULT_FLOOR + 1.65
    angle = np.linspace(0.0, np.pi, 25)
    wide, rise = (z1 - z0) / 2, 1.2
    z = (z0 + z1) / 2 + np.cos(angle) * wide
    y = spring + np.sin(angle) * rise
    ring = np.concatenate([[[floor - 0.1, z1]], np.stack([y, z], axis=1), [[floor - 0.1, z0]]])
    xs = np.linspace(x0, x1, 21)
    net = np.array([[[x, h, d] for h, d in ring] for x in xs])
    run = float(np.linalg.norm(np.diff(ring, axis=0), axis=1).sum())
    yield "vault barrel", (_along(grid(net, S.BRICK, (run, x1 - x0))),)
    ground = np.array([[[x, floor, d] for d in np.linspace(z1, z0, 6)] for x in np.linspace(x0, x1, 12)])
    yield "vault floor", (sheet(ground[::-1], S.EARTH),)
    back = wall((x0, z0 - 0.2), (x0, z1 + 0.2), floor, floor + 2.95, 0.3, S.BRICK)
    front = wall((x1, z0 - 0.2), (x1, z1 + 0.2), floor, floor + 2.95, 0.4, S.BRICK, [(2.35, 4.45, 0.0, 2.25)])
    yield "vault ends", joined(back + front)
    ribs = []
    for x in np.linspace(x0 + 2.0, x1 - 1.6, 4):
        arc = np.stack([np.full(25, x), y + 0.03, (z0 + z1) / 2 + np.cos(angle) * (wide + 0.03)], axis=1)
        ribs.append(tube_along(arc, 0.13, 8, S.BRICK))
        for side in (z0 + 0.16, z1 - 0.16):
            ribs.append(
                bevelled_box((x - 0.17, floor, side - 0.17), (x + 0.17, spring, side + 0.17), S.BRICK, 0.03)
            )
    yield "vault ribs", joined(ribs)
    sx0, sx1, sz0, sz1 = STAIR
    steps, count = [], 22
    for k in range(count):
        left = sx0 + (sx1 - sx0) * k / count
        top = floor * (1.0 - (k + 1) / count)
        steps.append(bevelled_box((left, floor - 0.2, sz0), (sx1, top, sz1), S.PALE_STONE, 0.022))
    yield "vault stair", joined(steps)
    sides = []
    for z_side in (sz0 - 0.2, sz1 + 0.2):
        sides.append(
            bevelled_box(
                (sx0 - 0.1, floor - 0.2, z_side - 0.2), (sx1 + 0.3, 0.55, z_side + 0.2), S.PLASTER, 0.03
            )
        )
    sides.append(
        bevelled_box((sx0 - 0.5, floor + 2.25, sz0 - 0.4), (sx0 + 0.02, 0.55, sz1 + 0.4), S.PLASTER, 0.03)
    )
    yield "stair walls", joined(sides)
    door = []
    for board in range(6):
        foot = np.array([sx0 + 0.42 + board * 0.21, floor + 0.24, sz1 - 0.1])
        door.append(beam(tuple(foot), (foot[0], floor + 2.35, foot[2]), 0.2, 0.06, S.TIMBER))
    for height in (0.55, 1.9):
        door.append(
            beam(
                (sx0 + 0.3, floor + height, sz1 - 0.15),
                (sx0 + 1.6, floor + height, sz1 - 0.15),
                0.04,
                0.1,
                S.IRON,
            )
        )
    yield "vault door", joined(door)


def _terrace() -> Iterator[Named]:
    x0, x1, z0, z1, top = -11.5, 9.5, -25.5, -14.4, 1.2
    floor = np.array([[[x, top, z] for x in np.linspace(x0, x1, 8)] for z in np.linspace(z0, z1, 5)])
    yield "terrace floor", (sheet(floor[::-1], S.PAVING),)
    sides = wall((x0, z0), (x1, z0), -6.5, top - 0.02, 0.6, S.BRICK) + wall(
        (x0, z0), (x0, z1), -6.5, top - 0.02, 0.6, S.BRICK
    )
    sides += wall((x1, z0), (x1, z1), -6.5, top - 0.02, 0.6, S.BRICK)
    sides += wall((x0, z0), (x1, z0), top, top + 0.55, 0.36, S.PLASTER)
    sides += wall((x0, z0), (x0, z1), top, top + 0.55, 0.36, S.PLASTER)
    sides += wall((x1, z0), (x1, z1), top, top + 0.55, 0.36, S.PLASTER)
    sides += (
        _caps((x0, z0), (x1, z0), top + 0.55)
        + _caps((x0, z0), (x0, z1), top + 0.55)
        + _caps((x1, z0), (x1, z1), top + 0.55)
    )
    yield "terrace walls", joined(sides)
    steps = []
    for k in range(6):
        steps.append(
            bevelled_box(
                (-0.6, -0.3, z1 - 0.2), (3.0, top - 0.2 * k, z1 + 0.35 * (k + 1)), S.PALE_STONE, 0.025
            )
        )
    yield "terrace steps", joined(steps)
    frame = []
    posts_x = np.linspace(x0 + 1.2, x1 - 1.2, 6)
    for x in posts_x:
        for z in (z0 + 1.0, z1 - 2.6):
            frame.append(bevelled_box((x - 0.2, top, z - 0.2), (x + 0.2, top + 0.5, z + 0.2), S.BRICK, 0.02))
            frame.append(beam((x, top + 0.5, z), (x, top + 2.75, z), 0.16, 0.16, S.TIMBER))
        frame.append(beam((x, top + 2.88, z0 + 0.4), (x, top + 2.88, z1 - 2.0), 0.14, 0.18, S.TIMBER))
    for z in (z0 + 1.0, z1 - 2.6):
        frame.append(beam((x0 + 0.6, top + 2.7, z), (x1 - 0.6, top + 2.7, z), 0.16, 0.2, S.TIMBER))
    for z in np.arange(z0 + 0.6, z1 - 2.1, 0.62):
        frame.append(
            beam((x0 + 0.5, top + 3.0, float(z)), (x1 - 0.5, top + 3.0, float(z)), 0.07, 0.06, S.TIMBER)
        )
    yield "pergola", joined(frame)
    rng = np.random.default_rng(9)
    mats = []
    for x in np.arange(x0 + 0.9, x1 - 2.0, 2.05):
        for z in np.arange(z0 + 0.7, z1 - 3.4, 1.9):
            if rng.random() < 0.24:
                continue
            slip = rng.normal(0.0, 0.08, 2)
            net = [[[x + a + slip[0], top + 3.05 + 0.03 * np.sin(a * 5 + b * 4 + x), z + b + slip[1]]
                    for a in np.linspace(0, 1.95, 5)] for b in np.linspace(0, 1.8, 5)]  # fmt: skip
            mats.append(sheet(np.array(net)[::-1], S.REED))
    yield "reed mats", joined(mats)


def buildings() -> Iterator[Named]:
    """Every standing thing by its name."""
    yield from _yard_walls()
    yield from _gate()
    yield from _lane()
    yield from _shed()
    yield from _vault()
    yield from _terrace()

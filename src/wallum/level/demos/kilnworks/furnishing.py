"""What lies and stands about: pots, cart, well, wheels, racks, strings of lamps, planting."""

import numpy as np
from numpy.typing import NDArray

from wallum.level.demos.kilnworks.shapes import (
    at,
    beam,
    bevelled_box,
    blades,
    heap,
    joined,
    moved,
    pot_profile,
    tube_along,
    turned,
)
from wallum.level.demos.kilnworks.surfaces import Surface
from wallum.level.demos.kilnworks.terrain import ground_at
from wallum.level.model.model import Mesh, Part, Primitive
from wallum.level.model.solids import box, grid

__all__ = ["LANTERNS", "STRINGS", "Furnishing", "string_bulbs"]

S = Surface
# Ends of the cords that small lamps hang on, and how many hang there.
STRINGS = (
    ((-16.6, 3.6, 9.0), (-16.5, 3.5, -8.0), 7),
    ((-0.65, 4.5, -0.65), (8.2, 3.5, -3.0), 6),
    ((3.3, 3.7, 13.8), (8.2, 3.4, -2.4), 9),
)
# Where lanterns of their own hang or stand: shed, vault, terrace.
LANTERNS = {
    "Shed Work Lamp": (11.0, 1.95, -6.6),
    "Shed Shelf Lamp": (15.6, 2.05, -11.6),
    "Vault Lamp": (-25.2, -2.3, 2.3),
    "Terrace Lamp": (-7.0, 3.1, -19.5),
    "Gate Lamp": (8.7, 2.86, 15.1),
}


def cord(
    start: tuple[float, float, float], end: tuple[float, float, float], steps: int
) -> NDArray[np.float64]:
    """Points (K, 3) of a cord that hangs between two places."""
    t = np.linspace(0.0, 1.0, steps)[:, None]
    line = np.array(start) * (1.0 - t) + np.array(end) * t
    line[:, 1] -= 0.9 * (4.0 * t[:, 0] * (1.0 - t[:, 0]))
    return line


def string_bulbs() -> list[NDArray[np.float64]]:
    """Where the bulbs of the strings hang."""
    out = []
    for start, end, count in STRINGS:
        line = cord(start, end, count + 2)[1:-1]
        out += [place - np.array([0.0, 0.16, 0.0]) for place in line]
    return out


class Furnishing:
    """Collects meshes and parts; a mesh is made once and placed as often as it is wanted."""

    def __init__(self, first_mesh: int) -> None:
        self._first = first_mesh
        self.meshes: list[Mesh] = []
        self.parts: list[Part] = []
        self._names: dict[str, int] = {}
        self._rng = np.random.default_rng(1847)

    def mesh(self, name: str, primitives: tuple[Primitive, ...]) -> int:
        """Take a mesh in; returns its number."""
        self.meshes.append(Mesh(name, primitives))
        return self._first + len(self.meshes) - 1

    def put(self, name: str, mesh: int, matrix: NDArray[np.float64]) -> None:
        """Place a mesh under a name that is made unique."""
        number = self._names.get(name, 0) + 1
        self._names[name] = number
        unique = name if number == 1 else f"{name} {number}"
        self.parts.append(Part(unique, unique, mesh, matrix))

    def build(self) -> None:
        """Everything."""
        self._pots()
        self._cart()
        self._well()
        self._shed_inside()
        self._terrace_racks()
        self._strings()
        self._planting()

    def _on_ground(self, x: float, z: float, turn: float = 0.0, scale: float = 1.0) -> NDArray[np.float64]:
        return at(x, ground_at(x, z) - 0.015, z, turn, scale)

    # -- pots --------------------------------------------------------------------------

    def _pots(self) -> None:
        shapes = (
            ("jar", (0.36, 0.15, 0.88, 0.17), S.CLAY), ("tall jar", (0.30, 0.13, 1.18, 0.15), S.CLAY),
            ("bowl", (0.30, 0.27, 0.24, 0.12), S.CLAY), ("green jar", (0.31, 0.16, 0.72, 0.16), S.GLAZE_GREEN),
            ("blue jar", (0.27, 0.13, 0.62, 0.14), S.GLAZE_BLUE), ("small pot", (0.15, 0.09, 0.26, 0.09), S.CLAY),
        )  # fmt: skip
        kinds = [
            self.mesh(name, (turned(pot_profile(*size), 16, surface, 1),)) for name, size, surface in shapes
        ]
        self._kinds = kinds
        small = [
            ("small ware", (0.15, 0.09, 0.26, 0.09, 7), S.CLAY),
            ("low ware", (0.30, 0.27, 0.24, 0.12, 6), S.CLAY),
        ]
        self._ware = [
            self.mesh(name, (turned(pot_profile(*size), 9, surface, 1),)) for name, size, surface in small
        ]
        rng = self._rng
        rows = [(-13.0 + 1.02 * k, 12.4, (0, 1, 0)) for k in range(7)]
        rows += [(-13.2 + 0.95 * k, 11.2, (0, 3, 0)) for k in range(5)]
        rows += [(10.2 + 0.98 * k, 12.5, (1, 0, 3)) for k in range(6)]
        rows += [(11.0 + 0.9 * k, 11.4, (0, 4, 0)) for k in range(5)]
        rows += [(-15.6 + 0.1 * (k % 2), -10.5 + 1.0 * k, (1, 0, 0)) for k in range(6)]
        rows += [(-1.6 + 0.85 * (k % 3), 4.2 + 0.8 * (k // 3), (0, 1, 4)) for k in range(6)]
        rows += [(5.9, -10.5 + 0.9 * k, (3, 0, 4)) for k in range(5)]
        rows += [(2.0 + 0.8 * (k % 4) + 0.2 * (k // 4), -0.6 + 0.85 * (k // 4), (0, 1, 3)) for k in range(8)]
        rows += [(6.4 + 0.75 * (k % 2), 5.6 + 0.8 * (k // 2), (1, 0, 4)) for k in range(5)]
        for number, (x, z, among) in enumerate(rows):
            dx, dz = rng.normal(0.0, 0.07, 2)
            kind = among[int(rng.integers(0, 3))] if number % 4 else among[0]
            size = 0.85 + 0.3 * rng.random()
            self.put(
                shapes[kind][0], kinds[kind], self._on_ground(x + dx, z + dz, rng.random() * 360.0, size)
            )
        self._stacks()

    def _stacks(self) -> None:
        """Boards on trestles with small ware drying in tiers."""
        tier = []
        for level in (0.45, 0.95, 1.45):
            tier.append(bevelled_box((-1.5, level, -0.3), (1.5, level + 0.045, 0.3), S.TIMBER, 0.01))
        for x in (-1.4, 1.4):
            for z in (-0.25, 0.25):
                tier.append(beam((x, 0.0, z), (x, 1.75, z), 0.07, 0.07, S.TIMBER))
        rack = self.mesh("drying boards", joined(tier))
        rng = self._rng
        for x, z, turn in ((-6.2, 9.6, 18.0), (13.8, 2.4, 92.0), (13.8, 6.2, 87.0), (-14.6, -12.6, 2.0)):
            place = self._on_ground(x, z, turn)
            self.put("drying boards", rack, place)
            for level in (0.495, 0.995, 1.495):
                for k in range(6):
                    if rng.random() < 0.16:
                        continue
                    low = int(rng.random() > 0.7)
                    kind, size = self._ware[low], 0.62 if low else 0.9 + 0.3 * rng.random()
                    spot = place @ at(-1.22 + 0.48 * k, level, rng.normal(0.0, 0.03), 0.0, size)
                    self.put("ware", kind, spot)

    # -- the yard ----------------------------------------------------------------------

    def _cart(self) -> None:
        out = []
        for side in (-0.72, 0.72):
            rim = [
                (0.62, 0.05),
                (0.66, 0.045),
                (0.66, -0.045),
                (0.62, -0.05),
                (0.56, -0.04),
                (0.56, 0.04),
                (0.62, 0.05),
            ]
            wheel = [
                turned(rim, 32, S.TIMBER, 1),
                turned([(0.01, 0.1), (0.12, 0.09), (0.12, -0.09), (0.01, -0.1)], 12, S.TIMBER, 1),
            ]
            for k in range(8):
                turn = np.pi * k / 4
                wheel.append(
                    beam(
                        (0.0, 0.0, 0.0), (0.6 * np.cos(turn), 0.0, 0.6 * np.sin(turn)), 0.045, 0.05, S.TIMBER
                    )
                )
            upright = np.eye(4)
            upright[:3, :3] = np.array([[0.0, 1.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0]])
            upright[:3, 3] = (side, 0.66, 0.0)
            out += [moved(item, upright) for item in wheel]
        out.append(bevelled_box((-0.58, 0.72, -1.2), (0.58, 0.78, 1.2), S.TIMBER, 0.012))
        for side in (-0.56, 0.56):
            out.append(bevelled_box((side - 0.02, 0.78, -1.2), (side + 0.02, 1.08, 1.2), S.TIMBER, 0.01))
            out.append(beam((side, 0.74, 0.9), (side * 0.8, 0.55, 2.9), 0.06, 0.07, S.TIMBER))
        out.append(bevelled_box((-0.58, 0.78, -1.22), (0.58, 1.08, -1.17), S.TIMBER, 0.01))
        out.append(beam((-0.8, 0.66, 0.0), (0.8, 0.66, 0.0), 0.08, 0.08, S.IRON))
        cart = self.mesh("cart", joined(out))
        place = self._on_ground(3.4, 7.4, 128.0)
        self.put("cart", cart, place)
        for k, (x, z) in enumerate(((-0.25, -0.75), (0.28, -0.6), (-0.2, 0.05), (0.26, 0.2), (0.0, 0.75))):
            self.put("jar", self._kinds[(0, 3, 1, 0, 4)[k]], place @ at(x, 0.78, z, 40.0 * k, 0.62))

    def _well(self) -> None:
        ring = turned(
            [(0.78, 0.85), (0.80, 0.92), (1.12, 0.92), (1.14, 0.84), (1.12, 0.1), (1.18, -0.3)],
            36,
            S.PALE_STONE,
            2,
        )
        inner = turned([(0.02, -1.4), (0.78, -1.4), (0.78, 0.85)][::-1], 36, S.PALE_STONE, 2)
        out = [ring, inner]
        for side in (-1.0, 1.0):
            out.append(beam((side, 0.1, 0.0), (side, 2.5, 0.0), 0.15, 0.15, S.TIMBER))
        out.append(beam((-1.2, 2.05, 0.0), (1.2, 2.05, 0.0), 0.12, 0.12, S.TIMBER))
        out.append(
            tube_along(np.array([[0.0, 2.0, 0.05], [0.02, 1.5, 0.06], [0.0, 1.15, 0.05]]), 0.016, 6, S.ROPE)
        )
        out.append(
            moved(
                turned([(0.10, 0.26), (0.15, 0.27), (0.11, 0.0), (0.01, 0.0)], 16, S.TIMBER, 1),
                at(0, 0.9, 0.05),
            )
        )
        for side in (-1.0, 1.0):
            net = np.array(
                [
                    [[x, 2.62 - side * k * 0.28 * side, side * k * 0.95] for x in (-1.45, 1.45)]
                    for k in (0.0, 1.0)
                ]
            )
            out.append(grid(net if side < 0 else net[::-1], S.ROOF, (2.9, 1.0)))
        self.put("well", self.mesh("well", joined(out)), self._on_ground(-11.8, 7.4, 24.0))
        for x, z, size in ((-11.4, -6.2, 0.9), (7.2, 3.2, 0.7), (-13.6, 1.6, 0.6)):
            mound = heap(self._rng, size, size * 0.45, S.WET_CLAY)
            self.put("clay heap", self.mesh("clay heap", (mound,)), self._on_ground(x, z))
        bricks = [box((0.26 * (k % 6) - 0.78, 0.105 * (k // 6 % 5), 0.13 * (k // 30) - 0.2),
                               (0.26 * (k % 6) - 0.54, 0.105 * (k // 6 % 5) + 0.095, 0.13 * (k // 30) - 0.085), S.BRICK)
                  for k in range(78)]  # fmt: skip
        self.put("brick stack", self.mesh("brick stack", joined(bricks)), self._on_ground(-7.2, -9.4, 14.0))
        logs = []
        for k in range(26):
            row = k // 7
            x, y = (k % 7) * 0.24 - 0.72 + 0.12 * (row % 2), 0.11 + row * 0.2
            log = [(0.01, 0.0), (0.105, 0.01), (0.11, 1.1), (0.01, 1.11)][::-1]
            lie = np.eye(4)
            lie[:3, :3] = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]])
            lie[:3, 3] = (x, y, -0.55)
            logs.append(moved(turned(log, 9, S.TIMBER, 1), lie))
        stack = self.mesh("fire wood", joined(logs))
        self.put("fire wood", stack, self._on_ground(1.6, -7.4, 30.0))
        self.put("fire wood", stack, self._on_ground(-9.4, -1.2, 80.0))

    # -- shed and terrace --------------------------------------------------------------

    def _shed_inside(self) -> None:
        head = [
            turned(
                [(0.01, 0.86), (0.20, 0.86), (0.21, 0.84), (0.20, 0.82), (0.03, 0.81), (0.03, 0.25)],
                28,
                S.TIMBER,
                1,
            )
        ]
        head.append(
            turned(
                [(0.03, 0.28), (0.5, 0.27), (0.52, 0.22), (0.5, 0.17), (0.03, 0.16), (0.03, 0.05)],
                32,
                S.TIMBER,
                1,
            )
        )
        head += [beam((-0.62, 0.1, z), (-0.62, 0.95, z), 0.09, 0.09, S.TIMBER) for z in (-0.5, 0.5)]
        head.append(bevelled_box((-0.75, 0.72, -0.6), (-0.32, 0.78, 0.6), S.TIMBER, 0.012))
        head.append(bevelled_box((-1.2, 0.5, -0.22), (-0.84, 0.56, 0.22), S.TIMBER, 0.012))
        wheel = self.mesh("shed wheel", joined(head))
        vessel = self.mesh("wet pot", (turned(pot_profile(0.15, 0.09, 0.3, 0.08), 28, S.WET_CLAY, 1),))
        for name, x, z, turn in (("shed wheel", 10.6, -5.4, 20.0), ("wheel", 14.4, -8.8, 200.0)):
            place = at(x, 0.09, z, turn)
            self.put(name, wheel, place)
            self.put("wet pot", vessel, place @ at(0.0, 0.865, 0.0))
        table = [bevelled_box((-1.3, 0.78, -0.42), (1.3, 0.86, 0.42), S.TIMBER, 0.015)]
        table += [
            beam((x, 0.0, z), (x, 0.78, z), 0.09, 0.09, S.TIMBER)
            for x in (-1.15, 1.15)
            for z in (-0.32, 0.32)
        ]
        self.put("work table", self.mesh("work table", joined(table)), at(11.6, 0.09, -11.9))
        for k in range(7):
            kind = self._ware[int(k % 3 == 0)]
            self.put("ware", kind, at(10.6 + 0.33 * k, 0.95, -11.9 + 0.1 * (k % 2), 0.0, 0.8))
        shelf = [
            bevelled_box((-0.22, y, -2.6), (0.22, y + 0.05, 2.6), S.TIMBER, 0.01) for y in (0.5, 1.05, 1.6)
        ]
        shelf += [beam((0.18, 0.0, z), (0.18, 2.1, z), 0.08, 0.08, S.TIMBER) for z in (-2.5, 0.0, 2.5)]
        self.put("shelves", self.mesh("shelves", joined(shelf)), at(16.2, 0.09, -9.6))
        rng = self._rng
        for y in (0.64, 1.19, 1.74):
            for k in range(10):
                if rng.random() < 0.8:
                    pick = int(rng.integers(0, 4))
                    kind = self._kinds[4] if pick == 3 else self._ware[pick // 2]
                    size = 0.55 if pick == 3 else 0.85
                    self.put("ware", kind, at(16.15, y, -11.95 + 0.5 * k, 0.0, size))
        self._lanterns()

    def _lanterns(self) -> None:
        """Glass and hood of the lamps, and the stand of one."""
        bulb = np.linspace(0.0, np.pi, 7)
        glass = [(0.075 * float(np.sin(t)) + 1e-4, 0.095 * float(np.cos(t))) for t in bulb]
        lantern = [
            turned(glass, 10, S.LAMP_GLASS, 1),
            turned([(0.001, 0.13), (0.06, 0.12), (0.085, 0.085), (0.03, 0.08)], 14, S.IRON, 1),
        ]
        self._lantern = self.mesh("lantern", joined(lantern))
        for name, (x, y, z) in LANTERNS.items():
            self.put(f"{name} glass", self._lantern, at(x, y, z))
        stand = [
            beam((0.0, 0.1, 0.0), (0.0, 2.15, 0.0), 0.035, 0.035, S.IRON),
            beam((0.0, 2.12, 0.0), (0.3, 2.12, 0.0), 0.03, 0.03, S.IRON),
        ]
        stand.append(turned([(0.01, 0.13), (0.2, 0.11), (0.22, 0.09), (0.01, 0.08)], 16, S.IRON, 1))
        iron = self.mesh("lamp stand", joined(stand))
        self.put("lamp stand", iron, at(10.7, 0.0, -6.6))

    def _terrace_racks(self) -> None:
        frame = []
        for y in (0.35, 0.8, 1.25):
            frame.append(bevelled_box((-1.7, y, -0.35), (1.7, y + 0.04, 0.35), S.TIMBER, 0.01))
            for k in range(11):
                frame.append(
                    box(
                        (-1.6 + 0.3 * k, y + 0.05, -0.26),
                        (-1.56 + 0.3 * k, y + 0.33, 0.26),
                        S.CLAY if k % 4 else S.TILE,
                    )
                )
        for x in (-1.65, 1.65):
            frame += [beam((x, 0.0, z), (x, 1.55, z), 0.07, 0.07, S.TIMBER) for z in (-0.3, 0.3)]
        rack = self.mesh("tile rack", joined(frame))
        for x, z, turn in ((-8.0, -17.4, 0.0), (-3.6, -17.4, 2.0), (6.0, -18.2, 90.0), (-9.6, -21.8, 84.0)):
            self.put("tile rack", rack, at(x, 1.2, z, turn))
        bench = [bevelled_box((-1.1, 0.42, -0.24), (1.1, 0.48, 0.24), S.TIMBER, 0.015)]
        bench += [
            bevelled_box((x - 0.08, 0.0, -0.2), (x + 0.08, 0.42, 0.2), S.TIMBER, 0.015) for x in (-0.9, 0.9)
        ]
        self.put("bench", self.mesh("bench", joined(bench)), at(0.6, 1.2, -24.2))
        tuft = self.mesh("pot plant", (blades(self._rng, 34, 0.8, 1.0, S.LEAF),))
        for x, z in ((-10.6, -15.2), (8.6, -15.2), (8.7, -24.5), (3.6, -14.9), (-1.2, -14.9)):
            self.put("planted jar", self._kinds[3], at(x, 1.2, z, 30.0, 0.8))
            self.put("pot plant", tuft, at(x, 1.2 + 0.5, z, 70.0 * x))

    # -- strings and planting ----------------------------------------------------------

    def _strings(self) -> None:
        cords = [tube_along(cord(start, end, 18), 0.011, 5, S.ROPE) for start, end, _ in STRINGS]
        poles = [
            beam((x, -0.3, z), (x, y + 0.2, z), 0.11, 0.11, S.TIMBER)
            for x, y, z in ((-16.6, 3.6, 9.0), (-16.5, 3.5, -8.0))
        ]
        self.put("strings", self.mesh("strings", joined(cords + poles)), np.eye(4))
        for number, place in enumerate(string_bulbs()):
            x, y, z = place.tolist()
            self.put(f"string bulb {number + 1}", self._lantern, at(x, y, z, 0.0, 0.72))

    def _planting(self) -> None:
        rng = self._rng
        spiky = [self.mesh("agave", (blades(rng, 30, 0.85, 1.25, S.LEAF, 0.12),)) for _ in range(2)]
        dry = [self.mesh("scrub", (blades(rng, 13, 0.7, 0.9, S.SCRUB, 0.3, 3),)) for _ in range(3)]
        for x, z, size in ((-15.9, 12.9, 1.0), (-14.9, 13.2, 0.8), (16.0, 9.2, 1.0), (4.5, 16.2, 0.7), (9.0, 22.0, 0.8),
                           (15.9, -0.8, 0.9), (-16.0, 7.0, 0.9), (2.2, 28.8, 0.9), (9.1, 31.0, 1.0)):  # fmt: skip
            self.put("agave", spiky[int(rng.integers(0, 2))], self._on_ground(x, z, rng.random() * 360, size))
        count = 0
        while count < 150:
            turn, away = rng.random() * 2 * np.pi, 23.0 + 46.0 * rng.random() ** 1.5
            x, z = away * np.cos(turn) * 1.1, away * np.sin(turn) + 4.0
            if (
                (-13.0 < x < 11.0 and -27.0 < z < -13.0)
                or (1.5 < x < 10.5 and z > 10.0)
                or (-4.0 < x < 4.0 and 14.0 < z < 28.0)
            ):
                continue
            self.put(
                "scrub",
                dry[int(rng.integers(0, 3))],
                self._on_ground(x, z, rng.random() * 360, 0.7 + rng.random()),
            )
            count += 1
        self._tree(12.2, 8.6)
        self._tree(-20.5, -6.0)

    def _tree(self, x: float, z: float) -> None:
        """A low crooked tree with a wide, thin crown."""
        rng = self._rng
        out, ends = [], []
        trunk = np.array([[0.0, -0.2, 0.0], [0.12, 0.7, 0.05], [0.0, 1.4, 0.15], [0.1, 1.9, 0.1]])
        out.append(tube_along(trunk, 0.14, 9, S.TIMBER))
        for k in range(7):
            turn = 0.9 * k + rng.normal(0.0, 0.2)
            reach, rise = 1.5 + 0.7 * rng.random(), 1.0 + 0.7 * rng.random()
            t = np.linspace(0.0, 1.0, 5)[:, None]
            direction = np.array([np.cos(turn), 0.0, np.sin(turn)])
            line = trunk[-1] + direction * reach * t + np.array([0.0, 1.0, 0.0]) * rise * t**0.7
            out.append(tube_along(line, 0.05, 6, S.TIMBER))
            ends += [line[3], line[4]]
        cards = []
        for end in ends:
            for _ in range(46):
                middle = end + rng.normal(0.0, 1.0, 3) * np.array([0.62, 0.3, 0.62])
                a = rng.normal(0.0, 1.0, 3)
                b = np.cross(a, rng.normal(0.0, 1.0, 3))
                a, b = 0.11 * a / np.linalg.norm(a), 0.035 * b / np.linalg.norm(b)
                cards.append(np.array([[middle - a, middle - b], [middle + b, middle + a]]))
        leaves = [grid(card, S.LEAF) for card in cards]
        self.put(
            "tree", self.mesh("tree", joined([*out, *leaves])), self._on_ground(x, z, rng.random() * 360)
        )

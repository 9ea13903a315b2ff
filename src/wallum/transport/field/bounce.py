"""Light that comes back: what probes have of each other, over as many surfaces as it takes."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from wallum.level.model.model import Level, Mesh
from wallum.moment.bounce_gains import Key, bounce_keys, coloured, gains_of, glow_of
from wallum.moment.scene import OF, LitScene
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.field.bright import bright_light
from wallum.transport.field.cast import ProbeView, rays_each
from wallum.transport.field.glow import GlowingProbes, find_shining
from wallum.transport.field.open_air import OpenAir, ways_seen
from wallum.transport.field.probes import Probes
from wallum.transport.field.relight import Direct, direct_of
from wallum.transport.field.rooms import Rooms
from wallum.transport.scene.rays import RayScene

__all__ = ["BOUNCES", "BounceField", "Field", "UnitResponse", "smoothing"]

# Bounces that are followed one by one, all and while a hand moves; the rest goes on as the last two did.
BOUNCES: Final = 5
HURRIED: Final = 3


@dataclass(frozen=True)
class Field:
    """Probes of a level and what they see: all that light depends on but the sources.

    air : how open the air is; None while that has not been looked at
    """

    probes: Probes
    seen: ProbeView
    smooth: csr_matrix
    rooms: Rooms
    air: OpenAir | None = None


def smoothing(probes: Probes) -> csr_matrix:
    """(N, N) mean over each probe and those linked to it: few rays make neighbours differ by chance."""
    rows, columns = np.nonzero(probes.links >= 0)
    others = probes.links[rows, columns]
    apart = np.abs(np.array([[k % 3 - 1, k // 3 % 3 - 1, k // 9 - 1] for k in range(27)])).sum(axis=1)
    weight = 0.5 ** apart[columns]
    weight *= (probes.normals[rows] * probes.normals[others]).sum(axis=1) ** 4
    whole = np.bincount(rows, weight, len(probes))
    weight /= whole[rows]
    return csr_matrix((weight.astype(np.float32), (rows, others)), (len(probes), len(probes)))


@dataclass(frozen=True)
class UnitResponse:
    """What one source of strength 1 gives probes by light that has come back, and glow straight: (N, 3);
    `key`: of what else it depends on, see moment.bounce_gains.

    air : (A, 3) mean luminance of all surfaces that places of the air see by it
    ways : (A, 3) the same without colour, each surface's times the direction to it: where it comes from
    hurried : see BounceField.relight
    """

    key: Key
    light: NDArray[np.float32]
    air: NDArray[np.float32]
    ways: NDArray[np.float32]
    draft_quality: bool = False


@dataclass
class BounceField:
    """Light at the probes of a field, by source; `relight` brings it up to a scene. What is not in the scene
    now stays, for when it is again.

    baked : light that was baked of the level as it is, for scenes that show it
    """

    rays: RayScene
    made: Field
    shining: GlowingProbes
    parts: tuple[str, ...] = ()  # ids of the level's
    units: dict[str, UnitResponse] = field(default_factory=dict)
    baked: BakedLight | None = None
    _ways: tuple[csr_matrix, csr_matrix, csr_matrix] | None = None  # see ways_seen

    @classmethod
    def of(cls, rays: RayScene, level: Level, made: Field, follows: dict[str, str]) -> "BounceField":
        """For a level. follows : by part id, the lamp that its glow follows"""
        glows = [_glowing(level, mesh) for mesh in level.meshes]
        kinds = tuple(glow_of(follows.get(part.id, ""), glows[part.mesh]) for part in level.parts)
        return cls(rays, made, find_shining(made.probes, kinds), tuple(part.id for part in level.parts))

    def stale(self, scene: LitScene, draft_quality: bool = False) -> list[str]:
        """Sources of a scene whose light is not known as it falls now.

        hurried : what was hurried will do, and air that has changed does not count
        """
        return self._unknown(self._keys(scene), draft_quality)

    def _unknown(self, keys: dict[str, Key], draft_quality: bool) -> list[str]:
        def known(value: str, key: Key) -> bool:
            unit = self.units.get(value)
            if unit is None or unit.key[0] != key[0]:
                return False
            return draft_quality or (unit.key == key and not unit.draft_quality)

        return [item for item, key in keys.items() if not known(item, key)]

    def _keys(self, scene: LitScene) -> dict[str, Key]:
        return bounce_keys(scene) | dict.fromkeys(self.shining.ids, (scene.bodies, None))

    def relight(self, scene: LitScene, together: int = 8, draft_quality: bool = False) -> Iterator[list[str]]:
        """Work out the light of what is stale, a few sources at a time: gives their ids.

        hurried : while a hand moves: a few bounces and places of the sun less, and some is missed of what is
                  bright and seldom met, see bright.py; what was hurried stays stale
        """
        keys = self._keys(scene)
        stale = self._unknown(keys, draft_quality)
        for first in range(0, len(stale), together):
            ids = stale[first : first + together]
            self._relight(scene, ids, keys, draft_quality)
            yield ids

    def _relight(self, scene: LitScene, ids: list[str], keys: dict[str, Key], draft_quality: bool) -> None:
        built, shining = self.made, self.shining
        direct = [
            direct_of(
                self.rays, built.probes, built.seen, self._of_glow(item, scene), scene, item, draft_quality
            )
            for item in ids
        ]
        bright = (
            [] if draft_quality else [self._by_bright(scene, *item) for item in zip(ids, direct, strict=True)]
        )
        light = bounced(
            built,
            np.concatenate([item.probes for item in direct], axis=1),
            np.concatenate([item.land for item in direct], axis=1),
            np.concatenate(bright, axis=1) if bright else None,
            HURRIED if draft_quality else BOUNCES,
        )
        for number, (source_id, item) in enumerate(zip(ids, direct, strict=True)):
            own = light[:, 3 * number : 3 * number + 3]
            if source_id in shining.ids:
                own = own + item.probes
            smooth = np.asarray(built.smooth @ np.ascontiguousarray(own), np.float32)
            seen = self._seen_from_air(source_id, item.probes, own, scene)
            self.units[source_id] = UnitResponse(keys[source_id], smooth, *seen, draft_quality)

    def _by_bright(self, scene: LitScene, source_id: str, direct: Direct) -> NDArray[np.float32]:
        """(N, 3) what light of the sun, the moon or the sky is more than rays say, see bright.py: that comes
        in from afar by doors and windows."""
        built = self.made
        from_afar = source_id in [item.id for item in (scene.sun, scene.sky) if item is not None]
        if built.air is None or not from_afar:  # without its air a field is a quick look
            return np.zeros((len(built.probes), 3), np.float32)
        inputs = built.probes, built.seen.others, built.smooth, rays_each(len(built.probes))
        straight = direct.probes.mean(axis=1)
        return bright_light(self.rays, *inputs, straight, built.probes.albedo * direct.probes)

    def _seen_from_air(
        self, source_id: str, straight: Floats, light: Floats, scene: LitScene
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """(A, 3) luminance that places of the air see by a source's light (N, 3) on probes, and whence."""
        built = self.made
        if built.air is None:
            return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.float32)
        if self._ways is None:
            self._ways = ways_seen(built.air, built.probes)
        glow = source_id in self.shining.ids
        sent = built.probes.albedo * (light if glow else straight + light) / np.float32(np.pi)
        if glow:
            numbers = self._of_glow(source_id, scene)
            sent = np.array(sent)
            sent[numbers] += built.probes.glow[numbers]
        bright = luminance(sent).astype(np.float32)
        directions = np.stack([direction @ bright for direction in self._ways], axis=1)
        return np.asarray(built.air.surfaces @ np.ascontiguousarray(sent, np.float32), np.float32), directions

    def _of_glow(self, source_id: str, scene: LitScene) -> NDArray[np.int64] | None:
        """The probes that a glow is, but those of a lamp's body; None where it is no glow."""
        if source_id not in self.shining.ids:
            return None
        numbers = self.shining.groups[source_id]
        bodies = np.array([part in scene.bodies for part in self.parts] or [False])
        return numbers[~bodies.take(self.made.probes.part[numbers], mode="clip")]

    def light(self, scene: LitScene) -> NDArray[np.float32]:
        """(N, 3) illuminance of probes by what has come back, and by what glows [lx]."""
        out = np.zeros((len(self.made.probes), 3), np.float32)
        for source_id, gain in gains_of(scene, list(self.units)).items():
            out += self.units[source_id].light * gain.astype(np.float32)
        return coloured(out, scene.bounce[1])

    def shares(self, scene: LitScene, points: Floats, normals: Floats) -> dict[str, NDArray[np.float32]]:
        """By source id, (P, 3) illuminance of places by what comes back of its light [lx]; glow by its
        material. Places that no probe stands for have none."""
        result = self.made.probes.find(points, normals)
        known, units = result >= 0, dict(self.units)  # another thread may just bring it up to a scene
        out: dict[str, NDArray[np.float32]] = {}
        for source_id, gain in gains_of(scene, units).items():
            light = units[source_id].light.take(np.maximum(result, 0), 0) * gain.astype(np.float32)
            light = coloured(light * known[:, None], scene.bounce[1])
            own = source_id
            if source_id in self.shining.ids:  # whatever lamp it follows
                own = glow_of("", source_id.partition(OF)[2])
            out[own] = out[own] + light if own in out else light
        return out


def _glowing(level: Level, mesh: Mesh) -> str:
    """Name of the first material of a mesh that glows; empty where none does."""
    names = (level.materials[primitive.material] for primitive in mesh.primitives)
    return next((name.name for name in names if any(name.glow)), "")


def bounced(
    made: Field,
    first: NDArray[np.float32],
    land: Floats,
    by_bright: NDArray[np.float32] | None = None,
    bounces: int = BOUNCES,
) -> NDArray[np.float32]:
    """(N, 3 S) illuminance of probes by light that has met at least one surface, from what comes to them
    straight (N, 3 S), and by that of land beyond them (L, 3 S); S sources beside each other.
    by_bright : (N, 3 S) what the first surface sends back more than rays say"""
    count = first.shape[1] // 3
    albedo, others = np.tile(made.probes.albedo, (1, count)), made.seen.others
    last = others @ (albedo * first)
    if by_bright is not None:
        last += by_bright
    last += made.seen.land @ (np.tile(made.seen.beyond.albedo, (1, count)) * land).astype(np.float32)
    total, before = last.copy(), last
    for _ in range(bounces - 1):
        before, last = last, others @ (albedo * last)
        total += last
    # The rest goes on as the last did, by source.
    sums = [item.sum(axis=0).reshape(-1, 3).sum(axis=1) for item in (before, last)]
    ratio = np.clip(np.repeat(sums[1] / np.maximum(sums[0], 1e-30), 3), 0.0, 0.97)
    return np.asarray(total + last * (ratio / (1.0 - ratio)).astype(np.float32), np.float32)

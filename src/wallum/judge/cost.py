"""What a frame costs on a target: time by pass, and by source with it less without it."""

from dataclasses import dataclass
from typing import Literal

from wallum.document.targets import Target
from wallum.judge.device import DeviceProfile
from wallum.judge.work import Work

__all__ = ["FrameCost", "Trait", "frame_cost"]

SHARED = "shared"
Trait = Literal["lamps at a pixel", "shadowed lamps at a pixel", "memory"]


@dataclass(frozen=True)
class FrameCost:
    """Milliseconds of a frame's lighting.

    passes  : by pass
    sources : by source id, what the frame takes with it less without it; `shared` is the rest
    broken  : by trait of the target that is not kept, what is, in words
    """

    frame_ms: float
    budget_ms: float
    calibrated: bool
    passes: dict[str, float]
    sources: dict[str, float]
    broken: dict[Trait, str]

    @property
    def over(self) -> bool:
        """Whether the frame takes longer than the target allows."""
        return self.frame_ms > self.budget_ms


def frame_cost(work: Work, target: Target, profile: DeviceProfile) -> FrameCost:
    """The cost of counted work on a target's device."""
    passes = {name: profile.pass_ms(name, counts) for name, counts in work.passes.items()}
    total = sum(passes.values())
    sources = {
        source_id: sum(profile.pass_ms(name, counts) for name, counts in own.items())
        for source_id, own in work.sources.items()
    }
    sources[SHARED] = total - sum(sources.values())
    return FrameCost(total, target.budget_ms, profile.calibrated, passes, sources, _broken(work, target))


def _broken(work: Work, target: Target) -> dict[Trait, str]:
    out: dict[Trait, str] = {}
    if work.lamps_per_pixel > target.lights_per_pixel:
        allowed = f"of {target.lights_per_pixel} allowed"
        out["lamps at a pixel"] = f"{work.lamps_per_pixel} lamps reach one pixel, {allowed}"
    if work.shadowed_per_pixel > target.shadowed_per_pixel:
        text = f"{work.shadowed_per_pixel} lamps with shadows reach one pixel"
        out["shadowed lamps at a pixel"] = f"{text}, of {target.shadowed_per_pixel} allowed"
    if work.shadow_bytes + work.baked_bytes > target.memory_mb * 1e6:
        text = f"shadow maps take {work.shadow_bytes / 1e6:.0f} MB"
        if work.baked_bytes > 0.0:
            text += f" and baked light {work.baked_bytes / 1e6:.0f} MB"
        out["memory"] = f"{text}, of {target.memory_mb:.0f} MB allowed"
    return out

"""What a frame costs on a target: time by pass, and by source with it less without it."""

from dataclasses import dataclass

from wallum.document.targets import Target
from wallum.judge.device import DeviceProfile
from wallum.judge.work import Work

__all__ = ["FrameCost", "frame_cost"]

SHARED = "shared"


@dataclass(frozen=True)
class FrameCost:
    """Milliseconds of a frame's lighting.

    passes  : by pass
    sources : by source id, what the frame takes with it less without it; `shared` is the rest
    broken  : the target's traits that are not kept, in words
    """

    frame_ms: float
    budget_ms: float
    calibrated: bool
    passes: dict[str, float]
    sources: dict[str, float]
    broken: tuple[str, ...]

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


def _broken(work: Work, target: Target) -> tuple[str, ...]:
    out = []
    if work.lamps_per_pixel > target.lights_per_pixel:
        out.append(f"{work.lamps_per_pixel} lamps reach one pixel, of {target.lights_per_pixel} allowed")
    if work.shadowed_per_pixel > target.shadowed_per_pixel:
        out.append(
            f"{work.shadowed_per_pixel} lamps with shadows reach one pixel, "
            f"of {target.shadowed_per_pixel} allowed"
        )
    if work.shadow_bytes > target.memory_mb * 1e6:
        out.append(f"shadow maps take {work.shadow_bytes / 1e6:.0f} MB, of {target.memory_mb:.0f} MB allowed")
    return tuple(out)

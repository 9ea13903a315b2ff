"""What a pass of a picture did."""

from dataclasses import dataclass, field

__all__ = ["PassRecord"]


@dataclass
class PassRecord:
    """One pass: milliseconds, and counts of work by name (pixels, triangles, texels, ...)."""

    name: str
    ms: float = 0.0
    work: dict[str, int] = field(default_factory=dict)

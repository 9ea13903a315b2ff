"""What is thicker and thinner from place to place, and drifts: pockets of air, cards and veils."""

from typing import Any

from wallum.document.fields import parameter
from wallum.document.sources.placed import Placed

__all__ = ["Drifting", "contrast_field"]


def _noise(default: float, label: str, help_text: str, **more: Any) -> Any:
    return parameter(default, label=label, help=help_text, first=False, heading="Noise", **more)


def contrast_field(default: float) -> Any:
    """How strong the noise is; by default as a kind has it."""
    text = "How much thicker and thinner it is from place to place."
    return _noise(default, "Contrast", text, low=0.0, high=1.0, step=0.05)


class Drifting(Placed):
    """Noise of a chosen contrast and size, and its drift."""

    noise: float = contrast_field(0.0)
    noise_size: float = _noise(
        2.0, "Size", "Width of its larger shapes.", unit="m", low=0.1, high=500.0, step=0.1, scale="log"
    )
    drift: float = _noise(
        0.2, "Drift", "With which its shapes go through it.", unit="m/s", low=0.0, high=50.0, step=0.1
    )
    drifts_to: float = _noise(
        70.0, "Drifts to", "Clockwise from north.", unit="deg", low=-360.0, high=360.0, step=5.0
    )

    def inactive(self) -> frozenset[str]:
        still = frozenset({"noise_size", "drift", "drifts_to"}) if self.noise <= 0.0 else frozenset()
        return super().inactive() | still

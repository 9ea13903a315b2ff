"""A measured figure beside what was asked of it."""

from dataclasses import dataclass, field
from typing import Any

__all__ = ["Row", "percentile"]


@dataclass(frozen=True)
class Row:
    """A figure, what was asked, and a limit of this machine measured in the same run."""

    name: str
    value: float
    unit: str
    asked: float | None = None
    machine_limit: float | None = None
    limit_name: str = ""
    details: dict[str, Any] = field(default_factory=dict)

    @property
    def within(self) -> bool:
        return self.asked is None or self.value <= self.asked

    def as_json(self) -> dict[str, Any]:
        return {
            "name": self.name,
            "value": round(self.value, 3),
            "unit": self.unit,
            "asked": self.asked,
            "within": self.within,
            "machine_limit": self.machine_limit,
            "limit_name": self.limit_name,
            **self.details,
        }

    def as_text(self) -> str:
        asked = f"asked {self.asked:g}" if self.asked is not None else "          "
        mark = "ok  " if self.within else "OVER"
        limit = f"   {self.limit_name}: {self.machine_limit:.4g}" if self.machine_limit is not None else ""
        more = "".join(f"   {key} {value}" for key, value in self.details.items())
        return f"{mark} {self.name:58s} {self.value + 0.0:8.1f} {self.unit:4s} {asked}{limit}{more}"


def percentile(values: list[float], share: float) -> float:
    """The value that `share` of the values do not exceed, by rank."""
    ordered = sorted(values)
    return ordered[min(int(share * len(ordered)), len(ordered) - 1)]

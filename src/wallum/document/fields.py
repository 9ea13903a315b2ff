"""The one declaration of a parameter: unit, range, step, label, help.

The tune pane, `set PATH=VALUE`, the schema and its document derive from what is said
here and nowhere else.
"""

from dataclasses import asdict, dataclass
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

__all__ = ["Item", "Parameter", "Vector", "choice", "declared", "parameter", "parameter_of"]

Vector = tuple[float, float, float]
Scale = Literal["linear", "log"]
Kind = Literal["number", "vector", "colour", "switch", "choice"]


@dataclass(frozen=True)
class Parameter:
    """What the interface and the command line need to know of one field."""

    label: str
    help: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: float = 1.0
    scale: Scale = "linear"
    kind: Kind = "number"
    first: bool = True  # shown at once in the tune pane; the others are folded
    heading: str = ""


def parameter(default: Any, **declaration: Any) -> Any:
    """A pydantic field that carries its Parameter; limits are checked by validation."""
    info = Parameter(**declaration)
    limits: dict[str, Any] = {}
    if info.kind == "number":
        limits = {"ge": info.low, "le": info.high, "allow_inf_nan": False}
    return Field(
        default,
        title=info.label,
        description=info.help,
        json_schema_extra={"parameter": asdict(info)},
        **limits,
    )


def choice(default: Any, **declaration: Any) -> Any:
    """A parameter whose values are the words of its type."""
    return parameter(default, kind="choice", **declaration)


def parameter_of(field: FieldInfo) -> Parameter | None:
    """The declaration inside a pydantic field, or None for plain data."""
    extra = field.json_schema_extra
    if isinstance(extra, dict) and isinstance(extra.get("parameter"), dict):
        return Parameter(**extra["parameter"])  # type: ignore[arg-type]
    return None


class Item(BaseModel):
    """A frozen value of the document. Every change goes through `revised`, which validates."""

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=True)

    def revised(self, **changes: Any) -> Self:
        """A copy with `changes`, validated as a whole; unchanged members are shared."""
        values = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**values, **changes})

    def model_copy(self, *, update: Any = None, deep: bool = False) -> Self:
        """pydantic's copy skips validation when it updates; this one does not."""
        return self.revised(**(update or {}))


def declared(item: type[Item] | Item) -> dict[str, Parameter]:
    """Every declared parameter of an item, in the order of declaration."""
    kind = item if isinstance(item, type) else type(item)
    found = {name: parameter_of(field) for name, field in kind.model_fields.items()}
    return {name: info for name, info in found.items() if info is not None}

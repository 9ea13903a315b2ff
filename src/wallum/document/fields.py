"""The one declaration of a parameter: unit, range, step, label, help.

The tune pane, `set PATH=VALUE`, the schema and its document derive from what is said
here and nowhere else.
"""

from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Annotated, Any, ClassVar, Literal, Self, TypeVar, cast

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError, model_validator
from pydantic.fields import FieldInfo

__all__ = [
    "Item",
    "Parameter",
    "Scale",
    "Vector",
    "choice",
    "declared",
    "field_check",
    "parameter",
    "parameter_of",
    "unchecked",
]

Vector = tuple[float, float, float]
Scale = Literal["linear", "log"]
Kind = Literal["number", "vector", "colour", "switch", "choice", "file"]


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
    words: tuple[str, ...] = ()  # of a choice whose type takes other words too
    letters: str = "XYZ"  # of the parts of a vector
    safe: tuple[float, float] | None = None  # the part of its range in which a look stays subtle
    after: str = ""  # the field that it stands behind, where that is not the order of declaration


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


def _broken(text: str) -> bool:
    return "\0" in text or (not text.isascii() and any("\ud800" <= item <= "\udfff" for item in text))


class Item(BaseModel):
    """A frozen value of the document. Every change goes through `revised`, which validates."""

    # Names of the parameters that are shown at once, where that is not each declaration's.
    FIRST: ClassVar[tuple[str, ...]] = ()

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=True)

    @model_validator(mode="after")
    def _text_is_whole(self) -> Self:
        """No text holds what no file could: NUL, or half of a character."""
        for name in _texts(type(self)):
            value = self.__dict__[name]
            for text in value if isinstance(value, tuple) else (value,):
                if isinstance(text, str) and _broken(text):
                    raise ValueError(f"{name} holds what no text has: NUL, or half of a character")
        return self

    def revised(self, **changes: Any) -> Self:
        """A copy with `changes`, validated as a whole; unchanged members are shared."""
        values = {name: getattr(self, name) for name in type(self).model_fields}
        out = type(self).model_validate({**values, **changes})
        for name, value in values.items():
            # Validation makes each tuple anew, and what is kept by the identity of this one would be lost.
            if isinstance(value, tuple) and name not in changes and out.__dict__[name] == value:
                out.__dict__[name] = value
        return out

    def inactive(self) -> frozenset[str]:
        """Names of parameters that have no say as the others are set."""
        return frozenset()

    def model_copy(self, *, update: Any = None, deep: bool = False) -> Self:
        """pydantic's copy skips validation when it updates; this one does not."""
        return self.revised(**(update or {}))


AnyItem = TypeVar("AnyItem", bound=Item)


@lru_cache(maxsize=64)
def _texts(kind: type[Item]) -> tuple[str, ...]:
    """Names of the fields that hold text of anyone's choice."""
    return tuple(name for name, field in kind.model_fields.items() if "str" in str(field.annotation))


@lru_cache(maxsize=1024)
def field_check(kind: type[Item], name: str) -> Callable[[Any], Any]:
    """What validates a value for one field by itself; it raises ValueError."""
    field = kind.model_fields[name]
    adapter: TypeAdapter[Any] = TypeAdapter(cast(Any, Annotated[field.annotation, field]))

    def check(value: Any) -> Any:
        try:
            return adapter.validate_python(value)
        except ValidationError as error:
            first = error.errors()[0]
            raise ValueError(f"{first['msg']}, got {value!r}") from None

    return check


def unchecked(item: AnyItem, changes: dict[str, Any]) -> AnyItem:
    """A copy with changes that are known to be valid: many times quicker than `revised`."""
    out = type(item).__new__(type(item))
    object.__setattr__(out, "__dict__", {**item.__dict__, **changes})
    object.__setattr__(out, "__pydantic_fields_set__", item.__pydantic_fields_set__)
    object.__setattr__(out, "__pydantic_extra__", None)
    object.__setattr__(out, "__pydantic_private__", None)
    return out


@lru_cache(maxsize=64)
def _declared(kind: type[Item]) -> dict[str, Parameter]:
    result = {name: parameter_of(field) for name, field in kind.model_fields.items()}
    names = [name for name, info in result.items() if info is not None]
    for name in tuple(names):
        info = result[name]
        if info is not None and info.after in names:
            names.remove(name)
            names.insert(names.index(info.after) + 1, name)
    return {name: info for name in names if (info := result[name]) is not None}


def declared(item: type[Item] | Item) -> dict[str, Parameter]:
    """Every declared parameter of an item, in the order they are shown in; not to be changed."""
    return _declared(item if isinstance(item, type) else type(item))

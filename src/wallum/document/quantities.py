"""Typed values: numbers with units, and plain sums (`800 lm`, `2*40`, `+1.5 stops`)."""

import ast
import math
import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from wallum.document.fields import Item, Parameter, declared
from wallum.document.lanes import format_clock, parse_clock
from wallum.document.sources import Lamp
from wallum.errors import QuantityProblem

__all__ = ["Quantity", "format_quantity", "parse_quantity", "resolve_number"]

# Unit as typed -> (unit of the parameter, factor).
UNITS: Final[dict[str, tuple[str, float]]] = {
    "m": ("m", 1.0), "cm": ("m", 0.01), "mm": ("m", 0.001), "km": ("m", 1000.0),
    "ft": ("m", 0.3048), "in": ("m", 0.0254),
    "deg": ("deg", 1.0), "°": ("deg", 1.0), "rad": ("deg", 180.0 / math.pi),
    "k": ("K", 1.0), "kk": ("K", 1000.0),
    "lx": ("lx", 1.0), "lux": ("lx", 1.0), "klx": ("lx", 1000.0), "mlx": ("lx", 0.001),
    "cd": ("cd", 1.0), "kcd": ("cd", 1000.0), "mcd": ("cd", 0.001),
    "lm": ("lm", 1.0), "klm": ("lm", 1000.0),
    "m/s": ("m/s", 1.0), "km/h": ("m/s", 1.0 / 3.6), "cd/m2": ("cd/m2", 1.0), "nit": ("cd/m2", 1.0),
    "kcd/m2": ("cd/m2", 1000.0), "du": ("DU", 1.0),
    "ev": ("EV", 1.0), "h": ("h", 1.0), "s": ("s", 1.0), "min": ("s", 60.0), "%": ("", 0.01),
    "hz": ("Hz", 1.0), "m2": ("m2", 1.0), "px": ("px", 1.0), "mb": ("MB", 1.0),
    "stop": ("stops", 1.0), "stops": ("stops", 1.0),
}  # fmt: skip
OPERATORS: Final[dict[type, Callable[[float, float], float]]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}  # fmt: skip
SPLIT = re.compile(r"^\s*(?P<sum>[-+*/().\d\s,eE]*?[\d.)])\s*(?P<unit>(?:[a-zA-Z°%]+2?)?(?:/[a-z]+2?)?)\s*$")


@dataclass(frozen=True)
class Quantity:
    """A number in a base unit; `unit` is empty where none was typed."""

    value: float
    unit: str


def _evaluate(node: ast.AST) -> float:
    match node:
        case ast.Expression(body=body):
            return _evaluate(body)
        case ast.Constant(value=int() | float() as value) if not isinstance(value, bool):
            return float(value)
        case ast.UnaryOp(op=ast.USub(), operand=inner):
            return -_evaluate(inner)
        case ast.UnaryOp(op=ast.UAdd(), operand=inner):
            return _evaluate(inner)
        case ast.BinOp(left=left, op=op, right=right) if type(op) in OPERATORS:
            return OPERATORS[type(op)](_evaluate(left), _evaluate(right))
    raise ValueError("not a plain sum")


def parse_quantity(text: str) -> Quantity:
    """Read `text` as a sum with an optional unit; raises QuantityProblem."""
    problem = QuantityProblem(f"cannot read {text.strip()!r}", "", "a number such as 40 or 2*40 cd")
    result = SPLIT.match(text)
    if result is None:
        raise problem
    unit_text = result["unit"]
    if unit_text and unit_text.lower() not in UNITS:
        raise QuantityProblem(f"unknown unit {unit_text!r}", "", "one of " + ", ".join(UNITS))
    try:
        value = _evaluate(ast.parse(result["sum"].strip(), mode="eval"))
    except (SyntaxError, ValueError, ZeroDivisionError, OverflowError, RecursionError):
        raise problem from None
    if not math.isfinite(value):
        raise problem
    unit, factor = UNITS.get(unit_text.lower(), ("", 1.0))
    return Quantity(value * factor, unit)


def resolve_number(text: str, info: Parameter, owner: Item, current: float) -> float:
    """The number that `text` means for a parameter of `owner`, in the parameter's unit.

    Stops are relative to `current`; lumens are turned into candela by the source's shape.
    """
    if info.unit == "clock" and ":" in text:
        return parse_clock(text)
    quantity = parse_quantity(text)
    if quantity.unit == "h" and info.unit == "clock":
        return quantity.value
    if quantity.unit == "stops" and info.unit == "EV":
        return current + quantity.value
    if quantity.unit == "stops" and info.unit in ("cd", "lx", "cd/m2"):
        return current * 2.0**quantity.value
    if quantity.unit == "lm" and isinstance(owner, Lamp) and info is declared(owner)[owner.STRENGTH]:
        return owner.strength_for(quantity.value)
    if quantity.unit and quantity.unit != info.unit:
        raise QuantityProblem(
            f"{info.label} cannot be given in {quantity.unit}", "", info.unit or "a plain number"
        )
    return quantity.value


def format_quantity(value: float, unit: str) -> str:
    """A value as the artist reads it: four significant figures, no exponent; stops to a hundredth,
    which no eye sees; a clock as HH:MM."""
    if unit == "clock":
        return format_clock(round(value * 60.0) / 60.0)
    if value != 0.0 and abs(value) >= 1000.0:
        return f"{value:,.0f} {unit}".replace(",", " ").strip()
    decimals = 3 if value == 0.0 else max(0, min(4, 3 - math.floor(math.log10(abs(value)))))
    decimals = min(decimals, 2) if unit == "stops" else decimals
    digits = f"{round(value, decimals) + 0.0:.{decimals}f}"  # and no -0
    digits = digits.rstrip("0").rstrip(".") if "." in digits else digits
    return f"{digits} {unit}".strip()

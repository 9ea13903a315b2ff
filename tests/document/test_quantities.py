import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.document.fields import Parameter, declared
from wallum.document.quantities import format_quantity, parse_quantity, resolve_number
from wallum.document.sources import PointSource, SpotSource
from wallum.errors import QuantityProblem

LAMP = PointSource(id="a", name="Lamp")
INTENSITY = declared(LAMP)["intensity"]


@pytest.mark.parametrize(
    ("text", "value", "unit"),
    [
        ("40", 40.0, ""),
        (" 2*40 ", 80.0, ""),
        ("2*(3+1)-1", 7.0, ""),
        ("-1.5", -1.5, ""),
        ("1e3", 1000.0, ""),
        ("800 lm", 800.0, "lm"),
        ("3200 K", 3200.0, "K"),
        ("3.2kK", 3200.0, "K"),
        ("150 cm", 1.5, "m"),
        ("+1.5 stops", 1.5, "stops"),
        ("-1 stop", -1.0, "stops"),
        ("2 klx", 2000.0, "lx"),
        ("50 %", 0.5, ""),
        ("45°", 45.0, "deg"),
        ("10/4 m", 2.5, "m"),
        ("42", 42.0, ""),
        ("3 m2", 3.0, "m2"),
        ("12 cd/m2", 12.0, "cd/m2"),
    ],
)
def test_units_and_plain_sums_are_read(text, value, unit):
    quantity = parse_quantity(text)
    assert quantity.value == pytest.approx(value)
    assert quantity.unit == unit


@pytest.mark.parametrize(
    "text",
    [
        "",
        "abc",
        "nan",
        "inf",
        "1/0",
        "2**9999",
        "__import__('os')",
        "1,5",
        "4 parsec",
        "()",
        "1e400",
        "a+1",
        "3 4",
    ],
)
def test_what_is_no_quantity_is_refused_in_one_sentence(text):
    with pytest.raises(QuantityProblem) as caught:
        parse_quantity(text)
    assert "\n" not in str(caught.value)


def test_lumens_become_candela_by_the_shape_of_the_source():
    assert resolve_number("800 lm", INTENSITY, LAMP, 0.0) == pytest.approx(800 / (4 * math.pi))
    spot = SpotSource(id="b", name="Spot", inner=20.0, outer=30.0)
    candela = resolve_number("800 lm", declared(spot)["intensity"], spot, 0.0)
    assert spot.revised(intensity=candela).lumens() == pytest.approx(800.0)


@given(st.floats(0.1, 1e4), st.floats(-5, 5))
def test_stops_are_relative_to_what_is_there(current, stops):
    text = f"{stops:+.3f} stops"
    assert resolve_number(text, INTENSITY, LAMP, current) == pytest.approx(
        current * 2.0 ** round(stops, 3), rel=1e-6
    )


def test_exposure_counts_stops_itself():
    info = Parameter("Exposure", "", unit="EV")
    assert resolve_number("-1.5 stops", info, LAMP, 13.0) == pytest.approx(11.5)


def test_a_unit_of_another_kind_is_refused():
    with pytest.raises(QuantityProblem, match="Intensity"):
        resolve_number("3 m", INTENSITY, LAMP, 1.0)


@pytest.mark.parametrize(
    ("value", "shown"),
    [(0.0, "0 cd"), (0.05, "0.05 cd"), (12.345, "12.35 cd"), (620.0, "620 cd"), (-3.5, "-3.5 cd")],
)
def test_values_are_shown_without_noise(value, shown):
    assert format_quantity(value, "cd") == shown


@given(st.floats(-999, 999))
def test_what_is_shown_can_be_typed_again(value):
    again = parse_quantity(format_quantity(value, "m")).value
    assert again == pytest.approx(value, rel=1e-3, abs=1e-4)


@pytest.mark.parametrize(
    ("value", "shown"),
    [(-0.6288, "-0.63 stops"), (-0.004, "0 stops"), (0.125, "0.12 stops"), (-3.0, "-3 stops")],
)
def test_stops_are_shown_to_a_hundredth_and_never_as_minus_nothing(value, shown):
    assert format_quantity(value, "stops") == shown

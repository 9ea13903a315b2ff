"""Tables of colours: as the specification has them, and what is wrong with a file, in one sentence."""

import contextlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.errors import ValueProblem
from wallum.level.importers.images.cube_file import parse_cube, read_cube, write_cube
from wallum.physics.colour_table import ColourTable, shaped, unshaped

# The example of Adobe's specification 1.0, a cube of two a side.
CUBE = b"""#Created by: Adobe Photoshop CS6
TITLE "Invert"
LUT_3D_SIZE 2
DOMAIN_MIN 0.0 0.0 0.0
DOMAIN_MAX 1.0 1.0 1.0

1 1 1
0 1 1
1 0 1
0 0 1
1 1 0
0 1 0
1 0 0
0 0 0
"""
LINE = b"LUT_1D_SIZE 3\nDOMAIN_MIN -1 0 0\nDOMAIN_MAX 1 2 4\n0 0 0\n0.5 0.25 1\n1 1 1\n"


def test_red_runs_fastest_and_between_entries_it_is_straight(rng):
    table = parse_cube(CUBE, "x")
    colours = rng.random((200, 3))
    assert table(colours) == pytest.approx(1.0 - colours, abs=1e-6)
    assert table(np.array([1.0, 0.0, 0.0])) == pytest.approx([0.0, 1.0, 1.0])
    assert table(np.array([2.0, -1.0, 0.0])) == pytest.approx([0.0, 1.0, 1.0]), "beyond its ends as at these"


def test_a_curve_has_a_domain_for_each_channel():
    table = parse_cube(LINE, "x")
    assert not table.is_cube
    assert table(np.array([0.0, 1.0, 1.0])) == pytest.approx([0.5, 0.25, 0.5])
    assert table(np.array([0.5, 2.0, 9.0])) == pytest.approx([0.75, 1.0, 1.0])


def test_ranges_that_others_write_are_domains():
    table = parse_cube(b"LUT_3D_SIZE 2\nLUT_3D_INPUT_RANGE 0.0 2.0\n" + CUBE.split(b"\n\n")[1], "x")
    assert table.high == (2.0, 2.0, 2.0)


def test_the_tetrahedra_keep_greys_grey_and_meet_at_their_sides(rng):
    entries = rng.random((5, 5, 5, 3)).astype(np.float32)
    for k in range(5):
        entries[k, k, k] = 0.2 * k
    table = ColourTable(entries)
    share = np.linspace(0.0, 1.0, 5000)
    grey = table(np.repeat(share[:, None], 3, axis=1))
    assert np.ptp(grey, axis=1).max() < 1e-6
    path = np.stack([share, 1.0 - share, share**2], axis=1)
    assert np.abs(np.diff(table(path), axis=0)).max() < 0.005


@pytest.mark.parametrize("size", [2, 17, 33])
def test_what_is_written_is_read_back(size, tmp_path, rng):
    table = ColourTable(rng.random((size, size, size, 3)).astype(np.float32))
    path = tmp_path / "own.cube"
    write_cube(path, table, "Own", ["What it takes"])
    assert path.read_text().startswith("# What it takes\n")
    again = read_cube(path)
    assert again.entries == pytest.approx(table.entries, abs=1e-6)
    assert (again.low, again.high) == (table.low, table.high)


@pytest.mark.parametrize(
    ("broken", "word"),
    [
        (b"", "no size"),
        (CUBE + b"0 0 0\n", "9 colours"),
        (CUBE.replace(b"0 0 1\n", b""), "7 colours"),
        (CUBE.replace(b"SIZE 2", b"SIZE 1"), "line 3"),
        (CUBE.replace(b"SIZE 2", b"SIZE 70000"), "line 3"),
        (CUBE.replace(b"SIZE 2", b"SIZE x"), "line 3"),
        (CUBE.replace(b"DOMAIN_MAX 1.0", b"DOMAIN_MAX 0.0"), "domain"),
        (CUBE.replace(b"DOMAIN_MAX 1.0", b"DOMAIN_MAX nan"), "line 5"),
        (CUBE.replace(b"1 0 1", b"1 nan 1"), "no finite"),
        (CUBE.replace(b"1 0 1", b"1 1e99 1"), "too large"),
        (CUBE.replace(b"1 0 1", b"1 zero 1"), "line 9"),
        (CUBE.replace(b"1 0 1\n0 0 1", b"1 0\n1 0 0 1"), "line 9"),
        (CUBE.replace(b"LUT_3D_SIZE 2", b"LUT_3D_SIZE 2\nLUT_1D_SIZE 2"), "two sizes"),
        (CUBE.replace(b"TITLE", b"TITEL"), "not known: TITEL"),
        (b"LUT_3D_SIZE 2\n" + b"nan 0 0\n" * 8, "no finite"),
        (b"\xff\xfe\x00", "no text"),
    ],
)
def test_what_is_wrong_is_said_in_one_sentence(broken, word):
    with pytest.raises(ValueProblem) as messages:
        parse_cube(broken, "a.cube")
    assert word in str(messages.value)
    assert str(messages.value).startswith("a.cube")
    assert "\n" not in str(messages.value)


@given(st.binary(max_size=300), st.integers(0, len(CUBE)))
def test_no_bytes_raise_what_is_not_ours(noise, where):
    for data in (noise, CUBE[:where] + noise + CUBE[where:]):
        with contextlib.suppress(ValueProblem):
            parse_cube(data, "x")


def test_the_shaper_is_by_stops():
    """0 is 10 stops below mid grey, 1 is 6.5 above."""
    assert shaped(np.array([0.18 * 2.0**-10, 0.18, 0.18 * 2.0**6.5])) == pytest.approx(
        [0.0, 10.0 / 16.5, 1.0]
    )
    values = np.geomspace(2e-4, 16.0, 50)
    assert unshaped(shaped(values)) == pytest.approx(values)

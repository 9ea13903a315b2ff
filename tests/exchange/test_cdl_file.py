"""Decision lists as the ASC has them, and what is wrong with a file, in one sentence."""

import numpy as np
import pytest

from wallum.errors import ValueProblem
from wallum.exchange.cdl_file import SUFFIXES, left_out, parse_grade, read_grade, write_grade
from wallum.physics.grade import Grade, Ranges

# As the ASC's document shows a collection.
COLLECTION = b"""<?xml version="1.0" encoding="UTF-8"?>
<ColorCorrectionCollection xmlns="urn:ASC:CDL:v1.2">
 <ColorCorrection id="cc03345">
  <SOPNode>
   <Description>Cool look</Description>
   <Slope>1.2 1.3 1.4</Slope>
   <Offset>0.3 0.0 0.0</Offset>
   <Power>1.0 1.0 1.0</Power>
  </SOPNode>
  <SatNode><Saturation>0.9</Saturation></SatNode>
 </ColorCorrection>
 <ColorCorrection id="other"><SOPNode><Slope>9 9 9</Slope></SOPNode></ColorCorrection>
</ColorCorrectionCollection>
"""


def test_the_first_correction_of_a_collection_is_read():
    assert parse_grade(COLLECTION, "x") == Grade((1.2, 1.3, 1.4), (0.3, 0.0, 0.0), (1.0,) * 3, 0.9)


def test_what_a_file_does_not_say_is_neutral():
    older = b"<ColorCorrection><SATNode><Saturation>0.5</Saturation></SATNode></ColorCorrection>"
    assert parse_grade(older, "x") == Grade(saturation=0.5)


@pytest.mark.parametrize("suffix", SUFFIXES)
def test_what_is_written_is_read_back(suffix, tmp_path):
    grade = Grade((1.1, 1.0, 0.9), (0.0, -0.02, 0.5), (0.9, 1.0, 1.25), 1.3)
    path = tmp_path / f"own{suffix}"
    write_grade(path, grade, "Own <look>")
    assert read_grade(path) == grade
    assert np.allclose(read_grade(path)(np.full(3, 0.4)), grade(np.full(3, 0.4)))


@pytest.mark.parametrize(
    ("old", "new", "word"),
    [
        (b"<Power>1.0 1.0 1.0", b"<Power>1.0 -1.0 1.0", "power is -1"),
        (b"<Slope>1.2", b"<Slope>-1.2", "negative"),
        (b"1.2 1.3 1.4", b"1.2 1.3", "Slope"),
        (b"1.2 1.3 1.4", b"1.2 nan 1.4", "Slope"),
        (b"1.2 1.3 1.4", b"1.2 one 1.4", "Slope"),
        (b"ColorCorrection ", b"Correction ", "not a decision list"),
        (b"<ColorCorrectionCollection", b"<!DOCTYPE a><ColorCorrectionCollection", "DOCTYPE"),
        (COLLECTION, b"", "not a decision list"),
        (COLLECTION, b"<a/>", "no correction"),
    ],
)
def test_what_is_wrong_is_said_in_one_sentence(old, new, word):
    assert old in COLLECTION
    with pytest.raises(ValueProblem) as messages:
        parse_grade(COLLECTION.replace(old, new), "a.ccc")
    assert word in str(messages.value)
    assert "\n" not in str(messages.value)


def test_what_a_decision_list_cannot_hold_is_named():
    assert left_out(Grade((1.2, 1.0, 0.9), saturation=0.8)) == []
    messages = left_out(Grade(contrast=1.1, lift=0.5, hues=(0.5, 1.0, 1.0), ranges=Ranges()))
    assert [item.split()[0] for item in messages] == ["contrast", "lift", "grades", "saturations"]

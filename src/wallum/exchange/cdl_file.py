"""Grades as the ASC's colour decision lists: .cc, .ccc and .cdl, read and written.

Source: ASC Color Decision List 1.2 (namespace urn:ASC:CDL:v1.2).
"""

import math
from pathlib import Path
from typing import Final
from xml.etree import ElementTree
from xml.etree.ElementTree import Element, SubElement

from wallum.errors import ExportProblem, ValueProblem
from wallum.faults import reading, said
from wallum.files import read_limited, write_whole
from wallum.physics.grade import Grade

__all__ = ["SUFFIXES", "left_out", "parse_grade", "read_grade", "write_grade"]

SUFFIXES: Final = (".cc", ".ccc", ".cdl")
SPACE: Final = "urn:ASC:CDL:v1.2"
MAX_BYTES: Final = 4 << 20
# What lies about a correction, by the kind of file.
ABOUT: Final = {
    ".cc": (),
    ".ccc": ("ColorCorrectionCollection",),
    ".cdl": ("ColorDecisionList", "ColorDecision"),
}


def read_grade(path: Path) -> Grade:
    """The first correction of a file. Raises ValueProblem."""
    return parse_grade(read_limited(path, MAX_BYTES, ValueProblem), str(path))


def parse_grade(data: bytes, source: str) -> Grade:
    """The same of a file's bytes. Raises ValueProblem."""
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise ValueProblem("a decision list declares nothing of its own", source, "one without DOCTYPE")
    with reading(ValueProblem, "not a decision list", source, "XML"):
        root = ElementTree.fromstring(data)
    correction = _first(root, "ColorCorrection")
    if correction is None:
        raise ValueProblem("there is no correction in it", source, "a ColorCorrection")
    slope = _numbers(correction, "Slope", (1.0, 1.0, 1.0), source)
    offset = _numbers(correction, "Offset", (0.0, 0.0, 0.0), source)
    power = _numbers(correction, "Power", (1.0, 1.0, 1.0), source)
    (saturation,) = _numbers(correction, "Saturation", (1.0,), source)
    if min(slope) < 0.0 or saturation < 0.0:
        raise ValueProblem("a slope or saturation is negative", source, "0 or more")
    if min(power) <= 0.0:
        raise ValueProblem(f"a power is {min(power):g}", source, "more than 0")
    return Grade(_triple(slope), _triple(offset), _triple(power), saturation)


def _triple(values: tuple[float, ...]) -> tuple[float, float, float]:
    red, green, blue = values
    return red, green, blue


def _first(element: Element, name: str) -> Element | None:
    """The first element of a name, in any namespace, itself among them."""
    return next((item for item in element.iter() if item.tag.rpartition("}")[2] == name), None)


def _numbers(correction: Element, name: str, default: tuple[float, ...], source: str) -> tuple[float, ...]:
    first = _first(correction, name)
    if first is None:
        return default
    try:
        out = tuple(float(part) for part in (first.text or "").split())
    except ValueError:
        out = ()
    if len(out) != len(default) or not all(math.isfinite(item) for item in out):
        raise ValueProblem(
            f"its {name} is {(first.text or '').strip()[:60]!r}", source, f"{len(default)} numbers"
        )
    return out


def left_out(grade: Grade) -> list[str]:
    """What of a grade such a file cannot hold, as the beginning of a sentence."""
    text = {
        "contrast is": grade.contrast != 1.0,
        "lift is": grade.lift != 0.0,
        "grades of shadows, middles and lights are": grade.ranges is not None,
        "saturations by hue are": grade.of_hues,
    }
    return [words for words, there in text.items() if there]


def write_grade(path: Path, grade: Grade, name: str) -> None:
    """Write a grade as one correction, by the file's extension, without what is `left_out`. Raises
    ExportProblem."""
    tags = [*ABOUT[path.suffix.lower()], "ColorCorrection"]
    root = element = Element(tags[0], {"xmlns": SPACE})
    for tag in tags[1:]:
        element = SubElement(element, tag)
    element.set("id", name)
    sop, sat = SubElement(element, "SOPNode"), SubElement(element, "SatNode")
    for tag, values in (("Slope", grade.slope), ("Offset", grade.offset), ("Power", grade.power)):
        SubElement(sop, tag).text = " ".join(f"{value:.6g}" for value in values)
    SubElement(sat, "Saturation").text = f"{grade.saturation:.6g}"
    ElementTree.indent(root)
    try:
        write_whole(path, ElementTree.tostring(root, encoding="utf-8", xml_declaration=True) + b"\n")
    except OSError as error:
        raise ExportProblem(f"cannot be written: {said(error)}", str(path)) from None

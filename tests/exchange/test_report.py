"""The budget report: what it says is what was worked out, and nothing breaks out of its page."""

from html.parser import HTMLParser

import numpy as np
import pytest

from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.document.targets import Target
from wallum.errors import ExportProblem
from wallum.exchange.report import CostedShot, write_report
from wallum.judge.cost import FrameCost
from wallum.judge.device import load_profile
from wallum.judge.findings import Finding, Remedy


class Text(HTMLParser):
    def __init__(self):
        super().__init__()
        self.words, self.tags, self.images = [], [], 0

    def handle_starttag(self, tag, attrs):
        self.tags.append(tag)
        self.images += tag == "img" and dict(attrs)["src"].startswith("data:image/jpeg;base64,")

    def handle_data(self, data):
        self.words.append(data)


def made(tmp_path):
    lamp = PointSource(id="p", name="<b>Lamp & Co</b>")
    project = Project(name="Yard", sources=(lamp,))
    target, profile = Target(), load_profile("couch 60")
    cheap = FrameCost(2.0, 7.5, False, {"light": 1.5, "develop": 0.5}, {"p": 0.4, "shared": 1.6}, {})
    dear = FrameCost(
        9.0,
        7.5,
        False,
        {"light": 8.5, "develop": 0.5},
        {"p": 7.4, "shared": 1.6},
        {"lamps at a pixel": "9 lamps reach one pixel"},
    )
    costed = [
        CostedShot("Gate", "9:00", target, profile, cheap),
        CostedShot("Gate", "21:30", target, profile, dear),
    ]
    finding = Finding("over budget", "Gate", "error", "Gate takes too long", Remedy("less light"))
    path = tmp_path / "new" / "budget.html"
    write_report(path, project, costed, [finding], [("Gate <1>", np.zeros((20, 30, 3), np.uint8))])
    return path


def test_the_report_says_what_was_worked_out(tmp_path):
    page = Text()
    page.feed(made(tmp_path).read_text())
    text = " ".join(page.words)
    for part in (
        "2.00 ms",
        "9.00 ms over",
        "Dearest: Gate at 21:30",
        "uncalibrated",
        "9 lamps reach one pixel",
        "less light",
        "7.400",
    ):
        assert part in text
    assert page.images == 1


def test_names_are_text_and_no_markup(tmp_path):
    page = Text()
    page.feed(made(tmp_path).read_text())
    assert "b" not in page.tags
    assert "<b>Lamp & Co</b>" in "".join(page.words)


def test_a_place_that_cannot_be_written_is_one_sentence(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(ExportProblem, match="cannot be written"):
        write_report(tmp_path / "file" / "budget.html", Project(), [], [])

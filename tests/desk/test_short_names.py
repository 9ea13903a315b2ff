"""Names where there is little room stay apart."""

import pytest
from PyQt6.QtCore import QRect, QSize
from PyQt6.QtWidgets import QStyleOptionViewItem

from wallum.desk.widgets.short_names import ShortNames, shortened


@pytest.mark.parametrize(
    ("name", "room", "shown"),
    [
        ("Shed Work Lamp", 20, "Shed Work Lamp"),
        ("Shed Work Lamp", 13, "S. Work Lamp"),
        ("Shed Work Lamp", 10, "S. W. Lamp"),
        ("Shed Work Lamp", 3, "S. W. Lamp"),
        ("Fire Mouth 1", 10, "F. Mouth 1"),
        ("Fire Mouth 1", 8, "F. M. 1"),
        ("Sun", 1, "Sun"),
        ("", 5, ""),
        ("A of B", 4, "A of B"),
    ],
)
def test_first_words_are_cut_to_a_letter_until_the_name_fits(name, room, shown):
    assert shortened(name, lambda text: len(text) <= room) == shown


def test_the_last_word_is_never_cut_and_what_fits_is_left_alone():
    names = [f"Long Row Of Masts {number}" for number in range(1, 12)]
    for room in range(1, 30):
        short = [shortened(name, lambda text, room=room: len(text) <= room) for name in names]
        assert len(set(short)) == len(names)
        assert all(a.split()[-1] == b.split()[-1] for a, b in zip(short, names, strict=True))
        assert all(a == b for a, b in zip(short, names, strict=True) if len(b) <= room)


def test_a_row_shows_the_short_name_and_keeps_the_whole_one(window):
    project = window.session.project
    lamp = next(source for source in project.sources if source.name == "Ceiling Lamp")
    renamed = project.with_source(lamp.revised(name="Ceiling Lamp Over The Long Table"))
    window.session.history.edit("rename", renamed)
    row = next(i for i in range(window.sources.count()) if "Table" in window.sources.item(i).text())
    delegate = window.sources.itemDelegate()
    assert isinstance(delegate, ShortNames)
    shown = {}
    for width in (90, 600):
        option = QStyleOptionViewItem()
        option.rect, option.decorationSize = QRect(0, 0, width, 20), QSize(18, 18)
        delegate.initStyleOption(option, window.sources.model().index(row, 0))
        shown[width] = option.text
    assert shown == {90: "C. L. O. T. L. Table", 600: "Ceiling Lamp Over The Long Table"}
    assert window.sources.item(row).text() == "Ceiling Lamp Over The Long Table"

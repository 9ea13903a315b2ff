"""Variants at the desk."""


def test_keep_flip_back_tell_and_forget(window):
    bar, text = window.variants, []
    window.session.told.connect(text.append)
    bar.flip()
    assert "Keep a variant first" in text[-1]
    bar.keep("Warm")
    assert [variant.name for variant in window.session.project.variants] == ["Warm"]
    window.session.set_value("cool", "sources/@lamp/kelvin", 7000.0)
    bar.tell()
    assert "Ceiling Lamp, temperature: 7 000 K to 2 900 K" in text[-1]
    before = window.session.history.present
    window.act["flip"].trigger()
    assert window.session.project.source("lamp").kelvin == 2900.0
    assert window.session.history.undo_label == "flip to Warm"
    window.act["flip"].trigger()
    assert window.session.project.source("lamp").kelvin == 7000.0
    assert window.session.project == before
    # An edit after a flip starts from there: the next flip goes to the variant again.
    window.act["flip"].trigger()
    window.session.set_value("dim", "sources/@lamp/intensity", 5.0)
    window.act["flip"].trigger()
    assert window.session.project.source("lamp").intensity == 90.0
    bar.forget()
    assert window.session.project.variants == ()
    assert not bar.choice.isVisible()
    window.session.undo()
    assert bar.choice.count() == 1


def test_a_variant_is_kept_at_once_and_named_by_typing_over(window):
    bar = window.variants
    bar.keep_next()
    bar.keep_next()
    assert [variant.name for variant in window.session.project.variants] == ["Variant 1", "Variant 2"]
    bar.choice.lineEdit().setText("Cold night")
    bar.choice.lineEdit().editingFinished.emit()
    assert [variant.name for variant in window.session.project.variants] == ["Variant 1", "Cold night"]
    assert window.session.history.undo_label == "rename Variant 2"
    bar.choice.lineEdit().setText("  ")
    bar.choice.lineEdit().editingFinished.emit()
    assert bar.choice.currentText() == "Cold night"

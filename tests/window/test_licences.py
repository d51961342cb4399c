"""The licences of all parts, in one dialog of the Help menu."""

from __future__ import annotations

from dubbin.core.licences import licences
from dubbin.window.shell.licences_dialog import LicencesDialog


def test_each_part_is_listed_and_its_text_shown(qtbot):
    dialog = LicencesDialog()
    qtbot.addWidget(dialog)
    assert dialog.list.count() == len(licences()) and "GNU GENERAL PUBLIC LICENSE" in dialog.text.toPlainText()
    without = next(k for k, item in enumerate(licences()) if not item.text)
    dialog.list.setCurrentRow(without)
    assert licences()[without].title in dialog.text.toPlainText()

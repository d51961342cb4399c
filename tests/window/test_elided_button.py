"""A title that has no room keeps its beginning and its end."""

from __future__ import annotations

from dubbin.window.parts.elided_button import ElidedButton

TITLE = "EQ, Gaps and breaths, De-esser, Compressor · Ines"


def test_it_is_shown_as_far_as_there_is_room_and_read_out_whole(qtbot):
    button = ElidedButton(TITLE)
    qtbot.addWidget(button)
    for width in (900, 200, 900, 140):
        button.resize(width, 30)
        button.show()
        shown = button.text()
        assert button.fontMetrics().horizontalAdvance(shown) <= width
        if width == 900:
            assert shown == TITLE
        else:
            assert "…" in shown and shown.startswith("EQ") and shown.endswith("Ines")
        assert button.accessibleName() == TITLE
    assert button.minimumSizeHint().width() >= 0 and button.sizePolicy().horizontalPolicy() is button.sizePolicy().Policy.Ignored

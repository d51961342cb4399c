"""What our small dialogs have in common."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QPushButton

from dubbin.core.texts import tr


def ok_or_cancel(dialog: QDialog) -> QDialogButtonBox:
    """The two buttons at a dialog's foot."""
    kinds = QDialogButtonBox.StandardButton
    box = QDialogButtonBox(kinds.Ok | kinds.Cancel)
    box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box


def close_row(dialog: QDialog) -> QHBoxLayout:
    """The one button at the foot of a dialog whose changes hold at once."""
    row = QHBoxLayout()
    row.addStretch(1)
    close = QPushButton(tr("Close"))
    close.setDefault(True)
    close.clicked.connect(dialog.accept)
    row.addWidget(close)
    return row

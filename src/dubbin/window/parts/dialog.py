"""What our small dialogs have in common."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QDialogButtonBox


def ok_or_cancel(dialog: QDialog) -> QDialogButtonBox:
    """The two buttons at a dialog's foot."""
    kinds = QDialogButtonBox.StandardButton
    box = QDialogButtonBox(kinds.Ok | kinds.Cancel)
    box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box

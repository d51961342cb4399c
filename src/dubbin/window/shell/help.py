"""The guide, the command search, the sheet of shortcuts, and what Dubbin is."""

from __future__ import annotations

from PyQt6.QtWidgets import QMessageBox, QWidget

from dubbin import __version__
from dubbin.core.texts import tr
from dubbin.window.parts.action import ActionList
from dubbin.window.parts.theme import Theme
from dubbin.window.shell.command_search import CommandSearch
from dubbin.window.shell.guide_window import GuideWindow
from dubbin.window.shell.licences_dialog import LicencesDialog
from dubbin.window.shell.shortcut_sheet import ShortcutSheet


class Help:
    def __init__(self, window: QWidget, actions: ActionList, theme: Theme) -> None:
        self._window, self._actions, self._theme = window, actions, theme
        self.guide: GuideWindow | None = None

    def show_guide(self, anchor: str = "") -> None:
        """Open the guide, at a section where one is named; it is made when it is first asked for, and stays."""
        if self.guide is None:
            self.guide = GuideWindow(self._theme, self._window)
        self.guide.show_section(anchor)

    def search(self) -> None:
        CommandSearch(self._actions, self._window).exec()

    def show_shortcuts(self) -> None:
        ShortcutSheet(self._actions, self._window).exec()

    def show_licences(self) -> None:
        LicencesDialog(self._window).exec()

    def show_about(self) -> None:
        QMessageBox.about(
            self._window, tr("About Dubbin"),
            tr("Dubbin {version}\n\nFrom recorded speech to masters that provably pass.\n\nFree software under the GNU "
"General Public License, version 3 or later. Font: Alegreya Sans, SIL Open Font License.").format(version=__version__),
        )  # fmt: skip

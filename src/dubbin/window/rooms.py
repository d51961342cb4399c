"""The six steps as rooms of the window: what makes each one's page. The only place that knows all of them."""

from __future__ import annotations

from dubbin.core.episode.document import Document
from dubbin.core.folders import Folders
from dubbin.window.balance.page import BalancePage
from dubbin.window.edit.page import EditPage
from dubbin.window.intake.page import IntakePage
from dubbin.window.master.page import MasterPage
from dubbin.window.parts.theme import Theme
from dubbin.window.player.sinks import Sink
from dubbin.window.repair.page import RepairPage
from dubbin.window.shell.main_window import MainWindow, Rooms
from dubbin.window.shell.step import Step
from dubbin.window.voice.page import VoicePage

ROOMS: Rooms = {
    Step.INTAKE: IntakePage, Step.REPAIR: RepairPage, Step.EDIT: EditPage, Step.VOICE: VoicePage, Step.BALANCE: BalancePage, Step.MASTER: MasterPage,
}  # fmt: skip


def make_window(
    folders: Folders, theme: Theme, document: Document | None = None, sink: Sink | None = None, *, hold_work: bool = False
) -> MainWindow:
    """The main window with all its rooms. sink: where the sound goes; None: the best that there is. hold_work: until `jobs.release`."""
    return MainWindow(folders, theme, ROOMS, document, sink, hold_work=hold_work)

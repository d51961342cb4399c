"""The window: puts header, steps, lanes, evidence, job card and transport together."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import QApplication, QMainWindow, QWidget

from dubbin.core.card.entry import CutSwitch, Entry
from dubbin.core.episode.document import Document
from dubbin.core.folders import Folders
from dubbin.core.giving_way import ALONE_S, give_way
from dubbin.window.lanes.actions import lane_actions
from dubbin.window.lanes.go_to_time import GoToTime
from dubbin.window.lanes.lane_heads import LaneHeads
from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.lanes.navigation import Navigation
from dubbin.window.lanes.overview import Overview
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.action import ActionList, ContextMenu
from dubbin.window.parts.theme import Theme
from dubbin.window.player.actions import player_actions
from dubbin.window.player.device import Device
from dubbin.window.player.player import Player
from dubbin.window.player.playing import Playing
from dubbin.window.player.seam_walk import SeamWalk
from dubbin.window.player.sinks import Sink, best_sink
from dubbin.window.session.job_bridge import JobBridge
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.program_measure import ProgramMeasure
from dubbin.window.session.selection import Selection
from dubbin.window.session.selection_keeper import SelectionKeeper
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.shell.actions import shell_actions
from dubbin.window.shell.autosave import Autosave
from dubbin.window.shell.card_panel import CardPanel
from dubbin.window.shell.card_run import CardRun
from dubbin.window.shell.card_sheet import CardSheet
from dubbin.window.shell.files import EpisodeFiles
from dubbin.window.shell.header import Header
from dubbin.window.shell.help import Help
from dubbin.window.shell.keys import is_own_key, is_play_key, press
from dubbin.window.shell.menus import Menus
from dubbin.window.shell.notices import Notices
from dubbin.window.shell.page import Page
from dubbin.window.shell.preferences_dialog import PreferencesDialog
from dubbin.window.shell.recipes import Recipes
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.step import Step
from dubbin.window.shell.steps import StepList
from dubbin.window.shell.tour import Tour
from dubbin.window.shell.transport import Transport
from dubbin.window.shell.welcome import Welcome
from dubbin.window.shell.window_layout import Parts, WindowLayout
from dubbin.window.shell.window_memory import RecentEpisodes, WindowMemory
from dubbin.window.words.actions import word_actions
from dubbin.window.words.word_steps import WordSteps
from dubbin.window.words.words_pane import WordsPane

Rooms = Mapping[Step, Callable[[Shared], Page]]


class MainWindow(QMainWindow):
    """One episode in one window. rooms: what makes the page of each step, with that step's actions."""

    def __init__(
        self,
        folders: Folders,
        theme: Theme,
        rooms: Rooms,
        document: Document | None = None,
        sink: Sink | None = None,
        *,
        hold_work: bool = False,
    ) -> None:
        """hold_work: nothing is computed until `jobs.release`."""
        super().__init__()
        self.setWindowTitle("Dubbin")
        self.resize(1280, 800)
        self.setMinimumSize(1024, 640)
        self.setAcceptDrops(True)
        self.theme = theme
        self.preferences = Preferences(folders.state)
        self.memory, recent = WindowMemory(self.preferences), RecentEpisodes(self.preferences)
        self.memory.restore_size(self)
        self.jobs = JobBridge(folders.state, hold=hold_work)
        self.session = Session(folders, self.jobs, document or Document(folders.journals))
        self.selection, self.view = Selection(), Viewport(self.session)
        self.player = Player(
            self.session.episode.rate, sink or best_sink(self.session.episode.rate, self.preferences.get("sound_device", ""))
        )
        self.device = Device(self.player, self.preferences)
        self.playing = Playing(self.session, self.selection, self.view, self.player)
        self.seam_walk = SeamWalk(self.session, self.selection, self.view, self.playing)
        self.speech = Speech(self.session, self.preferences)
        self._selection_keeper = SelectionKeeper(self.session, self.speech, self.selection)
        self.lanes = LanesView(self.session, self.view, self.selection, theme, self.speech)
        self.navigation = Navigation(self.session, self.selection, self.view)
        self.words_pane = WordsPane(self.session, self.speech, self.selection, self.view, theme, self.preferences)
        self.notices = Notices()
        self.files = EpisodeFiles(self, self.session, self.notices, self.set_document, self.go_step, self.preferences, recent)
        self.tour = Tour(self.notices, self.go_step, self.preferences)
        self.actions_by_id = ActionList(self.memory.own_keys())
        self.shared = Shared(
            self, theme, self.session, self.selection, self.view, self.navigation, self.playing, self.seam_walk, self.speech, ProgramMeasure(self.session),
            self.lanes, self.words_pane, self.preferences, self.actions_by_id, self.files.folder, self.go_step,
        )  # fmt: skip
        self.card_run = CardRun(self.session, self.speech)
        self.card_sheet = CardSheet(self.card_run, theme, self.session, self._play_entry)
        self.recipes = Recipes(self, self.session, self.speech, self.files.folder)
        self._add_actions()
        self.pages: dict[Step, Page] = {step: rooms[step](self.shared) for step in Step}
        self._build()
        self.files.demo_opened = self.tour.offer
        self.files.add_takers({".json": self.recipes.apply_from})
        for page in self.pages.values():
            self.files.add_takers(page.takers())
        self.menus = Menus(self, self.session, self.actions_by_id)
        self._connect()
        if self.session.document.path is not None:
            recent.add(self.session.document.path)
        self.playing.set_speed(float(self.preferences.get("play_speed", 1.0)))
        self._on_episode_changed()
        self._show_episode()
        theme.dress(self)
        self.lanes.setFocus()
        QTimer.singleShot(0, self.files.offer_left_over)
        self.autosave = Autosave(self.files, self.preferences, self)

    # -- building ---------------------------------------------------------------------

    def _add_actions(self) -> None:
        actions = self.actions_by_id
        self.help = Help(self, actions, self.theme)
        actions.add(shell_actions(self.shared, self.files, self.card_sheet, self.recipes, self.help, self))
        go_to = GoToTime(self, self.session, self.selection, self.view, self.navigation)
        actions.add(lane_actions(self.session, self.selection, self.view, self.navigation, self.lanes, go_to))
        actions.add(player_actions(self.session, self.selection, self.playing, self.seam_walk))
        actions.add(word_actions(self.session, WordSteps(self.session, self.speech, self.selection, self.view, self.navigation)))

    def _build(self) -> None:
        """Pages come last: whatever is put into another place is styled anew with all that it holds."""
        self.header = Header(self.session, self.theme, self.card_sheet.show)
        self.steps = StepList(self.session, self.theme, self.pages)
        self.overview = Overview(self.session, self.view, self.selection, self.theme)
        self.lane_heads = LaneHeads(self.session, self.theme, self.lanes)
        self.transport = Transport(self.session, self.view, self.selection, self.actions_by_id, self.theme)
        self.card_panel = CardPanel()
        self.welcome = Welcome(self.actions_by_id, self.files.recent, self.files.open_recent)
        parts = Parts(
            self.header, self.notices, self.steps, self.overview, self.lanes, self.lane_heads, self.welcome, self.card_panel, self.transport
        )
        self.places = WindowLayout(parts, self.memory, self.width())
        self.setCentralWidget(self.places)
        for page in self.pages.values():
            self.places.add(page)
        self.card_panel.add_sheet(self.card_sheet)

    def _connect(self) -> None:
        self.steps.chosen.connect(self.go_step)
        self.card_sheet.shown.connect(lambda: self.card_panel.show_sheet(True))
        self.card_sheet.left.connect(lambda: self.card_panel.show_sheet(False))
        self.lanes.play_wanted.connect(self.playing.play_from)
        self.lanes.menu_wanted.connect(lambda at: self.menus.show(ContextMenu.LANES, QPoint(at)))
        self.words_pane.words.play_wanted.connect(self.playing.play_from)
        self.words_pane.words.menu_wanted.connect(lambda at: self.menus.show(ContextMenu.WORDS, QPoint(at)))
        self.player.state_changed.connect(self.transport.show_playing)
        self.player.metered.connect(self.transport.show_reading)
        self.player.failed.connect(self.notices.say)
        self.playing.loop_changed.connect(self.transport.show_loop)
        self.playing.speed_changed.connect(
            lambda _: self.transport.show_speed(self.playing.speed, self.player.speed if self.player.is_playing else None)
        )
        self.player.state_changed.connect(lambda on: self.transport.show_speed(self.playing.speed, self.player.speed if on else None))
        self.session.said.connect(self.notices.say)
        self.session.offered.connect(self.notices.say)
        self.session.watch_journal()
        self.jobs.failed.connect(self.notices.say)
        self.session.episode_changed.connect(self._on_episode_changed)
        self.session.lane_picked.connect(self._show_card_title)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._watch_keys)

    def _watch_keys(self, before: QWidget | None, now: QWidget | None) -> None:
        """Listen to what has the focus. Not to all there is: every event would then wait for Python's lock, which background work holds."""
        if before is not None and not sip.isdeleted(before):
            before.removeEventFilter(self)
        if now is not None and now.window() is self:
            now.installEventFilter(self)

    # -- what the window shows --------------------------------------------------------

    def _on_episode_changed(self, *_: object) -> None:
        self.places.show_welcome(not self.session.episode.lanes)
        mark = "" if not self.session.document.has_changes else " *"
        self.setWindowTitle(f"{self.session.episode.title}{mark} – Dubbin")
        self._show_card_title()

    def _show_card_title(self) -> None:
        step = self.steps.current
        self.card_panel.show_step(step, self.pages[step].title())

    def go_step(self, step: Step) -> None:
        """Bring a step's page to the front."""
        give_way(ALONE_S)
        page = self.pages[step]
        for other in self.pages.values():
            if other is not page and other.is_open:
                other.closed()
        self.places.show_page(step, page)
        page.opened()
        self._show_card_title()

    def set_document(self, document: Document) -> None:
        """Show another episode in place of this one."""
        self.player.stop()
        self._keep_place()
        self.selection.clear()
        self.selection.set_head(0)
        self.session.set_document(document)
        self.device.follow(document.episode.rate)
        self.view.show_all()
        self.lanes.pictures.reset_level()
        self._on_episode_changed()
        self._show_episode()

    def _show_episode(self) -> None:
        """Show an episode that was just opened as it was left; one that is not known, from its first step on."""
        step = self.memory.restore_place(self.session, self.view, self.selection) if self.session.episode.lanes else None
        self.go_step(step or Step.INTAKE)

    def _keep_place(self) -> None:
        if self.session.episode.lanes and self.session.document.path is not None:
            self.memory.keep_place(self.session, self.steps.current, self.view, self.selection)

    def _play_entry(self, entry: Entry) -> None:
        """Go to where something that the card did is heard best, and play it before and after."""
        place = self.card_run.place(entry)
        if place is None:
            return
        if isinstance(entry.switch, CutSwitch):
            self.playing.play_cut_before_and_after(*place)
        else:
            self.session.pick_lane(entry.switch.lane)
            self.playing.play_recorded_and_treated(*place)

    # -- frame ------------------------------------------------------------------------

    def step_by(self, direction: int) -> None:
        """Go to the next (1) or previous (-1) step, round and round."""
        steps = list(Step)
        self.go_step(steps[(steps.index(self.steps.current) + direction) % len(steps)])

    def toggle_full_screen(self) -> None:
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def show_help(self, anchor: str) -> None:
        """Open the guide at what a card asks about."""
        self.help.show_guide(anchor)

    def show_preferences(self, page: str = "") -> None:
        dialog = PreferencesDialog(
            self.preferences, self.theme, self.actions_by_id, self.session.folders, self.device.choose, self.device.play_tone, self
        )
        dialog.show_page(page)
        dialog.exec()

    # -- events -----------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if data is not None:
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            QTimer.singleShot(0, lambda: self.files.take(paths))  # whom they were dragged from waits for the end of this

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape:
            if not self.lanes.cancel_drag():
                self.selection.clear()
                self.lanes.setFocus()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Single letters belong to a field while one types in it, not to the shortcuts; Space plays, Return presses."""
        if event is not None and is_own_key(watched, event):
            event.accept()
            return True
        if is_play_key(watched, event):
            self.menus.run(self.actions_by_id["play"])
            return True
        if press(watched, event):
            return True
        return super().eventFilter(watched, event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self.files.may_leave():
            event.ignore()
            return
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """Stop what plays and works, and put the journal in order."""
        self._keep_place()
        self.memory.keep_size(self)
        self.preferences.set("play_speed", self.playing.speed)
        self.player.close()
        self.jobs.close()
        self.session.close()

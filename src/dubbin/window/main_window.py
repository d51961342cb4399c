"""The window: puts header, steps, lanes, evidence, job card and transport together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMessageBox,
    QPushButton,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from dubbin import __version__
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import SUFFIX
from dubbin.core.episode.journal import LeftOver, left_over
from dubbin.core.errors import DubbinError
from dubbin.core.folders import Folders
from dubbin.window.action_list import WindowActs, make_actions
from dubbin.window.actions import MENUS, SEPARATORS_AFTER, Action
from dubbin.window.arranging import Arranging
from dubbin.window.card_run import SLOT as CARD_SLOT
from dubbin.window.card_run import CardDialog, CardRun
from dubbin.window.deliver_action_list import DeliverTools, make_deliver_actions
from dubbin.window.deliver_acts import DeliverActs
from dubbin.window.desk import Desk
from dubbin.window.dialogs import CommandSearch, ShortcutSheet
from dubbin.window.edit_action_list import EditTools
from dubbin.window.edit_acts import EditActs
from dubbin.window.editing import Editing
from dubbin.window.header import Header
from dubbin.window.job_bridge import JobBridge
from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.lanes.overview import Overview
from dubbin.window.lanes.selection import Selection
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.mastering import Mastering
from dubbin.window.pages.balance_page import BalancePage
from dubbin.window.pages.edit_page import EditPage, EditParts
from dubbin.window.pages.eq_plot import EqPlot
from dubbin.window.pages.intake_page import IntakeActs, IntakePage
from dubbin.window.pages.master_page import MasterActs, MasterPage
from dubbin.window.pages.page import Page
from dubbin.window.pages.repair_page import RepairPage
from dubbin.window.pages.voice_page import VoicePage
from dubbin.window.parts.card import label
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.player.player import Player
from dubbin.window.player.sinks import Sink
from dubbin.window.playing import Playing
from dubbin.window.preferences import Preferences
from dubbin.window.seam_watch import SeamWatch
from dubbin.window.speech_desk import SpeechDesk
from dubbin.window.steps import Step, StepList
from dubbin.window.taking_in import TakingIn
from dubbin.window.theme import Theme
from dubbin.window.transport import Transport
from dubbin.window.voice_desk import VoiceDesk
from dubbin.window.words.words_pane import WordsPane
from dubbin.window.words.words_view import WordsView

CARD_W = 306
ACROSS = frozenset((Qt.Key.Key_Left, Qt.Key.Key_Right))
EVERY_WAY = ACROSS | {Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Home, Qt.Key.Key_End}
# Keys that widgets take for themselves while they have the focus, though they are shortcuts too.
OWN_KEYS = (
    (WordsView, ACROSS), (Segments, ACROSS), (StepList, frozenset((Qt.Key.Key_Up, Qt.Key.Key_Down))), (EqPlot, EVERY_WAY), (MarkedSlider, EVERY_WAY),
    (QTableWidget, EVERY_WAY - ACROSS),
)  # fmt: skip
NOTICE_MS = 7000
SOUND_FILES = "Sound and video (*.wav *.flac *.mp3 *.m4a *.aac *.ogg *.oga *.opus *.aif *.aiff *.w64 *.caf *.mp4 *.mov *.mkv *.webm *.m4v);;All files (*)"
EPISODE_FILES = f"Episodes (*{SUFFIX})"


class MainWindow(QMainWindow):
    """One episode on one desk."""

    def __init__(
        self, folders: Folders, theme: Theme, document: Document | None = None, sink: Sink | None = None
    ) -> None:
        super().__init__()
        self.setWindowTitle("Dubbin")
        self.resize(1280, 800)
        self.setMinimumSize(1024, 640)
        self.setAcceptDrops(True)
        self._folders, self._theme = folders, theme
        self.jobs = JobBridge()
        self.desk = Desk(folders, self.jobs, document or Document(folders.journals))
        self.selection, self.view = Selection(), Viewport(self.desk)
        self.player = Player(self.desk.episode.rate, sink)
        self.playing = Playing(self.desk, self.selection, self.view, self.player)
        self.speech = SpeechDesk(self.desk, Preferences(folders.state))
        self.voice_desk = VoiceDesk(self.desk, self.speech.preferences)
        self.seam_watch = SeamWatch(self.desk)
        self.editing = Editing(self.desk, self.selection, self.view, self.speech)
        self.arranging = Arranging(self.desk, self.selection, self.speech, self.editing)
        self.edit_acts = EditActs(self, self.desk, self.speech, self.arranging, self._last_folder, SOUND_FILES)
        self.words_pane = WordsPane(self.desk, self.speech, self.selection, self.view, theme)
        self.mastering = Mastering(self.desk)
        self.deliver_acts = DeliverActs(self, self.desk, self.selection, self.mastering, self._last_folder)
        self.taking_in = TakingIn(self.desk)
        acts = WindowActs(
            self.new_episode, self.choose_episode, self.open_demo, self.save, self.save_as, self.choose_recordings, self.choose_export,
            self.close_window, self.go_step, self.search, self.show_shortcuts, self.show_about, self.toggle_night,
            lambda factor: self.lanes.zoom_level(factor), lambda: self.lanes.next_picture(), lambda: self.taking_in.line_up(),
        )  # fmt: skip
        tools = EditTools(
            self.editing, self.arranging, self.speech, self.seam_watch, self.playing, self.edit_acts, self.find_words, lambda d: self.words_pane.step(d)
        )
        self.card_run = CardRun(self.desk, self.speech)
        self._card_dialog: CardDialog | None = None
        self.actions_by_id = make_actions(self.desk, self.selection, self.view, self.editing, self.playing, acts, tools)
        deliver_tools = DeliverTools(self.card_run, self.show_card, self.deliver_acts)
        self.actions_by_id |= {a.id: a for a in make_deliver_actions(self.desk, self.selection, deliver_tools)}
        self._build()
        self._fill_menu()
        self._connect()
        application = QApplication.instance()
        if application is not None:
            application.installEventFilter(self)
        self._sizes = (390, 210)
        self.go_step(Step.INTAKE)
        self.lanes.setFocus()
        QTimer.singleShot(0, self._offer_left_over)

    def close_window(self) -> None:
        self.close()

    # -- building ---------------------------------------------------------------------

    def _build(self) -> None:
        self.header = Header(self.desk, self._theme, self.show_card)
        self.steps = StepList(self.desk, self._theme)
        self.lanes = LanesView(self.desk, self.view, self.selection, self._theme, lambda: self.speech.table)
        self.lanes.crosstalk = self.speech.crosstalk
        self.overview = Overview(self.desk, self.view, self.selection, self._theme)
        self.transport = Transport(self.desk, self.view, self.selection, self.actions_by_id, self._theme)
        self.balance_page = BalancePage(self.desk, self.selection, self._theme, self.mastering)
        self.pages: dict[Step, Page] = {
            Step.INTAKE: IntakePage(
                self.desk, self.selection, self._theme, self.taking_in,
                IntakeActs(self.choose_recordings, self.choose_moved, self.playing.play_place),
            ),
            Step.REPAIR: RepairPage(
                self.desk, self.selection, self._theme, self.actions_by_id, self.playing.play_place
            ),
            Step.EDIT: EditPage(
                self.desk, self.selection, self._theme, self.actions_by_id,
                EditParts(self.speech, self.arranging, self.playing, self.seam_watch, self.edit_acts, self.words_pane, self.editing.go),
            ),
            Step.VOICE: VoicePage(self.desk, self.selection, self._theme, self.voice_desk),
            Step.BALANCE: self.balance_page,
            Step.MASTER: MasterPage(
                self.desk, self.selection, self._theme, self.mastering,
                MasterActs(self.choose_export, self.deliver_acts.choose_clip, self.deliver_acts.choose_stems, self.deliver_acts.choose_video),
            ),
        }
        self.cards, self.evidence = QStackedWidget(), QStackedWidget()
        for page in self.pages.values():
            scroll = QScrollArea()
            scroll.setWidgetResizable(True)
            scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            scroll.setWidget(page.card)
            self.cards.addWidget(scroll)
            self.evidence.addWidget(page.evidence)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.overview)
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.splitter.setHandleWidth(1)
        self.splitter.addWidget(self.lanes)
        self.splitter.addWidget(self.evidence)
        self.splitter.setStretchFactor(0, 3)
        self.splitter.setStretchFactor(1, 2)
        self.splitter.setSizes([390, 210])
        column.addWidget(self.splitter, 1)
        body = QHBoxLayout()
        body.setSpacing(0)
        body.addWidget(self.steps)
        body.addWidget(middle, 1)
        body.addWidget(self._job_card())
        whole = QWidget()
        rows = QVBoxLayout(whole)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self.header)
        rows.addWidget(self._line())
        rows.addWidget(self._notice())
        rows.addLayout(body, 1)
        rows.addWidget(self._line())
        rows.addWidget(self.transport)
        self.setCentralWidget(whole)

    @staticmethod
    def _line() -> QFrame:
        line = QFrame()
        line.setObjectName("rule")
        return line

    def _job_card(self) -> QFrame:
        panel = QFrame()
        panel.setObjectName("panel")
        panel.setFixedWidth(CARD_W)
        column = QVBoxLayout(panel)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 14, 0)
        self.card_title = label("JOB CARD", "section")
        self.card_about = label("", "muted")
        head.addWidget(self.card_title)
        head.addStretch(1)
        head.addWidget(self.card_about)
        column.addLayout(head)
        column.addWidget(self.cards, 1)
        return panel

    def _notice(self) -> QFrame:
        self.notice = QFrame()
        self.notice.setObjectName("notice")
        row = QHBoxLayout(self.notice)
        row.setContentsMargins(16, 7, 12, 7)
        self.notice_text = label("", wrap=True)
        row.addWidget(self.notice_text, 1)
        self.notice_buttons = QHBoxLayout()
        row.addLayout(self.notice_buttons)
        self.notice.hide()
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(self.notice.hide)
        return self.notice

    def _fill_menu(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        self._qactions: dict[str, QAction] = {}
        for name in MENUS:
            menu = bar.addMenu(name)
            assert menu is not None
            menu.aboutToShow.connect(self._refresh_actions)
            for action in self.actions_by_id.values():
                if action.menu == name:
                    self._qactions[action.id] = self._qaction(action)
                    menu.addAction(self._qactions[action.id])
                    if action.id in SEPARATORS_AFTER:
                        menu.addSeparator()

    def _qaction(self, action: Action) -> QAction:
        out = QAction(action.text, self)
        out.setShortcuts([QKeySequence(k) for k in action.keys])
        out.setCheckable(action.checked is not None)
        out.triggered.connect(lambda _=False: self._run(action))
        return out

    def _run(self, action: Action) -> None:
        if action.enabled():
            action.run()
        self._refresh_actions()

    def _refresh_actions(self) -> None:
        for id, action in self.actions_by_id.items():
            qaction = self._qactions[id]
            if action.checked is not None:
                qaction.setChecked(action.checked())
        history = self.desk.document.history
        undo, redo = self._qactions["undo"], self._qactions["redo"]
        undo.setText(f"Undo: {history.done[-1].title}" if history.done else "Undo")
        redo.setText(f"Redo: {history.undone[-1].title}" if history.undone else "Redo")

    def _connect(self) -> None:
        self.steps.chosen.connect(self.go_step)
        self.lanes.play_wanted.connect(self.playing.play_from)
        self.lanes.menu_wanted.connect(self._show_lane_menu)
        self.words_pane.words.play_wanted.connect(self.playing.play_from)
        self.words_pane.words.menu_wanted.connect(self._show_words_menu)
        self.player.state_changed.connect(self.transport.show_playing)
        self.player.metered.connect(self.transport.show_reading)
        meters = self.balance_page.panes.meters
        self.player.metered.connect(meters.show_reading)
        meters.reset_wanted.connect(self.player.reset_meters)
        self.playing.loop_changed.connect(self.transport.show_loop)
        self.desk.said.connect(self.say)
        self.jobs.failed.connect(self.say)
        self.mastering.changed.connect(self._show_proved)
        self.voice_desk.changed.connect(self.lanes.update)
        self.desk.episode_changed.connect(self._on_episode_changed)
        self.desk.selection_changed.connect(self._show_card_title)

    # -- what the window shows --------------------------------------------------------

    def _on_episode_changed(self, *_: object) -> None:
        mark = "" if not self.desk.document.has_changes else " *"
        self.setWindowTitle(f"{self.desk.episode.title}{mark} – Dubbin")
        self._show_card_title()
        if self.selection.cut is not None and self.selection.cut not in self.desk.episode.cuts:
            self.selection.clear()

    def _show_proved(self) -> None:
        masters = self.mastering.masters
        self.steps.show_proved((sum(m.proof.passes for m in masters), len(masters)) if masters else None)

    def _show_card_title(self) -> None:
        page = self.pages[self.steps.current]
        self.card_title.setText(f"JOB CARD · {self.steps.current.value.upper()}")
        self.card_about.setText(page.title())

    def go_step(self, step: Step) -> None:
        """Bring a step's page to the front."""
        index = list(Step).index(step)
        for other, page in self.pages.items():
            if other is not step and page.is_open:
                page.closed()
        self.steps.show_step(step)
        self.cards.setCurrentIndex(index)
        self.evidence.setCurrentIndex(index)
        self.lanes.show_pauses = self.pages[step].shows_pauses
        self.lanes.show_findings = self.pages[step].shows_findings
        self.lanes.show_words = self.pages[step].shows_words
        self.lanes.show_levels = self.pages[step].shows_levels
        self.lanes.reductions = self.voice_desk.drawn_reductions if self.pages[step].shows_reductions else None
        sizes = (300, 300) if step in (Step.EDIT, Step.VOICE, Step.BALANCE, Step.MASTER) else (390, 210)
        if sizes != self._sizes:
            self._sizes = sizes
            self.splitter.setSizes(list(sizes))
        self.lanes.update()
        self.pages[step].opened()
        self._show_card_title()

    def say(self, text: str, buttons: tuple[tuple[str, Callable[[], None]], ...] = ()) -> None:
        """Show a sentence under the header; with buttons it stays until one is pressed."""
        while self.notice_buttons.count():
            item = self.notice_buttons.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        self.notice_text.setText(text)
        for caption, act in (*buttons, ("Close", lambda: None)):
            button = QPushButton(caption)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, a=act: (self.notice.hide(), a()))
            self.notice_buttons.addWidget(button)
        self.notice.show()
        self._notice_timer.stop()
        if not buttons:
            self._notice_timer.start(NOTICE_MS + 40 * len(text))

    def find_words(self) -> None:
        """Look for words: the pane comes to the front and its field takes the keys."""
        self.go_step(Step.EDIT)
        page = self.pages[Step.EDIT]
        assert isinstance(page, EditPage)
        page.tabs.show_tab("words")
        self.words_pane.find()

    def _show_lane_menu(self, at: object) -> None:
        self._show_menu(at, (
            "play", "play-selection", "cut", "put-back", "split", "cut-piece", "copy", "put-copy", "move-here", "toggle-pause", "hear-seam", "fold", "mark-place",
            "add-chapter", "insert-break", "bleep", "mute-stretch", "uncover", "touch-down", "touch-fill", "picture", "zoom-selection", "mute", "solo",
        ))  # fmt: skip

    def _show_words_menu(self, at: object) -> None:
        self._show_menu(at, (
            "play", "play-selection", "cut", "put-back", "copy", "put-copy", "move-here", "correct-word", "rename-voice", "bleep", "cover-noise", "mute-stretch",
            "uncover", "add-chapter", "insert-break",
        ))  # fmt: skip

    def _show_menu(self, at: object, ids: tuple[str, ...]) -> None:
        menu = QMenu(self)
        for id in ids:
            self._qactions[id].setEnabled(self.actions_by_id[id].enabled())
            menu.addAction(self._qactions[id])
        menu.exec(at)  # type: ignore[call-overload]
        for qaction in self._qactions.values():
            qaction.setEnabled(True)

    # -- files ------------------------------------------------------------------------

    def set_document(self, document: Document) -> None:
        self.player.stop()
        self.selection.clear()
        self.selection.set_head(0)
        self.desk.set_document(document)
        self.view.show_all()
        self._on_episode_changed()
        self.go_step(self.steps.current)

    def new_episode(self) -> None:
        if self._may_leave():
            self.set_document(Document(self._folders.journals))
            self.go_step(Step.INTAKE)

    def choose_episode(self) -> None:
        if not self._may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(self, "Open an episode", self._last_folder(), EPISODE_FILES)
        if name:
            self.open_episode(Path(name))

    def open_episode(self, path: Path) -> None:
        """Open an episode file; says why when it can't."""
        try:
            self.set_document(Document.opened(self._folders.journals, path))
        except DubbinError as error:
            self.say(str(error))

    def open_demo(self) -> None:
        from dubbin.demo.episode import build_demo

        if self._may_leave():
            folder = self._folders.documents / "Slow Ferry demo"
            self.jobs.start(
                "demo",
                "Building the demo",
                lambda task: build_demo(folder, self.desk.copies, task),
                self.open_episode,
            )

    def _last_folder(self) -> str:
        path = self.desk.document.path
        return str(path.parent if path else Path.home())

    def save(self) -> bool:
        """Save to the episode's place, or ask for one; whether it was saved."""
        if self.desk.document.path is None:
            return self.save_as()
        return self._save_to(None)

    def save_as(self) -> bool:
        from dubbin.core.deliver.master import safe_name

        suggestion = Path(self._last_folder()) / f"{safe_name(self.desk.episode.title)}{SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self, "Save the episode", str(suggestion), EPISODE_FILES)
        if not name:
            return False
        return self._save_to(Path(name if name.endswith(SUFFIX) else name + SUFFIX))

    def _save_to(self, path: Path | None) -> bool:
        try:
            self.desk.document.save(path)
        except DubbinError as error:
            self.say(str(error))
            return False
        return True

    def choose_recordings(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Add recordings", self._last_folder(), SOUND_FILES)
        if names:
            self.desk.add_files([Path(n) for n in names])

    def choose_moved(self, recording_id: str) -> None:
        """Ask where a recording's file is now."""
        path = Path(self.desk.episode.recording(recording_id).path)
        name, _ = QFileDialog.getOpenFileName(self, f"Where is {path.name} now?", self._last_folder(), SOUND_FILES)
        if name:
            self.taking_in.relink(recording_id, Path(name))

    def choose_export(self) -> None:
        self.go_step(Step.MASTER)
        self.deliver_acts.choose_export()

    def export_to(self, folder: Path) -> None:
        self.deliver_acts.export_to(folder)

    def _may_leave(self) -> bool:
        """Ask what to do with unsaved changes; False when the person stays."""
        if not self.desk.document.has_changes:
            return True
        box = QMessageBox(self)
        box.setWindowTitle("Unsaved changes")
        box.setText(f"“{self.desk.episode.title}” has changes that are not saved.")
        kinds = QMessageBox.StandardButton
        box.setStandardButtons(kinds.Save | kinds.Discard | kinds.Cancel)
        box.setDefaultButton(kinds.Save)
        answer = box.exec()
        if answer == kinds.Save:
            return self.save()
        return bool(answer == kinds.Discard)

    def _offer_left_over(self) -> None:
        for item in left_over(self._folders.journals)[:1]:
            self.say(
                f"The program ended without warning. “{item.title}” is kept up to “{item.last_step}” ({item.steps} steps not saved).",
                (
                    ("Take it up again", lambda i=item: self._recover(i)),
                    ("Throw it away", lambda i=item: i.journal.unlink(missing_ok=True)),
                ),
            )

    def _recover(self, item: LeftOver) -> None:
        try:
            self.set_document(Document.recovered(self._folders.journals, item))
        except DubbinError as error:
            self.say(str(error))

    # -- help -------------------------------------------------------------------------

    def search(self) -> None:
        CommandSearch(list(self.actions_by_id.values()), self).exec()

    def show_shortcuts(self) -> None:
        ShortcutSheet(list(self.actions_by_id.values()), self).exec()

    def show_card(self) -> None:
        """Run the card: the sheet from which it is begun and on which stands what was done."""
        if self._card_dialog is None:
            self._card_dialog = CardDialog(self.card_run, self._theme, self.desk, lambda: self.jobs.cancel(CARD_SLOT), self)
        self._card_dialog.show()
        self._card_dialog.raise_()

    def show_about(self) -> None:
        QMessageBox.about(
            self, "About Dubbin",
            f"Dubbin {__version__}\n\nFrom recorded speech to masters that provably pass.\n\nFree software under the GNU General Public "
            "License, version 3 or later. Font: Alegreya Sans, SIL Open Font License.",
        )  # fmt: skip

    def toggle_night(self) -> None:
        self._theme.set_night(not self._theme.colours.dark)

    # -- events -----------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if data is None:
            return
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        self.take_files(paths)

    def take_files(self, paths: list[Path]) -> None:
        """Files that were dropped: an episode is opened, everything else is taken in."""
        episodes = [p for p in paths if p.suffix == SUFFIX]
        if episodes:
            if self._may_leave():
                self.open_episode(episodes[0])
        elif paths:
            self.desk.add_files(paths)
            self.go_step(Step.INTAKE)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape:
            if not self.lanes.give_up_drag():
                self.selection.clear()
                self.lanes.setFocus()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Single letters belong to a field while one types in it, not to the shortcuts."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            if any(isinstance(watched, kind) and Qt.Key(event.key()) in taken for kind, taken in OWN_KEYS):
                event.accept()  # these move within what has the focus
                return True
            typing = isinstance(watched, (QLineEdit, QAbstractSpinBox, QApplication, QComboBox))
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)
            if typing and plain and not Qt.Key.Key_F1 <= event.key() <= Qt.Key.Key_F12:
                event.accept()
                return True
        return super().eventFilter(watched, event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self._may_leave():
            event.ignore()
            return
        self.player.close()
        self.jobs.close()
        self.desk.close()
        event.accept()

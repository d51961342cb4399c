"""Run the card in the window: in the background, as ordinary changes, with a list of what was done whose entries have switches."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dubbin.core.card.entry import BalanceSwitch, CutSwitch, Entry, RepairSwitch, VoiceSwitch, entries_from_json, entries_to_json
from dubbin.core.card.plan import PlanKey, PlanLine, plan_card
from dubbin.core.card.run import CardResult, run_card
from dubbin.core.card.state import CardResources
from dubbin.core.episode.model import Episode, Role
from dubbin.core.jobs import Task
from dubbin.core.sound.writing import replacing
from dubbin.core.speech.activity import FRAMES_PER_S
from dubbin.core.texts import tr
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech

SLOT = "card"
TOLD_EVERY_MS = 200


class CardRun(QObject):
    """`changed` when it begins, goes on, or is done. entries: what it did last, also before the program was started. planned: what it is doing now. progress: how
    far each of these is, 0 to 1."""

    changed = pyqtSignal()
    _told = pyqtSignal(str)

    def __init__(self, session: Session, speech: Speech) -> None:
        super().__init__()
        self._session, self._speech = session, speech
        self._entries: tuple[Entry, ...] = ()
        self.planned: tuple[PlanLine, ...] = ()
        self.progress: dict[PlanKey, float] = {}
        self.step = ""
        self._of = self._document = session.document
        self._told.connect(self._on_told)
        self._ticks = QTimer(self)
        self._ticks.setInterval(TOLD_EVERY_MS)
        self._ticks.timeout.connect(self._on_tick)
        session.episode_changed.connect(self._on_episode_changed)
        self._take_up()

    @property
    def entries(self) -> tuple[Entry, ...]:
        """What it did, but for lanes that were taken out since."""
        lanes = {lane.id for lane in self._session.episode.lanes}
        return tuple(e for e in self._entries if isinstance(e.switch, CutSwitch) or e.switch.lane in lanes)

    @property
    def is_running(self) -> bool:
        return bool(self._session.jobs.is_busy(SLOT))

    @property
    def is_measuring(self) -> bool:
        """Whether voices are still being measured, whose repairs are not in the plan yet."""
        session = self._session
        return any(session.analyses.report(lane) is None for lane in session.episode.session_voices)

    def can_run(self) -> bool:
        return not self.is_running and self._session.recordings.are_all_read and bool(self._session.episode.lanes)

    def plan(self) -> tuple[PlanLine, ...]:
        """What running would do now."""
        session = self._session
        reports = {lane.id: session.analyses.report(lane) for lane in session.episode.lanes if lane.role is Role.VOICE}
        return plan_card(session.episode, {id: report for id, report in reports.items() if report is not None})

    def run(self, skip: frozenset[PlanKey] = frozenset()) -> None:
        """Begin; what came of it is done when everything is known. skip: lines of the plan that are left out."""
        if not self.can_run():
            return
        episode, session = self._session.document.history.episode, self._session
        resources = CardResources(session.recordings.copies, session.tile_cache, session.kept, self._speech.transcribing.models)
        self._of = self._session.document
        self.planned, self.progress, self._entries = tuple(line for line in self.plan() if line.key not in skip), {}, ()

        def told(key: PlanKey, share: float) -> None:
            if share > 0.0:
                self.progress[key] = share

        def work(task: Task) -> CardResult:
            return run_card(episode, resources, task, self._tell, skip=skip, told=told)

        session.jobs.start(SLOT, tr("Running the card"), work, self._done)
        self._ticks.start()
        self.changed.emit()

    def forget(self) -> None:
        """Let go of the list of what was done, so that one sees what could be done now."""
        self._entries = ()
        self._keep()
        self.changed.emit()

    def _on_tick(self) -> None:
        if not self.is_running:
            self._ticks.stop()
        self.changed.emit()

    def _tell(self, step: str) -> None:
        """On a working thread."""
        self._told.emit(step)

    def _on_told(self, step: str) -> None:
        self.step = step
        self.changed.emit()

    def _done(self, ran: CardResult) -> None:
        session = self._session
        if session.document is not self._of:
            return  # another episode is on the session now
        for change in ran.changes:
            session.do(change(session.document.history.episode))
            session.end_merge()
        self._entries, self.step = ran.entries, ""
        self._keep()
        if ran.remarks:
            session.said.emit("\n".join(ran.remarks))
        self.changed.emit()

    # -- between uses -----------------------------------------------------------------

    def _path(self) -> Path:
        return self._session.folders.cards / f"{self._session.episode.id}.json"

    def _keep(self) -> None:
        """Keep the list for the next start; where that can't be, it is only here."""
        with suppress(OSError):
            self._path().parent.mkdir(parents=True, exist_ok=True)
            with replacing(self._path()) as temporary:
                temporary.write_bytes(entries_to_json(self._entries))

    def _take_up(self) -> None:
        """Show what was done to this episode before."""
        try:
            self._entries = entries_from_json(self._path().read_bytes())
        except OSError:
            self._entries = ()
        self.step = ""

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if self._session.document is not self._document:
            self._document = self._session.document
            self._take_up()
            self.changed.emit()

    # -- entries ----------------------------------------------------------------------

    def is_on(self, entry: Entry) -> bool:
        return entry.is_on(self._session.episode)

    def switch(self, entry: Entry, on: bool) -> None:
        self._session.do(entry.switched(self._session.document.history.episode, on))
        self._session.end_merge()

    def place(self, entry: Entry) -> tuple[int, int] | None:
        """Where one hears best what an entry did, in session frames: a place of the finding, the first cut, or where the voice begins to speak."""
        episode, switch = self._session.episode, entry.switch
        if isinstance(switch, CutSwitch):
            return (switch.cuts[0].start_frame, switch.cuts[0].end_frame) if switch.cuts else None
        assert isinstance(switch, (RepairSwitch, VoiceSwitch, BalanceSwitch))
        lane = next((lane for lane in episode.lanes if lane.id == switch.lane), None)
        if lane is None:
            return None
        rate, found = episode.rate, None
        if isinstance(switch, RepairSwitch):
            findings = [f for f in self._session.analyses.findings(lane) if f.treatment == switch.treatment and f.places_s]
            found = findings[0].places_s[0] if findings else None
        activity = self._session.analyses.activity(lane)
        if found is None and activity is not None and activity.audible.any():
            at = int(activity.audible.argmax()) / FRAMES_PER_S
            found = (at, at + 2.0)
        start_s, end_s = found or (0.0, 2.0)
        return lane.start_frame + round(start_s * rate), lane.start_frame + round(max(end_s, start_s + 1.0) * rate)

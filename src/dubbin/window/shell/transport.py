"""The bar at the bottom: play, loop, seams, time, background work, and meters."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dubbin.core.figures import clock, number, speed_text
from dubbin.core.measure.live import Reading
from dubbin.core.texts import tr
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.action import Action, ActionButton, ActionList
from dubbin.window.parts.card import label, set_kind
from dubbin.window.parts.icons import icon
from dubbin.window.parts.meter import LevelMeter
from dubbin.window.parts.theme import Theme, font, scaled
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.shell.work_list import WorkList, remaining

WORK_PAD = 8  # beside the text of what runs
NARROWEST_WORK = 56  # in a narrow window; the figures at its side keep their room
FEWEST_LETTERS = 5  # of what runs, that say anything; with room for less, how far it is stands there alone
NARROW = 1180  # a window in which not all figures have room


class Transport(QFrame):
    def __init__(self, session: Session, view: Viewport, selection: Selection, actions: ActionList, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("bar")
        self._session, self._view, self._selection, self._theme, self._actions = session, view, selection, theme, actions
        self._playing = False
        self._reading: Reading | None = None
        self._drawn: dict[str, tuple[str, str]] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 16, 6)
        row.setSpacing(6)
        self._buttons: dict[str, QPushButton] = {}
        for name, picture in (
            ("previous-seam", "back"), ("play", "play"), ("next-seam", "forward"), ("loop", "loop"), ("fold", "fold"),
            ("zoom-out", "minus"), ("zoom-in", "plus"), ("zoom-all", "all"),
        ):  # fmt: skip
            button = self._button(actions[name], picture)
            row.addWidget(button)
            if name in ("loop", "fold"):
                button.setCheckable(True)
            if name == "next-seam":
                self.time = label("0:00.00")
                self.time.setFont(font(21, 500))
                self.time.setStyleSheet("font-size: 21px; font-weight: 500;")
                self.time.setMinimumWidth(86)
                self.of = label("", "muted")
                row.addWidget(self.time)
                row.addWidget(self.of)
                row.addSpacing(6)
        self.speed = QPushButton("1×")
        self.speed.setProperty("kind", "quiet")
        self.speed.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.speed.setToolTip(tr("Play speed; a click goes back to normal speed. Shift+J and Shift+L change it, J K L shuttle."))
        self.speed.setAccessibleName(tr("Play speed"))
        self.speed.setMinimumWidth(scaled(44))
        self.speed.clicked.connect(lambda: actions["normal-speed"].run())
        row.addWidget(self.speed)
        row.addSpacing(6)
        row.addWidget(self._work_corner(), 1)
        self.meter = LevelMeter(theme)
        self.loudness = label("")
        self.loudness.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Preferred)
        self.loudness.setToolTip(tr("True peak, and momentary, short-term and integrated loudness of what was played."))
        row.addWidget(self.meter)
        row.addSpacing(6)
        row.addWidget(self.loudness)
        self.show_reading(None)
        session.episode_changed.connect(self.refresh)
        session.jobs.changed.connect(self._show_jobs)
        view.changed.connect(self.refresh)
        selection.head_changed.connect(self.refresh)
        theme.changed.connect(self._draw_icons)
        self._draw_icons()
        self.refresh()
        self._show_jobs()

    def _button(self, action: Action, picture: str) -> QPushButton:
        button = ActionButton(self._actions, action.id)
        button.setText("")
        button.setEnabled(True)  # also where it can't be done now: then it is said why
        button.setProperty("kind", "plain")
        button.setProperty("picture", picture)
        button.setIconSize(QSize(20, 20))
        button.setAccessibleName(action.text)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._buttons[action.id] = button
        return button

    def _work_corner(self) -> QWidget:
        corner = QWidget()
        column = QVBoxLayout(corner)
        column.setContentsMargins(0, 0, 12, 0)
        column.setSpacing(2)
        line = QHBoxLayout()
        self.work = QPushButton()
        self.work.setProperty("kind", "quiet")
        self.work.setToolTip(tr("Everything that is running or waits, each to be cancelled"))
        self.work.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.work.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.list = WorkList(self._session.jobs, self)
        self.work.clicked.connect(lambda: self.list.open_above(self.work))
        line.addWidget(self.work, 1)
        self.progress = QProgressBar()
        self.progress.setRange(0, 1000)
        self.progress.setFixedHeight(5)
        self.progress.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.progress.setMinimumWidth(NARROWEST_WORK)
        column.addStretch(1)
        column.addLayout(line)
        column.addWidget(self.progress)
        column.addStretch(1)
        return corner

    def _draw_icons(self) -> None:
        """Draw the buttons whose picture or colour is another than before."""
        for name, button in self._buttons.items():
            wanted = (button.property("picture"), self._theme.colours.ink)
            if self._drawn.get(name) != wanted:
                self._drawn[name] = wanted
                button.setIcon(icon(wanted[0], self._theme.colours.q("ink")))

    def show_playing(self, playing: bool) -> None:
        self._playing = playing
        self._buttons["play"].setProperty("picture", "stop" if playing else "play")
        self._draw_icons()

    def show_loop(self, on: bool) -> None:
        self._buttons["loop"].setChecked(on)

    def show_speed(self, chosen: float, now: float | None) -> None:
        """chosen: the play speed; now: the speed at which it plays, None while it does not."""
        self.speed.setText(speed_text(chosen if now is None else now))
        set_kind(self.speed, "quiet" if (chosen if now is None else now) == 1.0 else "fast")

    def refresh(self, *_: object) -> None:
        rate = self._session.episode.rate
        self._buttons["fold"].setChecked(self._view.folded)
        self._buttons["fold"].setProperty("picture", "unfold" if self._view.folded else "fold")
        self._draw_icons()
        at = self._view.map.to_program_or_next(self._selection.head)
        self.time.setText(clock(at / rate, 2))
        of = tr("of {length} program") if self._view.folded else tr("of {length} session")
        self.of.setText(of.format(length=clock(self._view.frames / rate)))

    def show_reading(self, reading: Reading | None) -> None:
        self._reading = reading
        self.meter.show_reading(reading)
        self._write_figures()

    def _write_figures(self) -> None:
        """Figures of what was played last; in a narrow window without the true peak, of which the meter at their side has the mark."""
        read, peak = self._reading, ""
        if self.width() >= scaled(NARROW):
            peak = tr("True peak {highest_dbtp} dBTP").format(highest_dbtp=number(read.highest_dbtp if read else None)) + "   "
        self.loudness.setText(
            peak
            + tr("M {momentary_lufs}   S {short_term_lufs}   I {integrated_lufs} LUFS").format(
                momentary_lufs=number(read.momentary_lufs if read else None),
                short_term_lufs=number(read.short_term_lufs if read else None),
                integrated_lufs=number(read.integrated_lufs if read else None),
            )
        )

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._write_figures()

    def _show_jobs(self) -> None:
        live = self._session.jobs.live
        for widget in (self.work, self.progress):
            widget.setVisible(bool(live))
        if not live:
            return
        job = live[0]
        more = tr(" · {count} more").format(count=len(live) - 1) if len(live) > 1 else ""
        left, percent = remaining(job), tr("{percent} %").format(percent=number(100 * job.fraction, 0))
        metrics = self.work.fontMetrics()
        room = self.work.width() - 2 * WORK_PAD - metrics.horizontalAdvance("  ▴")
        # The bar below shows the percents; how much more there is nothing else does.
        ends = [f", {left or percent}{more}", f", {percent}{more}", more or f", {percent}"]
        text = fitted(job.title, ends, percent, metrics, room)
        self.work.setText(f"{text}  ▴" if text else "▴")
        self.work.setAccessibleName((f"{job.title}, {left}" if left else job.title) + more)
        self.progress.setValue(round(job.fraction * 1000))


def fitted(title: str, ends: Sequence[str], bare: str, metrics: QFontMetrics, room: int) -> str:
    """What is told of work in so many pixels: its whole title with the first of some ends that has room beside it, or as much of it as has room beside the last end;
    `bare` where that says nothing any more, and nothing where there is no room even for that."""
    for end in ends:
        if metrics.horizontalAdvance(title + end) <= room:
            return title + end
    left = room - metrics.horizontalAdvance(ends[-1])
    if left >= metrics.averageCharWidth() * FEWEST_LETTERS:
        return metrics.elidedText(title, Qt.TextElideMode.ElideRight, left) + ends[-1]
    return bare if metrics.horizontalAdvance(bare) <= room else ""

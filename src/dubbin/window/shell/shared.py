"""What the rooms of all steps work with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QWidget

from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.lanes.navigation import Navigation
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.action import ActionList
from dubbin.window.parts.theme import Theme
from dubbin.window.player.playing import Playing
from dubbin.window.player.seam_walk import SeamWalk
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.program_measure import ProgramMeasure
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.shell.step import Step
from dubbin.window.words.words_pane import WordsPane


@dataclass(frozen=True)
class Shared:
    """window: parent of dialogs. folder: gives the folder in which file dialogs begin. go_step: brings a step to the front."""

    window: QWidget
    theme: Theme
    session: Session
    selection: Selection
    view: Viewport
    navigation: Navigation
    playing: Playing
    seam_walk: SeamWalk
    speech: Speech
    program: ProgramMeasure
    lanes: LanesView
    words: WordsPane
    preferences: Preferences
    actions: ActionList
    folder: Callable[[], str]
    go_step: Callable[[Step], None]

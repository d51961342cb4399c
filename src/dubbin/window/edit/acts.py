"""All that is done in the Edit step, by topic."""

from __future__ import annotations

from dubbin.window.edit.alike import Alike
from dubbin.window.edit.chaptering import Chaptering
from dubbin.window.edit.clipboard import Clipboard
from dubbin.window.edit.covering import Covering
from dubbin.window.edit.cutting import Cutting
from dubbin.window.edit.exporting import EditExport
from dubbin.window.edit.filler_acts import Fillers
from dubbin.window.edit.inserting import Inserting
from dubbin.window.edit.moving import Moving
from dubbin.window.edit.overlap_acts import Overlaps
from dubbin.window.edit.pausing import Pausing
from dubbin.window.edit.retake_acts import Retakes
from dubbin.window.edit.seam_watch import SeamWatch
from dubbin.window.edit.voice_names import VoiceNames
from dubbin.window.edit.wording import Wording
from dubbin.window.shell.shared import Shared


class EditActs:
    def __init__(self, shared: Shared) -> None:
        session, selection, speech, playing = shared.session, shared.selection, shared.speech, shared.playing
        clipboard = Clipboard(session)
        self.cutting = Cutting(shared, clipboard)
        self.pausing = Pausing(session, selection, shared.navigation)
        self.fillers = Fillers(session, selection, speech, playing)
        self.retakes = Retakes(session, selection, speech, playing)
        self.wording = Wording(shared)
        self.voice_names = VoiceNames(shared.window, session, session.folders.state)
        self.alike = Alike(session, selection, speech, self.wording)
        self.moving = Moving(session, selection, speech, self.cutting, clipboard)
        self.inserting = Inserting(shared)
        self.covering = Covering(session, selection, speech)
        self.overlaps = Overlaps(session, selection, speech, playing)
        self.chaptering = Chaptering(shared)
        self.export = EditExport(shared)
        self.seams = SeamWatch(session)

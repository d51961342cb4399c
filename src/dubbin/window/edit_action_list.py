"""The actions of the Edit step: words, fillers, retakes, pieces, moves, breaks, covers, chapters."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dubbin.core.episode.model import CoverKind
from dubbin.window.actions import Action
from dubbin.window.arranging import Arranging
from dubbin.window.desk import Desk
from dubbin.window.edit_acts import EditActs
from dubbin.window.editing import Editing
from dubbin.window.playing import Playing
from dubbin.window.seam_watch import SeamWatch
from dubbin.window.speech_desk import SpeechDesk

LOWER_DB = -12.0


@dataclass(frozen=True)
class EditTools:
    """What the actions of the Edit step work with. find, find_step: of the words pane."""

    editing: Editing
    arranging: Arranging
    speech: SpeechDesk
    seams: SeamWatch
    playing: Playing
    acts: EditActs
    find: Callable[[], None]
    find_step: Callable[[int], None]


def make_edit_actions(desk: Desk, tools: EditTools) -> list[Action]:
    editing, arranging, speech, playing, acts = tools.editing, tools.arranging, tools.speech, tools.playing, tools.acts

    def has_lanes() -> bool:
        return bool(desk.episode.lanes)

    def has_words() -> bool:
        return bool(desk.episode.transcripts)

    def go_filler(direction: int) -> None:
        filler = arranging.next_filler(direction)
        if filler is None:
            desk.said.emit("There is no further filler." if speech.fillers() else "No filler is known yet.")
        else:
            start, end = int(speech.table.starts[filler.row]), int(speech.table.ends[filler.row])
            playing.play_place(start, end)

    def go_retake(direction: int) -> None:
        head, found = playing.head, speech.retakes()
        ahead = [r for r in found if (r.spans[0][0] > head + 1 if direction > 0 else r.spans[0][0] < head - 1)]
        if ahead:
            chosen = ahead[0] if direction > 0 else ahead[-1]
            playing.play_place(chosen.spans[0][0], chosen.spans[-1][1])
        else:
            desk.said.emit("There is no further retake.")

    def walk_doubtful() -> None:
        def doubtful(seam: tuple[int, int]) -> bool:
            check = tools.seams.check(seam)
            return check is not None and check.is_doubtful

        if not playing.walk_doubtful(doubtful):
            desk.said.emit("No further seam is doubtful.")

    def transcribe() -> None:
        speech.stop() if speech.is_busy() else speech.start()

    return [
        Action("split", "Edit", "Split here, or join again", ("D",), editing.split, has_lanes),
        Action("cut-piece", "Edit", "Cut this piece", ("Shift+X",), editing.cut_piece, has_lanes),
        Action("nudge-back-1", "Edit", "Edge 1 ms earlier", ("Alt+[",), lambda: editing.nudge_edge(-0.001), has_lanes),
        Action("nudge-on-1", "Edit", "Edge 1 ms later", ("Alt+]",), lambda: editing.nudge_edge(0.001), has_lanes),
        Action("nudge-back", "Edit", "Edge 10 ms earlier", ("[",), lambda: editing.nudge_edge(-0.01), has_lanes),
        Action("nudge-on", "Edit", "Edge 10 ms later", ("]",), lambda: editing.nudge_edge(0.01), has_lanes),
        Action("nudge-back-100", "Edit", "Edge 100 ms earlier", ("Shift+[", "{"), lambda: editing.nudge_edge(-0.1), has_lanes),
        Action("nudge-on-100", "Edit", "Edge 100 ms later", ("Shift+]", "}"), lambda: editing.nudge_edge(0.1), has_lanes),
        Action("program-start", "Edit", "Program starts here", ("Shift+I",), editing.set_start, has_lanes),
        Action("program-end", "Edit", "Program ends here", ("Shift+O",), editing.set_end, has_lanes),
        Action("copy", "Edit", "Copy", ("Ctrl+C",), arranging.copy, arranging.can_copy),
        Action("put-copy", "Edit", "Put a copy in here", ("Ctrl+V",), arranging.put_copy, lambda: bool(arranging.clip)),
        Action("move-here", "Edit", "Move what was copied here", ("Ctrl+Shift+V",), arranging.move_here, lambda: bool(arranging.clip)),
        Action("transcribe", "Words", "Write the words down, or stop", (), transcribe, has_lanes),
        Action("bring-text", "Words", "Bring a transcript …", (), acts.bring_text, has_lanes),
        Action("split-speakers", "Words", "Tell speakers of this lane apart …", (), acts.split_speakers, has_lanes),
        Action("find", "Words", "Find words", ("Ctrl+F",), tools.find, has_words),
        Action("find-next", "Words", "Find next", ("F3",), lambda: tools.find_step(1), has_words),
        Action("find-previous", "Words", "Find previous", ("Shift+F3",), lambda: tools.find_step(-1), has_words),
        Action("correct-word", "Words", "Correct this word …", ("F2",), acts.correct_word, has_words),
        Action("rename-voice", "Words", "Rename this speaker …", (), acts.rename_voice, has_words),
        Action("toggle-filler", "Words", "Cut or put back this filler", ("Y",), arranging.toggle_filler, has_words),
        Action("next-filler", "Words", "Next filler", ("U",), lambda: go_filler(1), has_words),
        Action("previous-filler", "Words", "Previous filler", ("Shift+U",), lambda: go_filler(-1), has_words),
        Action("cut-fillers", "Words", "Cut all fillers", ("Ctrl+Shift+P",), lambda: arranging.cut_fillers(speech.fillers()), has_words),
        Action("keep-last-takes", "Words", "Keep the last take of every line", (), arranging.keep_last_takes, has_words),
        Action("previous-retake", "Words", "Previous retake", ("Shift+R",), lambda: go_retake(-1), has_words),
        Action("next-retake", "Words", "Next retake", ("R",), lambda: go_retake(1), has_words),
        Action("choose-model", "Words", "Use another speech model …", (), acts.choose_model),
        Action("built-in-model", "Words", "Use the built-in speech model", (), acts.use_built_in_model),
        Action("export-words", "Words", "Write the words to a file …", (), acts.export_words, has_words),
        Action("insert-break", "Program", "Insert a break here …", ("Ctrl+B",), acts.insert_break, has_lanes),
        Action("insert-file", "Program", "Put a sound file in here …", ("Ctrl+Shift+I",), acts.insert_file, has_lanes),
        Action("add-chapter", "Program", "A chapter begins here …", ("Shift+K",), acts.add_chapter, has_lanes),
        Action("suggest-chapters", "Program", "Suggest chapters", (), arranging.suggest_chapters, has_words),
        Action("copy-chapters", "Program", "Copy the list of chapters", (), acts.copy_chapters, lambda: bool(desk.episode.chapters)),
        Action("bleep", "Program", "Bleep the selection", ("Shift+B",), lambda: arranging.cover(CoverKind.TONE), arranging.can_cover),
        Action("mute-stretch", "Program", "Mute the selection on this lane", ("Shift+M",), lambda: arranging.cover(CoverKind.SILENCE), arranging.can_cover),
        Action("lower-stretch", "Program", "Lower the selection on this lane by 12 dB", (), lambda: arranging.cover(CoverKind.LOWER, LOWER_DB), arranging.can_cover),
        Action("cover-noise", "Program", "Cover the selection with reversed room noise", (), lambda: arranging.cover(CoverKind.NOISE), arranging.can_cover),
        Action("uncover", "Program", "Have what was covered heard again", (), arranging.uncover, has_lanes),
        Action("export-edit", "Program", "Write the edit for other programs …", (), acts.export_edit, has_lanes),
        Action("walk-doubtful", "Play", "Walk to next doubtful seam", ("Shift+J",), walk_doubtful, lambda: bool(playing.seams())),
    ]  # fmt: skip

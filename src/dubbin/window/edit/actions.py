"""What menu and keys do in the Edit step."""

from __future__ import annotations

from collections.abc import Callable

from dubbin.core.episode.model import CoverKind
from dubbin.window.edit.acts import EditActs
from dubbin.window.parts.action import Action, ContextMenu, Menu
from dubbin.window.shell.shared import Shared

EDIT, WORDS, PROGRAM, PLAY = Menu.EDIT, Menu.WORDS, Menu.PROGRAM, Menu.PLAY
ON_LANES, ON_WORDS = (ContextMenu.LANES,), (ContextMenu.WORDS,)
ON_BOTH = ON_LANES + ON_WORDS


def edit_actions(shared: Shared, acts: EditActs, find: Callable[[], None]) -> list[Action]:
    """find: puts the cursor into the field that finds words."""
    session, playing = shared.session, shared.playing
    cutting, pausing, moving, covering = acts.cutting, acts.pausing, acts.moving, acts.covering

    def has_lanes() -> bool:
        return bool(session.episode.lanes)

    def has_words() -> bool:
        return bool(session.episode.transcripts)

    def has_cuts() -> bool:
        return bool(session.episode.cuts)

    def walk_doubtful() -> None:
        if not playing.walk_doubtful(acts.seams.is_doubtful):
            session.said.emit("No further seam is doubtful.")

    return [
        Action("cut", EDIT, "cuts", "Cut selection", ("X", "Delete"), cutting.cut, cutting.can_cut, on=ON_BOTH),
        Action("put-back", EDIT, "cuts", "Put back", ("B", "Backspace"), cutting.put_back, cutting.can_put_back, on=ON_BOTH),
        Action("put-back-all", EDIT, "cuts", "Put back all", (), cutting.put_back_all, has_cuts),
        Action("toggle-pause", EDIT, "pauses", "Cut or put back this pause", ("P",), pausing.toggle, has_lanes, on=ON_LANES),
        Action("all-pauses", EDIT, "pauses", "Cut or put back all pauses", ("Ctrl+P",), pausing.toggle_all, has_lanes),
        Action("mark-pauses", EDIT, "pauses", "Mark all pauses", (), acts.alike.mark_pauses, has_lanes),
        Action("pause-level", EDIT, "pauses", "Pause level from the selection", (), pausing.level_from_selection, pausing.can_take_level, on=ON_LANES),
        Action("split", EDIT, "pieces", "Split here, or join again", ("D",), cutting.split, has_lanes, on=ON_LANES),
        Action("cut-piece", EDIT, "pieces", "Cut this piece", ("Shift+X",), cutting.cut_piece, has_lanes, on=ON_LANES),
        Action("nudge-back-1", EDIT, "pieces", "Edge 1 ms earlier", ("Alt+[",), lambda: cutting.nudge_edge(-0.001), has_lanes),
        Action("nudge-on-1", EDIT, "pieces", "Edge 1 ms later", ("Alt+]",), lambda: cutting.nudge_edge(0.001), has_lanes),
        Action("nudge-back", EDIT, "pieces", "Edge 10 ms earlier", ("[",), lambda: cutting.nudge_edge(-0.01), has_lanes),
        Action("nudge-on", EDIT, "pieces", "Edge 10 ms later", ("]",), lambda: cutting.nudge_edge(0.01), has_lanes),
        Action("nudge-back-100", EDIT, "pieces", "Edge 100 ms earlier", ("Shift+[", "{"), lambda: cutting.nudge_edge(-0.1), has_lanes),
        Action("nudge-on-100", EDIT, "pieces", "Edge 100 ms later", ("Shift+]", "}"), lambda: cutting.nudge_edge(0.1), has_lanes),
        Action("nudge-by", EDIT, "pieces", "Move the edge by …", ("Ctrl+]",), cutting.ask_nudge, has_lanes),
        Action("program-start", EDIT, "ends", "Program starts here", ("Shift+I",), cutting.set_start, has_lanes),
        Action("program-end", EDIT, "ends", "Program ends here", ("Shift+O",), cutting.set_end, has_lanes),
        Action("copy", EDIT, "copies", "Copy", ("Ctrl+C",), moving.copy, moving.can_copy, on=ON_BOTH),
        Action("put-copy", EDIT, "copies", "Put a copy in here", ("Ctrl+V",), moving.put_copy, moving.has_taken, on=ON_BOTH),
        Action("move-here", EDIT, "copies", "Move what was taken here", ("Ctrl+Shift+V",), moving.move_here, moving.has_taken, on=ON_BOTH),
        *_word_actions(acts, shared, find, has_lanes, has_words),
        Action("insert-break", PROGRAM, "inserts", "Insert a break here …", ("Ctrl+B",), acts.inserting.ask_break, has_lanes, on=ON_BOTH),
        Action("insert-file", PROGRAM, "inserts", "Put a sound file in here …", ("Ctrl+Shift+I",), acts.inserting.ask_file, has_lanes),
        Action("add-chapter", PROGRAM, "chapters", "A chapter begins here …", ("Shift+K",), acts.chaptering.ask_title, has_lanes, on=ON_BOTH),
        Action("suggest-chapters", PROGRAM, "chapters", "Suggest chapters", (), acts.chaptering.suggest, has_words),
        Action("copy-chapters", PROGRAM, "chapters", "Copy the list of chapters", (), acts.chaptering.copy_list, lambda: bool(session.episode.chapters)),
        Action("bleep", PROGRAM, "covers", "Bleep the selection", ("Shift+B",), lambda: covering.cover(CoverKind.TONE), covering.can_cover, on=ON_BOTH),
        Action("mute-stretch", PROGRAM, "covers", "Mute the selection on this lane", ("Shift+M",), lambda: covering.cover(CoverKind.SILENCE),
               covering.can_cover, on=ON_BOTH),
        Action("lower-stretch", PROGRAM, "covers", "Lower the selection on this lane by 12 dB", (), lambda: covering.cover(CoverKind.LOWER), covering.can_cover),
        Action("cover-noise", PROGRAM, "covers", "Cover the selection with reversed room noise", (), lambda: covering.cover(CoverKind.NOISE),
               covering.can_cover, on=ON_WORDS),
        Action("lower-overlap", PROGRAM, "covers", "Lower this overlap, or have it as it was", ("Shift+L",), acts.overlaps.toggle, has_lanes, on=ON_LANES),
        Action("lower-overlaps", PROGRAM, "covers", "Lower all overlaps", (), acts.overlaps.lower_all, has_lanes),
        Action("uncover", PROGRAM, "covers", "Have what was covered heard again", (), covering.uncover, has_lanes, on=ON_BOTH),
        Action("export-edit", PROGRAM, "export", "Write the edit for other programs …", (), acts.export.ask_file, has_lanes),
        Action("previous-pause", PLAY, "pauses", "Previous pause", ("Shift+N",), lambda: pausing.go_next(-1), has_lanes),
        Action("next-pause", PLAY, "pauses", "Next pause", ("N",), lambda: pausing.go_next(1), has_lanes),
        Action("walk-doubtful", PLAY, "seams", "Walk to next doubtful seam", ("Shift+J",), walk_doubtful, lambda: bool(playing.seams())),
    ]  # fmt: skip


def _word_actions(
    acts: EditActs, shared: Shared, find: Callable[[], None], has_lanes: Callable[[], bool], has_words: Callable[[], bool]
) -> list[Action]:
    wording, fillers, retakes, words = acts.wording, acts.fillers, acts.retakes, shared.words
    return [
        Action("transcribe", WORDS, "transcript", "Write the words down, or stop", (), wording.toggle_transcribing, has_lanes),
        Action("bring-text", WORDS, "transcript", "Bring a transcript …", (), wording.ask_text, has_lanes),
        Action("split-speakers", WORDS, "transcript", "Tell speakers of this lane apart …", (), wording.ask_speakers, has_lanes),
        Action("lanes-of-speakers", WORDS, "transcript", "A lane for each of its speakers …", (), wording.ask_lanes_of_speakers, wording.has_speakers),
        Action("name-voices", WORDS, "voices", "Name voices by their sound", (), acts.voice_names.name, has_words),
        Action("remember-voices", WORDS, "voices", "Remember these voices by their names", (), acts.voice_names.remember, has_words),
        Action("forget-voice", WORDS, "voices", "Forget a remembered voice …", (), acts.voice_names.ask_forget),
        Action("find", WORDS, "find", "Find words", ("Ctrl+F",), find, has_words),
        Action("find-next", WORDS, "find", "Find next", ("F3",), lambda: words.step(1), has_words),
        Action("find-previous", WORDS, "find", "Find previous", ("Shift+F3",), lambda: words.step(-1), has_words),
        Action("correct-word", WORDS, "words", "Correct this word …", ("F2",), wording.ask_correction, has_words, on=ON_WORDS),
        Action("select-alike", WORDS, "words", "Select all like this", ("Ctrl+Shift+A",), acts.alike.select, has_words, on=ON_WORDS),
        Action("mark-selected", WORDS, "words", "Mark what is selected", ("Ctrl+Shift+K",), acts.alike.mark, acts.alike.has_selected, on=ON_BOTH),
        Action("rename-voice", WORDS, "words", "Rename this speaker …", (), wording.ask_name, has_words, on=ON_WORDS),
        Action("toggle-filler", WORDS, "fillers", "Cut or put back this filler", ("Y",), fillers.toggle, has_words),
        Action("next-filler", WORDS, "fillers", "Next filler", ("U",), lambda: fillers.hear_next(1), has_words),
        Action("previous-filler", WORDS, "fillers", "Previous filler", ("Shift+U",), lambda: fillers.hear_next(-1), has_words),
        Action("cut-fillers", WORDS, "fillers", "Cut all fillers", ("Ctrl+Shift+P",), fillers.cut_all, has_words),
        Action("keep-last-takes", WORDS, "retakes", "Keep the last take of every line", (), retakes.keep_last, has_words),
        Action("mark-fillers", WORDS, "fillers", "Mark all fillers", (), acts.alike.mark_fillers, has_words),
        Action("previous-retake", WORDS, "retakes", "Previous retake", ("Shift+R",), lambda: retakes.hear_next(-1), has_words),
        Action("next-retake", WORDS, "retakes", "Next retake", ("R",), lambda: retakes.hear_next(1), has_words),
        Action("listening", WORDS, "model", "Model, language and names …", (), wording.ask_listening),
        Action("export-words", WORDS, "model", "Write the words to a file …", (), wording.ask_file, has_words),
    ]  # fmt: skip

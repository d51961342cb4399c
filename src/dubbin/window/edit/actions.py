"""What menu and keys do in the Edit step."""

from __future__ import annotations

from collections.abc import Callable

from dubbin.core.episode.model import CoverKind
from dubbin.core.texts import tr
from dubbin.window.edit.acts import EditActs
from dubbin.window.parts.action import Action, ContextMenu, Menu, Need
from dubbin.window.session.needs import Needs
from dubbin.window.shell.shared import Shared

EDIT, WORDS, PROGRAM, PLAY = Menu.EDIT, Menu.WORDS, Menu.PROGRAM, Menu.PLAY
ON_LANES, ON_WORDS = (ContextMenu.LANES,), (ContextMenu.WORDS,)
ON_BOTH = ON_LANES + ON_WORDS


def edit_actions(shared: Shared, acts: EditActs, find: Callable[[], None]) -> list[Action]:
    """find: puts the cursor into the field that finds words."""
    session, walk = shared.session, shared.seam_walk
    cutting, pausing, moving = acts.cutting, acts.pausing, acts.moving

    needs = Needs(session)
    has_lanes, has_words = needs.lanes, needs.words
    has_cuts = Need(lambda: bool(session.episode.cuts), tr("Nothing is cut yet."))
    has_chapters = Need(
        lambda: bool(session.episode.chapters), tr("There are no chapters yet: add one at the play head, or have them suggested.")
    )
    has_range = Need(lambda: shared.selection.range is not None, tr("Select a stretch first: drag over the lanes or the words."))
    has_seams = Need(lambda: bool(walk.all()), tr("There are no seams yet: nothing is cut."))
    can_cut = Need(
        cutting.can_cut, tr("Select a stretch first: drag over the lanes or the words, or set its start with I and its end with O.")
    )
    can_put_back = Need(
        cutting.can_put_back, tr("There is no cut at the play head: click one, or go to a seam with the comma and full-stop keys.")
    )
    can_copy = Need(moving.can_copy, tr("Select a stretch first: drag over the lanes or the words."))
    has_taken = Need(moving.has_taken, tr("Nothing is in the clipboard yet: select a stretch and press Ctrl+C, or cut it with X."))

    def walk_doubtful() -> None:
        if not walk.walk_doubtful(acts.seams.is_doubtful):
            session.said.emit(tr("No further seam is doubtful."))

    return [
        Action("cut", EDIT, "cuts", tr("Cut selection"), ("X", "Delete", "Backspace", "Ctrl+X"), cutting.cut, can_cut, on=ON_BOTH),
        Action("preview-cut", EDIT, "cuts", tr("Preview cut"), ("Ctrl+Space",), cutting.preview, can_cut, on=ON_BOTH),
        Action("put-back", EDIT, "cuts", tr("Put back"), ("B",), cutting.put_back, can_put_back, on=ON_BOTH),
        Action("put-back-all", EDIT, "cuts", tr("Put back all"), (), cutting.put_back_all, has_cuts),
        Action("toggle-pause", EDIT, "pauses", tr("Cut or put back this pause"), ("P",), pausing.toggle, has_lanes, on=ON_LANES),
        Action("all-pauses", EDIT, "pauses", tr("Cut or put back all pauses"), ("Shift+P",), pausing.toggle_all, has_lanes),
        Action("mark-pauses", EDIT, "pauses", tr("Add markers at pauses"), (), acts.alike.mark_pauses, has_lanes),
        Action("pause-level", EDIT, "pauses", tr("Set pause level from selection"), (), pausing.level_from_selection, has_range, on=ON_LANES),
        Action("split", EDIT, "pieces", tr("Split or join here"), ("D",), cutting.split, has_lanes, on=ON_LANES),
        Action("cut-piece", EDIT, "pieces", tr("Cut this piece"), ("Shift+X",), cutting.cut_piece, has_lanes, on=ON_LANES),
        Action("nudge-back-1", EDIT, "pieces", tr("Edge 1 ms earlier"), ("Alt+[",), lambda: cutting.nudge_edge(-0.001), has_lanes),
        Action("nudge-on-1", EDIT, "pieces", tr("Edge 1 ms later"), ("Alt+]",), lambda: cutting.nudge_edge(0.001), has_lanes),
        Action("nudge-back", EDIT, "pieces", tr("Edge 10 ms earlier"), ("[", "Alt+Shift+Left"), lambda: cutting.nudge_edge(-0.01), has_lanes),
        Action("nudge-on", EDIT, "pieces", tr("Edge 10 ms later"), ("]", "Alt+Shift+Right"), lambda: cutting.nudge_edge(0.01), has_lanes),
        Action("nudge-back-100", EDIT, "pieces", tr("Edge 100 ms earlier"), ("Shift+[", "{"), lambda: cutting.nudge_edge(-0.1), has_lanes),
        Action("nudge-on-100", EDIT, "pieces", tr("Edge 100 ms later"), ("Shift+]", "}"), lambda: cutting.nudge_edge(0.1), has_lanes),
        Action("nudge-by", EDIT, "pieces", tr("Move the edge by …"), ("Ctrl+]",), cutting.ask_nudge, has_lanes),
        Action("program-start", EDIT, "ends", tr("Set program start"), ("Shift+I",), cutting.set_start, has_lanes),
        Action("program-end", EDIT, "ends", tr("Set program end"), ("Shift+O",), cutting.set_end, has_lanes),
        Action("copy", EDIT, "copies", tr("Copy"), ("Ctrl+C",), moving.copy, can_copy, on=ON_BOTH),
        Action("put-copy", EDIT, "copies", tr("Paste a copy here"), ("Ctrl+V",), moving.put_copy, has_taken, on=ON_BOTH),
        Action("move-here", EDIT, "copies", tr("Move here"), ("Ctrl+Shift+V",), moving.move_here, has_taken, on=ON_BOTH),
        *_word_actions(acts, shared, find),
        Action("insert-break", PROGRAM, "inserts", tr("Insert break …"), ("Ctrl+B",), acts.inserting.ask_break, has_lanes, on=ON_BOTH),
        Action("insert-file", PROGRAM, "inserts", tr("Insert sound file …"), ("Ctrl+Shift+I",), acts.inserting.ask_file, has_lanes),
        Action("add-chapter", PROGRAM, "chapters", tr("Add chapter …"), ("Ctrl+Shift+K",), acts.chaptering.ask_title, has_lanes, on=ON_BOTH),
        Action("suggest-chapters", PROGRAM, "chapters", tr("Suggest chapters"), (), acts.chaptering.suggest, has_words),
        Action("copy-chapters", PROGRAM, "chapters", tr("Copy chapter list"), (), acts.chaptering.copy_list, has_chapters),
        *_cover_actions(acts, has_lanes),
        Action("export-edit", PROGRAM, "export", tr("Export edit list …"), (), acts.export.ask_file, has_lanes),
        Action("previous-pause", PLAY, "pauses", tr("Previous pause"), ("Shift+N",), lambda: pausing.go_next(-1), has_lanes),
        Action("next-pause", PLAY, "pauses", tr("Next pause"), ("N",), lambda: pausing.go_next(1), has_lanes),
        Action("walk-doubtful", PLAY, "seams", tr("Walk to next doubtful seam"), ("Ctrl+H",), walk_doubtful, has_seams),
    ]  # fmt: skip


def _cover_actions(acts: EditActs, has_lanes: Need) -> list[Action]:
    covering = acts.covering
    can_cover = Need(covering.can_cover, tr("Select a word or a stretch first."))
    return [
        Action("bleep", PROGRAM, "covers", tr("Bleep selection"), ("Shift+B",), lambda: covering.cover(CoverKind.TONE), can_cover, on=ON_BOTH),
        Action("mute-stretch", PROGRAM, "covers", tr("Mute selection on this lane"), ("Shift+M",), lambda: covering.cover(CoverKind.SILENCE),
               can_cover, on=ON_BOTH),
        Action("lower-stretch", PROGRAM, "covers", tr("Lower selection on this lane by 12 dB"), (), lambda: covering.cover(CoverKind.LOWER), can_cover),
        Action("cover-noise", PROGRAM, "covers", tr("Cover selection with room noise"), (), lambda: covering.cover(CoverKind.NOISE),
               can_cover, on=ON_WORDS),
        Action("lower-overlap", PROGRAM, "covers", tr("Lower or restore this overlap"), ("Ctrl+Shift+L",), acts.overlaps.toggle, has_lanes, on=ON_LANES),
        Action("next-overlap", PLAY, "places", tr("Next overlap"), ("Alt+O",), lambda: acts.overlaps.go_next(1), has_lanes),
        Action("previous-overlap", PLAY, "places", tr("Previous overlap"), ("Alt+Shift+O",), lambda: acts.overlaps.go_next(-1), has_lanes),
        Action("lower-overlaps", PROGRAM, "covers", tr("Lower all overlaps"), (), acts.overlaps.lower_all, has_lanes),
        Action("uncover", PROGRAM, "covers", tr("Uncover selection"), (), covering.uncover, has_lanes, on=ON_BOTH),
    ]  # fmt: skip


def _word_actions(acts: EditActs, shared: Shared, find: Callable[[], None]) -> list[Action]:
    needs = Needs(shared.session)
    has_lanes, has_words = needs.lanes, needs.words
    has_speakers = Need(acts.wording.has_speakers, tr("Separate the speakers of this lane first."))
    has_selected = Need(acts.alike.has_selected, tr("Select words or a stretch first."))
    wording, fillers, retakes, words = acts.wording, acts.fillers, acts.retakes, shared.words
    return [
        Action("transcribe", WORDS, "transcript", tr("Transcribe, or stop"), (), wording.toggle_transcribing, has_lanes),
        Action("bring-text", WORDS, "transcript", tr("Import transcript …"), (), wording.ask_text, has_lanes),
        Action("split-speakers", WORDS, "transcript", tr("Separate speakers of this lane …"), (), wording.ask_speakers, has_lanes),
        Action("lanes-of-speakers", WORDS, "transcript", tr("Split lane by speaker …"), (), wording.ask_lanes_of_speakers, has_speakers),
        Action("name-voices", WORDS, "voices", tr("Recognise voices"), (), acts.voice_names.name, has_words),
        Action("remember-voices", WORDS, "voices", tr("Remember these voices"), (), acts.voice_names.remember, has_words),
        Action("forget-voice", WORDS, "voices", tr("Forget a voice …"), (), acts.voice_names.ask_forget),
        Action("find", WORDS, "find", tr("Find words"), ("Ctrl+F",), find, has_words),
        Action("find-next", WORDS, "find", tr("Find next"), ("F3",), lambda: words.step(1), has_words),
        Action("find-previous", WORDS, "find", tr("Find previous"), ("Shift+F3",), lambda: words.step(-1), has_words),
        Action("correct-word", WORDS, "words", tr("Correct this word …"), ("F2",), wording.ask_correction, has_words, on=ON_WORDS),
        Action("select-alike", WORDS, "words", tr("Select all matches"), ("Ctrl+Shift+A",), acts.alike.select, has_words, on=ON_WORDS),
        Action("mark-selected", WORDS, "words", tr("Add markers at selection"), ("Shift+A",), acts.alike.mark, has_selected, on=ON_BOTH),
        Action("rename-voice", WORDS, "words", tr("Rename this speaker …"), (), wording.ask_name, has_words, on=ON_WORDS),
        Action("toggle-filler", WORDS, "fillers", tr("Cut or put back this filler"), ("Y",), fillers.toggle, has_words),
        Action("next-filler", WORDS, "fillers", tr("Next filler"), ("U",), lambda: fillers.hear_next(1), has_words),
        Action("previous-filler", WORDS, "fillers", tr("Previous filler"), ("Shift+U",), lambda: fillers.hear_next(-1), has_words),
        Action("cut-fillers", WORDS, "fillers", tr("Cut all fillers"), ("Shift+Y",), fillers.cut_all, has_words),
        Action("keep-last-takes", WORDS, "retakes", tr("Keep last take of every line"), (), retakes.keep_last, has_words),
        Action("mark-fillers", WORDS, "fillers", tr("Add markers at fillers"), (), acts.alike.mark_fillers, has_words),
        Action("keep-this-take", WORDS, "retakes", tr("Keep this take"), ("Alt+R",), retakes.keep_at_head, has_words),
        Action("previous-retake", WORDS, "retakes", tr("Previous retake"), ("Shift+R",), lambda: retakes.hear_next(-1), has_words),
        Action("next-retake", WORDS, "retakes", tr("Next retake"), ("R",), lambda: retakes.hear_next(1), has_words),
        Action("listening", WORDS, "model", tr("Transcription settings …"), (), wording.ask_listening),
        Action("export-words", WORDS, "model", tr("Export transcript …"), (), wording.ask_file, has_words),
    ]  # fmt: skip

"""All the ways to change an episode: each takes one and returns the changed one with a title for the history."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from dubbin.core.episode.balance import Bed
from dubbin.core.episode.model import (
    ATTIC,
    Cut,
    CutKind,
    Episode,
    Lane,
    Marker,
    Recording,
    Role,
    Stretch,
    TreatmentUse,
)
from dubbin.core.speech.pauses import Pause, PauseSettings
from dubbin.core.treat.touch_up import Spot

LOWEST_LEVEL_DB, HIGHEST_LEVEL_DB = -60.0, 24.0


@dataclass(frozen=True)
class Change:
    """A changed episode. Changes with the same merge key that follow one another make one undo step."""

    title: str
    episode: Episode
    merge_key: str | None = None


def add_recordings(episode: Episode, recordings: Sequence[Recording], lanes: Sequence[Lane]) -> Change:
    """Take in recordings, each with its lanes; music beside voices lies under the program."""
    names = ", ".join(lane.voice for lane in lanes)
    if any(lane.role is Role.VOICE for lane in (*episode.lanes, *lanes)):
        # Music is no part of what was said: it lies under the program, where no cut cuts it.
        lanes = [replace(lane, bed=Bed()) if lane.role is Role.MUSIC and lane.bed is None else lane for lane in lanes]
    return Change(
        f"Add {names}",
        replace(
            episode,
            recordings=episode.recordings + tuple(recordings),
            lanes=episode.lanes + tuple(lanes),
        ),
    )


def remove_lane(episode: Episode, lane_id: str) -> Change:
    """Take a lane out of the episode; its file stays where it is."""
    gone = episode.lane(lane_id)
    lanes = tuple(lane for lane in episode.lanes if lane.id != lane_id)
    used = {lane.recording for lane in lanes}
    recordings = tuple(r for r in episode.recordings if r.id in used)
    transcripts = tuple(t for t in episode.transcripts if t.lane != lane_id)
    placed = episode.placed
    if gone.is_insert and not any(lane.start_frame == gone.start_frame for lane in lanes):
        placed = tuple(p for p in placed if not any(x.start_frame <= gone.start_frame < x.end_frame for x in p.pieces))
    changed = replace(episode, lanes=lanes, recordings=recordings, transcripts=transcripts, placed=placed)
    return Change(f"Remove {gone.voice}", changed)


def set_title(episode: Episode, title: str) -> Change:
    return Change("Rename the episode", replace(episode, title=title.strip() or episode.title), "title")


def change_lane(episode: Episode, lane_id: str, title: str, merge_key: str | None = None, **fields: Any) -> Change:
    """Set fields of one lane."""
    lanes = tuple(replace(lane, **fields) if lane.id == lane_id else lane for lane in episode.lanes)
    return Change(title, replace(episode, lanes=lanes), merge_key)


def name_voice(episode: Episode, lane_id: str, voice: str) -> Change:
    voice = voice.strip() or episode.lane(lane_id).voice
    return change_lane(episode, lane_id, f"Name the voice {voice}", f"voice {lane_id}", voice=voice)


def change_recording(episode: Episode, recording_id: str, title: str, **fields: Any) -> Change:
    """Set fields of one recording."""
    recordings = tuple(replace(r, **fields) if r.id == recording_id else r for r in episode.recordings)
    return Change(title, replace(episode, recordings=recordings))


def relink(episode: Episode, recording_id: str, found: Recording) -> Change:
    """Take a recording from another place: `found` is the file as it was read there."""
    fields = {name: getattr(found, name) for name in ("path", "fingerprint", "frames", "file_rate", "file_channels",
                                                      "not_numbers", "short_by")}  # fmt: skip
    return change_recording(episode, recording_id, f"Take the recording from {found.path}", **fields)


def place_recording(
    episode: Episode, recording_id: str, start_frame: int, drift_ppm: float, frames: int, title: str
) -> Change:
    """Put all lanes of a recording at a place on the session clock, its own clock corrected by drift_ppm.

    frames: its length after that. A place before the session's beginning moves everything else, cuts and markers too.
    """
    recordings = tuple(
        replace(r, drift_ppm=drift_ppm, frames=frames) if r.id == recording_id else r for r in episode.recordings
    )
    lanes = tuple(
        replace(lane, start_frame=start_frame) if lane.recording == recording_id else lane for lane in episode.lanes
    )
    return Change(title, _from_zero(replace(episode, recordings=recordings, lanes=lanes)))


def nudge(episode: Episode, lane_id: str, frames: int) -> Change:
    """Move the recording of a lane on the session clock by hand."""
    lane = episode.lane(lane_id)
    lanes = tuple(
        replace(other, start_frame=other.start_frame + frames) if other.recording == lane.recording else other
        for other in episode.lanes
    )
    moved = 1000 * frames / episode.rate
    changed = _from_zero(replace(episode, lanes=lanes))
    return Change(f"Move {lane.voice} by {moved:+.1f} ms", changed, f"nudge {lane.recording}")


def _from_zero(episode: Episode) -> Episode:
    """The same session with its first lane at 0 or later; all that is anchored in it moves along."""
    first = min((lane.start_frame for lane in episode.session_lanes), default=0)
    if first >= 0:
        return episode

    def moved(frame: int) -> int:
        return frame - first if frame < ATTIC else frame

    def both(item: Any) -> Any:
        return replace(item, start_frame=moved(item.start_frame), end_frame=moved(item.end_frame))

    return replace(
        episode,
        lanes=tuple(replace(lane, start_frame=moved(lane.start_frame)) for lane in episode.lanes),
        cuts=tuple(both(c) for c in episode.cuts),
        kept_pauses=tuple(both(k) for k in episode.kept_pauses),
        placed=tuple(replace(p, at_frame=moved(p.at_frame), pieces=tuple(both(x) for x in p.pieces)) for p in episode.placed),
        splits=tuple(moved(f) for f in episode.splits),
        markers=tuple(replace(m, frame=moved(m.frame)) for m in episode.markers),
        seams=tuple(replace(s, before_frame=moved(s.before_frame), after_frame=moved(s.after_frame)) for s in episode.seams),
    )


def split_channels(episode: Episode, lane_id: str, new_ids: Sequence[str]) -> Change:
    """A lane of its own for every channel of a lane; new_ids: as many as there are channels."""
    lane = episode.lane(lane_id)
    parts = [
        replace(lane, id=id, channels=(channel,), voice=f"{lane.voice} {k + 1}", repairs=(), touch_ups=(), voicing=())
        for k, (channel, id) in enumerate(zip(lane.channels, new_ids, strict=True))
    ]
    lanes = [part for other in episode.lanes for part in (parts if other.id == lane_id else [other])]
    return Change(f"Split {lane.voice} into {len(parts)} lanes", replace(episode, lanes=tuple(lanes)))


def add_marker(episode: Episode, frame: int, text: str = "") -> Change:
    """Mark a place of the session."""
    others = [m for m in episode.markers if m.frame != frame or m.is_chapter]
    return Change("Mark a place", replace(episode, markers=tuple(sorted([*others, Marker(frame, text)]))))


def note_marker(episode: Episode, marker: Marker, text: str) -> Change:
    """Say why a place was marked."""
    markers = tuple(sorted(replace(m, text=text) if m == marker else m for m in episode.markers))
    return Change(f"Note “{text}”", replace(episode, markers=markers))


def remove_marker(episode: Episode, marker: Marker) -> Change:
    return Change("Take a marker away", replace(episode, markers=tuple(m for m in episode.markers if m != marker)))


def add_touch_up(episode: Episode, lane_id: str, spot: Spot) -> Change:
    """Take one sound out of a rectangle of time and frequency of a lane."""
    lane = episode.lane(lane_id)
    return change_lane(episode, lane_id, f"Touch up {lane.voice}", touch_ups=(*lane.touch_ups, spot))


def remove_touch_up(episode: Episode, lane_id: str, spot: Spot) -> Change:
    lane = episode.lane(lane_id)
    kept = tuple(s for s in lane.touch_ups if s != spot)
    return change_lane(episode, lane_id, f"Put a touch-up of {lane.voice} back", touch_ups=kept)


def set_level(episode: Episode, lane_id: str, level_db: float) -> Change:
    level_db = min(max(round(level_db, 1), LOWEST_LEVEL_DB), HIGHEST_LEVEL_DB)
    voice = episode.lane(lane_id).voice
    return change_lane(
        episode, lane_id, f"Level of {voice} {level_db:+.1f} dB", f"level {lane_id}", level_db=level_db
    )


def set_mute(episode: Episode, lane_id: str, mute: bool) -> Change:
    voice = episode.lane(lane_id).voice
    return change_lane(episode, lane_id, f"{'Mute' if mute else 'Unmute'} {voice}", mute=mute)


def set_solo(episode: Episode, lane_id: str, solo: bool) -> Change:
    voice = episode.lane(lane_id).voice
    return change_lane(episode, lane_id, f"{'Solo' if solo else 'End solo of'} {voice}", solo=solo)


def find_use(lane: Lane, name: str) -> TreatmentUse:
    """A lane's use of a treatment; one that is off, if it has none yet."""
    return next((u for u in (*lane.repairs, *lane.voicing) if u.name == name), TreatmentUse(name))


def change_use(
    episode: Episode,
    lane_id: str,
    treatment: str,
    title: str,
    *,
    order: Sequence[str],
    voicing: bool = False,
    merge_key: str | None = None,
    **fields: Any,
) -> Change:
    """Set fields (on, strength, settings) of a lane's treatment; `order` gives the order of application."""
    lane = episode.lane(lane_id)
    kept = lane.voicing if voicing else lane.repairs
    use = replace(find_use(lane, treatment), **fields)
    uses = tuple(sorted([u for u in kept if u.name != treatment] + [use], key=lambda u: order.index(u.name)))
    if voicing:
        return change_lane(episode, lane_id, title, merge_key, voicing=uses)
    return change_lane(episode, lane_id, title, merge_key, repairs=uses)


def cut_stretch(episode: Episode, start_frame: int, end_frame: int, kind: CutKind = CutKind.HAND) -> Change:
    """Cut a stretch by hand."""
    return cut_stretches(episode, [(start_frame, end_frame)], kind)


def cut_stretches(
    episode: Episode, stretches: Sequence[tuple[int, int]], kind: CutKind = CutKind.HAND, title: str | None = None
) -> Change:
    """Cut several stretches in one step."""
    cuts = [cut for start, end in stretches if (cut := _inside_session(episode, start, end, kind)) is not None]
    if not cuts:
        return Change("Cut nothing", episode)
    seconds = sum(c.frames for c in cuts) / episode.rate
    return Change(title or f"Cut {seconds:.2f} s", _with_cuts(episode, [*episode.cuts, *cuts]))


def _inside_session(episode: Episode, start: int, end: int, kind: CutKind) -> Cut | None:
    if start < ATTIC:
        start, end = max(0, start), min(end, episode.frames)
    return Cut(start, end, kind) if end > start else None


def put_back(episode: Episode, cut: Cut) -> Change:
    """Undo one cut, now or years later. A pause that was put back is kept, whatever the settings say."""
    cuts = [c for c in episode.cuts if c != cut]
    kept = episode.kept_pauses
    if cut.kind is CutKind.PAUSE:
        kept = tuple(sorted({*kept, Stretch(cut.start_frame, cut.end_frame)}))
    changed = replace(_with_cuts(episode, cuts), kept_pauses=kept)
    return Change(f"Put back {cut.frames / episode.rate:.2f} s", changed)


def put_back_many(episode: Episode, cuts: Iterable[Cut], title: str) -> Change:
    """Undo several cuts in one step."""
    gone = set(cuts)
    kept = {*episode.kept_pauses, *(Stretch(c.start_frame, c.end_frame) for c in gone if c.kind is CutKind.PAUSE)}
    changed = _with_cuts(episode, [c for c in episode.cuts if c not in gone])
    return Change(title, replace(changed, kept_pauses=tuple(sorted(kept))))


def put_back_all(episode: Episode) -> Change:
    """The whole session again: no cuts at all."""
    return Change("Put back all cuts", replace(episode, cuts=(), pauses_on=False, kept_pauses=()))


def move_cut_edges(episode: Episode, cut: Cut, start_frame: int, end_frame: int) -> Change:
    """Move the edges of one cut; it counts as made by hand from then on."""
    start, end = max(0, start_frame), end_frame if cut.start_frame >= ATTIC else min(end_frame, episode.frames)
    others = [c for c in episode.cuts if c != cut]
    if end <= start:
        return put_back(episode, cut)
    kept = episode.kept_pauses
    if cut.kind is CutKind.PAUSE:  # so that the pause finder doesn't cut it a second time
        kept = tuple(sorted({*kept, Stretch(cut.start_frame, cut.end_frame)}))
    changed = replace(_with_cuts(episode, [*others, Cut(start, end)]), kept_pauses=kept)
    return Change("Move the edge of a cut", changed, f"edge {cut.kind}")


def set_pauses(
    episode: Episode, settings: PauseSettings, found: Iterable[Pause], *, on: bool, merge: bool = False
) -> Change:
    """Take over pause settings; `on` cuts all pauses found with them except those that were put back."""
    cuts = [c for c in episode.cuts if c.kind is not CutKind.PAUSE]
    if on:
        cuts += pause_cuts(episode, found)
    if on != episode.pauses_on:
        title = "Cut all pauses" if on else "Put back all pauses"
    else:
        title = "Change what a pause is"
    changed = replace(_with_cuts(episode, cuts), pauses=settings, pauses_on=on)
    return Change(title, changed, "pauses" if merge else None)


def cut_pause(episode: Episode, pause: Pause) -> Change:
    """Cut one pause that was found."""
    start, end = round(pause.cut_start_s * episode.rate), round(pause.cut_end_s * episode.rate)
    kept = tuple(k for k in episode.kept_pauses if not _overlap(k, start, end))
    changed = _with_cuts(episode, [*episode.cuts, Cut(start, end, CutKind.PAUSE)])
    return Change(f"Cut a pause of {(end - start) / episode.rate:.2f} s", replace(changed, kept_pauses=kept))


def pause_cuts(episode: Episode, found: Iterable[Pause]) -> list[Cut]:
    """Cuts for pauses, without those that somebody put back."""
    cuts = []
    for pause in found:
        start, end = round(pause.cut_start_s * episode.rate), round(pause.cut_end_s * episode.rate)
        end = min(end, episode.frames)
        if end > start and not any(_overlap(k, start, end) for k in episode.kept_pauses):
            cuts.append(Cut(start, end, CutKind.PAUSE))
    return cuts


def set_start(episode: Episode, frame: int) -> Change:
    """The program begins at a session frame."""
    others = [c for c in episode.cuts if not (c.kind is CutKind.HAND and c.start_frame == 0)]
    cuts = [*others, Cut(0, frame)] if frame > 0 else others
    return Change("Set the start of the program", _with_cuts(episode, cuts))


def set_end(episode: Episode, frame: int) -> Change:
    """The program ends at a session frame."""
    last = episode.frames
    others = [c for c in episode.cuts if not (c.kind is CutKind.HAND and c.end_frame == last)]
    cuts = [*others, Cut(frame, last)] if frame < last else others
    return Change("Set the end of the program", _with_cuts(episode, cuts))


def toggle_split(episode: Episode, frame: int) -> Change:
    """Split the session at a frame, so that the part between two splits can be taken as one; again: join it."""
    if frame in episode.splits:
        return Change("Join at a split", replace(episode, splits=tuple(f for f in episode.splits if f != frame)))
    return Change("Split", replace(episode, splits=tuple(sorted({*episode.splits, frame}))))


def set_seams(episode: Episode, *, ms: float | None = None, auto: bool | None = None) -> Change:
    """How all seams are joined that have no setting of their own."""
    changed = replace(
        episode, seam_ms=episode.seam_ms if ms is None else min(max(ms, 0.0), 500.0), seam_auto=episode.seam_auto if auto is None else auto
    )
    return Change("Change the crossfades", changed, "seams")


def change_delivery(episode: Episode, title: str, **fields: Any) -> Change:
    return Change(title, replace(episode, delivery=replace(episode.delivery, **fields)), title)


def _overlap(stretch: Stretch, start: int, end: int) -> bool:
    """Whether two stretches share more than half of the shorter one."""
    shared = min(stretch.end_frame, end) - max(stretch.start_frame, start)
    return shared * 2 > min(stretch.end_frame - stretch.start_frame, end - start)


def _with_cuts(episode: Episode, cuts: Iterable[Cut]) -> Episode:
    ordered = sorted(set(cuts), key=lambda c: (c.start_frame, c.end_frame, c.kind))
    return replace(episode, cuts=tuple(ordered))


Command = Callable[[Episode], Change]

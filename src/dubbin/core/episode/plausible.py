"""What an episode that was read must be besides of the right types, so that nothing that works with it need ask."""

from __future__ import annotations

from dubbin.core.episode.model import Episode
from dubbin.core.episode.stretches import FURTHEST_SESSION_FRAME
from dubbin.core.errors import BadEpisode
from dubbin.core.texts import tr

SLOWEST_RATE, FASTEST_RATE = 8000, 192_000  # Hz
LARGEST = 2**53  # beyond it JSON's figures are not exact (RFC 8259), and frames don't fit where they are summed


def check_figures(plain: object) -> None:
    """Refuse figures of plain data that are larger than any frame can be. Raises BadEpisode."""
    left: list[object] = [plain]
    while left:
        one = left.pop()
        if isinstance(one, dict):
            left += one.values()
        elif isinstance(one, list):
            left += one
        elif isinstance(one, int) and abs(one) > LARGEST:
            raise _not_understood(tr("a figure is larger than any frame can be"))


def check_episode(episode: Episode) -> None:
    """Refuse an episode that can't be. Raises BadEpisode."""
    if not SLOWEST_RATE <= episode.rate <= FASTEST_RATE:
        raise _not_understood(tr("its clock runs at {rate} Hz").format(rate=episode.rate))
    known = {recording.id for recording in episode.recordings}
    for lane in episode.lanes:
        if lane.recording not in known:
            raise _not_understood(tr("the lane {voice} has no recording").format(voice=lane.voice))
    for recording in episode.recordings:
        if not 0 <= recording.frames < FURTHEST_SESSION_FRAME:
            raise _not_understood(tr("{path} is {frames} frames long").format(path=recording.path, frames=recording.frames))
    for lane in episode.session_lanes:
        if abs(lane.start_frame) >= FURTHEST_SESSION_FRAME:
            raise _not_understood(tr("the lane {voice} begins at frame {frame}").format(voice=lane.voice, frame=lane.start_frame))
    if any(not item.pieces for item in episode.placed):
        raise _not_understood(tr("something was placed that holds nothing"))
    if any(word.speaker < 0 for transcript in episode.transcripts for word in transcript.words):
        raise _not_understood(tr("a word belongs to no speaker"))


def _not_understood(why: str) -> BadEpisode:
    return BadEpisode(tr("The episode can't be understood: {error}.").format(error=why))

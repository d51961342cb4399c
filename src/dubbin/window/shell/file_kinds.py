"""What file dialogs offer."""

from __future__ import annotations

from dubbin.core.episode.file import SUFFIX
from dubbin.core.texts import tr

SOUND_FILES = tr(
    "Sound and video (*.wav *.flac *.mp3 *.m4a *.aac *.ogg *.oga *.opus *.aif *.aiff *.w64 *.caf *.mp4 *.mov *.mkv *.webm *.m4v);;All files (*)"
)
EPISODE_FILES = tr("Episodes (*{suffix})").format(suffix=SUFFIX)

"""What file dialogs offer."""

from __future__ import annotations

from dubbin.core.episode.file import SUFFIX

SOUND_FILES = "Sound and video (*.wav *.flac *.mp3 *.m4a *.aac *.ogg *.oga *.opus *.aif *.aiff *.w64 *.caf *.mp4 *.mov *.mkv *.webm *.m4v);;All files (*)"
EPISODE_FILES = f"Episodes (*{SUFFIX})"

"""WebVTT: timed text for browsers and players. Source: W3C, "WebVTT: The Web Video Text Tracks Format" (2019)."""

from __future__ import annotations

from collections.abc import Sequence

Cue = tuple[float, float, str]  # start and end in seconds, text


def web_vtt(cues: Sequence[Cue]) -> str:
    """A file of cues in order. No text can be markup, end its cue, or be taken for a time."""
    parts = ["WEBVTT\n"]
    for start, end, text in cues:
        lines = [line for line in text.splitlines() if line.strip()]
        if lines:
            parts.append(f"{_time(start)} --> {_time(max(end, start + 0.001))}\n" + "\n".join(escaped(line) for line in lines) + "\n")
    return "\n".join(parts)


def escaped(text: str) -> str:
    """Text whose characters stand for themselves."""
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _time(seconds: float) -> str:
    ms = round(max(seconds, 0.0) * 1000)
    return f"{ms // 3600000:02d}:{ms // 60000 % 60:02d}:{ms // 1000 % 60:02d}.{ms % 1000:03d}"

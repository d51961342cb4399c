"""Words as text, captions and tables: SRT, VTT, plain text with speakers, and who speaks when."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass

from dubbin.core.deliver.table_cells import safe_cell
from dubbin.core.deliver.web_vtt import web_vtt
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.speech.transcript import Word, WordKind, ends_sentence
from dubbin.core.speech.written import columns, written

LINE_LETTERS, LINES = 42, 2  # of a caption
LONGEST_S, PAUSE_S, LEAST_S = 6.0, 0.8, 0.7
TURN_PAUSE_S = 2.0


@dataclass(frozen=True)
class SpokenWord:
    """A word on the clock of what is delivered, with the name of who says it."""

    text: str
    start_s: float
    end_s: float
    speaker: str
    kind: WordKind = WordKind.WORD
    confidence: float = 1.0


@dataclass(frozen=True)
class Turn:
    """What one voice says before another does."""

    speaker: str
    start_s: float
    end_s: float
    words: tuple[SpokenWord, ...]

    @property
    def text(self) -> str:
        """What is said in the turn, in one line."""
        return written(w.text for w in self.words if w.kind is not WordKind.SOUND)


def spoken_words(episode: Episode, time_map: TimeMap | None) -> list[SpokenWord]:
    """The words of an episode on program time, in the order in which they are heard, without those that are cut; time_map None: all of
    them, on session time."""
    out = []
    for transcript in episode.transcripts:
        lane = next((lane for lane in episode.lanes if lane.id == transcript.lane), None)
        if lane is None:
            continue
        for word in transcript.words:
            start = lane.start_frame + word.start_frame
            length = word.end_frame - word.start_frame
            if time_map is not None:
                # A word is heard when its middle is: tight cuts may take a few milliseconds of its edges.
                at = time_map.to_program(start + length // 2)
                if at is None:
                    continue
                start = max(at - length // 2, 0)
            speaker = transcript.speakers[word.speaker] if word.speaker < len(transcript.speakers) else lane.voice
            out.append(SpokenWord(word.text, start / episode.rate, (start + length) / episode.rate, speaker, word.kind, word.confidence))
    return sorted(out, key=lambda w: (w.start_s, w.end_s))


def words_of_recording(words: Sequence[Word], rate: int, speakers: Sequence[str], voice: str) -> list[SpokenWord]:
    """The words of one recording on its own clock."""
    return [
        SpokenWord(w.text, w.start_frame / rate, w.end_frame / rate, speakers[w.speaker] if w.speaker < len(speakers) else voice, w.kind, w.confidence)
        for w in words
    ]  # fmt: skip


def turns(words: Sequence[SpokenWord]) -> list[Turn]:
    """Speaker by speaker; a short word of another inside a turn makes turns of its own."""
    out: list[list[SpokenWord]] = []
    for word in words:
        if out and out[-1][-1].speaker == word.speaker and word.start_s - out[-1][-1].end_s < TURN_PAUSE_S:
            out[-1].append(word)
        else:
            out.append([word])
    return [Turn(t[0].speaker, t[0].start_s, max(w.end_s for w in t), tuple(t)) for t in out]


def captions(words: Sequence[SpokenWord]) -> list[tuple[float, float, str, str]]:
    """(start_s, end_s, speaker, text) of captions that can be read: at most two lines of 42 letters (of half as many where each stands in two columns) and six seconds."""
    said = [w for w in words if w.kind is not WordKind.SOUND]
    groups: list[list[SpokenWord]] = []
    for word in said:
        last = groups[-1] if groups else None
        if last is None or _ends(last, word):
            groups.append([word])
        else:
            last.append(word)
    out = []
    for k, group in enumerate(groups):
        end = group[-1].end_s
        following = groups[k + 1][0].start_s if k + 1 < len(groups) else end + LEAST_S
        out.append((group[0].start_s, max(end, min(group[0].start_s + LEAST_S, following)), group[0].speaker, _lines(group)))
    return out


def _ends(group: Sequence[SpokenWord], word: SpokenWord) -> bool:
    letters = columns(written(w.text for w in (*group, word)))
    late = word.end_s - group[0].start_s > LONGEST_S
    new = word.speaker != group[0].speaker or word.start_s - group[-1].end_s > PAUSE_S
    sentence = ends_sentence(group[-1].text) and letters > LINE_LETTERS // 2
    return new or late or sentence or letters > LINE_LETTERS * LINES


def _lines(group: Sequence[SpokenWord]) -> str:
    words = [w.text for w in group]
    text = written(words)
    if columns(text) <= LINE_LETTERS or len(words) < 2:
        return text
    halves = [(written(words[:k]), written(words[k:])) for k in range(1, len(words))]
    first, second = min(halves, key=lambda h: abs(columns(h[0]) - columns(h[1])))
    return f"{first}\n{second}"


def caption_file(words: Sequence[SpokenWord], form: str) -> str:
    """Captions as SRT or VTT (form: "srt" or "vtt"); where another voice begins it is named, if there are several."""
    several = len({w.speaker for w in words}) > 1
    last, cues = "", []
    for start, end, speaker, text in captions(words):
        cues.append((start, end, f"{speaker}: {text}" if several and speaker != last else text))
        last = speaker
    if form == "vtt":
        return web_vtt(cues)
    import pysubs2

    subtitles = pysubs2.SSAFile()
    for start, end, text in cues:
        event = pysubs2.SSAEvent(start=round(start * 1000), end=round(end * 1000))
        event.plaintext = text
        subtitles.append(event)
    return subtitles.to_string("srt")


def transcript_json(words: Sequence[SpokenWord]) -> str:
    """Every word with its speaker and times, as the Podcast Namespace has it for transcripts (JSON, version 1.0.0)."""
    segments = [
        {"speaker": w.speaker, "startTime": round(w.start_s, 3), "endTime": round(w.end_s, 3), "body": w.text} for w in words if w.kind is not WordKind.SOUND
    ]  # fmt: skip
    return json.dumps({"version": "1.0.0", "segments": segments}, ensure_ascii=False, indent=1) + "\n"


def text_file(words: Sequence[SpokenWord]) -> str:
    """A transcript to read: a paragraph a turn, with speaker and time."""
    several = len({w.speaker for w in words}) > 1
    parts = []
    for turn in turns(words):
        if turn.text:
            head = f"{turn.speaker} [{_clock(turn.start_s)}]: " if several else ""
            parts.append(head + turn.text)
    return "\n\n".join(parts) + "\n" if parts else ""


def turn_table(words: Sequence[SpokenWord]) -> str:
    """Who speaks when, as CSV: for switching cameras."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["start_s", "end_s", "speaker", "text"])
    for turn in turns([w for w in words if w.kind is not WordKind.SOUND]):
        writer.writerow([f"{turn.start_s:.3f}", f"{turn.end_s:.3f}", safe_cell(turn.speaker), safe_cell(turn.text)])
    return out.getvalue()


def _clock(seconds: float) -> str:
    whole = int(seconds)
    return f"{whole // 3600}:{whole % 3600 // 60:02d}:{whole % 60:02d}" if whole >= 3600 else f"{whole // 60}:{whole % 60:02d}"

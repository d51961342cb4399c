"""The files that go along with masters: proof sheets, captions, transcripts, chapters, breaks, show notes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.deliver.captions import Turn, caption_file, text_file, transcript_json, turns
from dubbin.core.deliver.notes import draft_notes
from dubbin.core.deliver.proof_sheet import templates
from dubbin.core.deliver.publication import Publication, breaks_text, chapters_json, chapters_text, clock
from dubbin.core.deliver.web_vtt import web_vtt
from dubbin.core.sound.writing import check_output, write_text
from dubbin.core.speech.transcript import WordKind
from dubbin.core.texts import mark, tr


@dataclass(frozen=True)
class Companion:
    """A kind of file. needs: what of a publication must be there for it: its field, which is what a person would call it, too."""

    name: str
    title: str
    endings: tuple[str, ...]
    needs: str


COMPANIONS = (
    Companion("proof", tr("Proof sheets"), (".proof.html", ".proof.pdf"), ""),
    Companion("captions", tr("Captions"), (".srt", ".vtt"), mark("words")),
    Companion("transcript", tr("Transcript"), (".transcript.txt", ".transcript.html", ".transcript.json"), mark("words")),
    Companion("chapters", tr("Chapters"), (".chapters.json", ".chapters.txt", ".chapters.vtt"), mark("chapters")),
    Companion("breaks", tr("Breaks"), (".breaks.txt",), mark("breaks")),
    Companion("notes", tr("Show notes"), (".notes.md",), mark("words")),
)


def transcript_html(publication: Publication, title: str) -> str:
    """A page to read, chapter by chapter; text is escaped."""
    said = turns([w for w in publication.words if w.kind is not WordKind.SOUND])
    parts: list[tuple[str, list[Turn]]] = [("", [])]
    waiting = list(publication.chapters)
    for turn in said:
        while waiting and turn.start_s >= waiting[0].start_s - 0.5:
            parts.append((waiting.pop(0).title, []))
        parts[-1][1].append(turn)
    parts = [p for p in parts if p[0] or p[1]]
    language = publication.tags.language or "en"
    return str(templates().get_template("transcript.html").render(title=title, parts=parts, clock=clock, language=language))


def write_companions(
    publication: Publication,
    folder: Path,
    name: str,
    title: str,
    wanted: Sequence[str],
    notes: str | None = None,
    recordings: Sequence[Path] = (),
) -> list[Path]:
    """Write what is wanted and what there is something for; proof sheets belong to masters and are not written here. The files written. Raises
    CannotWrite."""
    makers: dict[str, Callable[[], str]] = {
        ".srt": lambda: caption_file(publication.words, "srt"),
        ".vtt": lambda: caption_file(publication.words, "vtt"),
        ".transcript.txt": lambda: text_file(publication.words),
        ".transcript.json": lambda: transcript_json(publication.words),
        ".transcript.html": lambda: transcript_html(publication, title),
        ".chapters.json": lambda: chapters_json(publication),
        ".chapters.txt": lambda: chapters_text(publication),
        ".chapters.vtt": lambda: web_vtt([(c.start_s, c.end_s, c.title) for c in publication.chapters]),
        ".breaks.txt": lambda: breaks_text(publication),
        ".notes.md": lambda: notes if notes is not None else draft_notes(publication, title),
    }
    out, missing = [], without_source(publication, wanted)
    for companion in COMPANIONS:
        if companion.name not in wanted or not companion.needs or companion in missing:
            continue
        for ending in companion.endings:
            path = folder / f"{name}{ending}"
            check_output(path, tuple(recordings))
            write_text(path, makers[ending]())
            out.append(path)
    return out


def without_source(publication: Publication, wanted: Sequence[str]) -> list[Companion]:
    """Of what is wanted, that for which there is nothing to make it of."""
    return [c for c in COMPANIONS if c.name in wanted and c.needs and not getattr(publication, c.needs)]

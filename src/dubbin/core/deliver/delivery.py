"""Makes everything an episode delivers in one go: masters with their proof sheets, and the files that go along."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path

from dubbin.core.deliver.clip import Clip
from dubbin.core.deliver.companions import write_companions
from dubbin.core.deliver.formats import Format
from dubbin.core.deliver.master import Failure, Master, make_masters, safe_name
from dubbin.core.deliver.proof_sheet import Rows, Sheet, write_sheet
from dubbin.core.deliver.publication import Publication, publication_of
from dubbin.core.deliver.riff import add_chunks, bext_chunk
from dubbin.core.deliver.targets import Target
from dubbin.core.deliver.work_done import Reports, work_rows
from dubbin.core.episode.model import Episode
from dubbin.core.errors import DubbinError
from dubbin.core.figures import number
from dubbin.core.jobs import Task
from dubbin.core.mix.balance_report import BalanceReport
from dubbin.core.sound.source import Source
from dubbin.core.sound.writing import check_output, replacing, write_sound
from dubbin.core.texts import tr


@dataclass(frozen=True)
class Order:
    """What is to be delivered. extras: names of companions. notes: edited show notes. work: rows for the proof sheets."""

    name: str
    title: str
    targets: tuple[Target, ...]
    formats: tuple[Format, ...]
    publication: Publication = field(default_factory=Publication)
    extras: tuple[str, ...] = ()
    notes: str | None = None
    vbr: bool = False
    work: tuple[tuple[str, Rows], ...] = ()
    recordings: tuple[Path, ...] = ()


@dataclass(frozen=True)
class Delivered:
    """What came of an order. failed: masters that could not be made; files: what went along; problems: sentences about what did not."""

    masters: tuple[Master, ...] = ()
    failed: tuple[Failure, ...] = ()
    files: tuple[Path, ...] = ()
    problems: tuple[str, ...] = ()


def order_of(
    episode: Episode, name: str, targets: Sequence[Target], formats: Sequence[Format], extras: Sequence[str] | None = None,
    reports: Reports | None = None, balance: BalanceReport | None = None,
) -> Order:  # fmt: skip
    """The order that an episode places, with targets and formats as they are given."""
    delivery = episode.delivery
    return Order(
        name, delivery.tags.title or episode.title, tuple(targets), tuple(formats), publication_of(episode), tuple(delivery.extras if extras is None else extras),
        delivery.notes, delivery.vbr, work_rows(episode, reports, balance), tuple(Path(r.path) for r in episode.recordings),
    )  # fmt: skip


def deliver(program: Source, folder: Path, order: Order, task: Task | None = None) -> Delivered:
    """Raises CannotWrite and UnusableSound when nothing can be made; what else goes wrong is in the result."""
    task = task or Task()
    made = make_masters(
        program, folder, order.name, order.targets, order.formats, order.publication, task.part(0.0, 0.95), order.recordings, order.vbr
    )
    files: list[Path] = []
    problems: list[str] = []
    heads = {m.head_s for m in made.made}
    if "proof" in order.extras:
        by_name = {t.name: t for t in order.targets}
        for master in made.made:
            for ending in (".proof.html", ".proof.pdf"):
                path = master.file.with_name(master.file.name + ending)
                files += _try(
                    lambda path=path, master=master: write_sheet(_sheet(master, by_name[master.proof.target], order), path), path, problems
                )
    publication = order.publication
    if len(heads) == 1 and (head := heads.pop()):
        publication = publication.later(head, publication.duration_s + head)
    try:
        files += write_companions(publication, folder, order.name, order.title, order.extras, order.notes, order.recordings)
    except DubbinError as error:
        problems.append(str(error))
    task.step(1.0)
    return Delivered(made.made, made.failed, tuple(files), tuple(problems))


def _sheet(master: Master, target: Target, order: Order) -> Sheet:
    rows = [(tr("gain"), f"{number(master.gain_db, sign=True)} dB")]
    if master.reduction is not None:
        rows.append(
            (
                tr("limiter"),
                tr("down {deepest_db} dB at most, at work {share} % of the time").format(
                    deepest_db=number(master.reduction.deepest_db), share=number(100 * master.reduction.share)
                ),
            )
        )
    return Sheet(master.proof, target, order.title, ((tr("Mastering"), tuple(rows)), *order.work))


def _try(write, path: Path, problems: list[str]) -> list[Path]:  # type: ignore[no-untyped-def]
    try:
        write()
    except DubbinError as error:
        problems.append(str(error))
        return []
    return [path]


def write_stems(
    stems: Mapping[str, Source], folder: Path, name: str, task: Task | None = None, recordings: Sequence[Path] = ()
) -> list[Path]:
    """A 24 bit broadcast WAV a stem: NAME.stem.VOICE.wav. All begin at the same moment of one clock, and say so. Raises CannotWrite."""
    task, out = task or Task(), []
    for k, (voice, source) in enumerate(stems.items()):
        path = folder / f"{name}.stem.{safe_name(voice)}.wav"
        while path in out:
            path = path.with_name(f"{path.stem}-{k}.wav")
        check_output(path, tuple(recordings))
        with replacing(path) as draft:
            write_sound(source, draft, 24, task.part(k / len(stems), (k + 1) / len(stems)))
            add_chunks(draft, _stem_chunk(f"{name}: {voice}", source))
        out.append(path)
    return out


def _stem_chunk(description: str, source: Source) -> bytes:
    now, kind = datetime.now(), "mono" if source.channels == 1 else "stereo"
    return bext_chunk(
        description, "Dubbin", f"{now:%Y-%m-%d}", f"{now:%H:%M:%S}", lufs=None, range_lu=None, peak_dbtp=None, momentary_lufs=None, short_term_lufs=None,
        history=f"A=PCM,F={source.rate},W=24,M={kind},T=Dubbin", time_reference=0,
    )  # fmt: skip


def deliver_clips(program: Source, folder: Path, order: Order, spans: Sequence[tuple[int, int]], task: Task | None = None) -> Delivered:
    """Masters of stretches of the program (program frames), each with captions of its own where something is said in it.

    Raises CannotWrite and UnusableSound when nothing can be made; what else goes wrong is in the result.
    """
    task = task or Task()
    done, begun = [], Counter[str]()
    for (start, stop), part in zip(spans, task.shares(len(spans)), strict=True):
        one = clip_order(order, start / program.rate, stop / program.rate)
        begun[one.name] += 1
        if (others := begun[one.name]) > 1:  # that begin and end within the same seconds
            one = replace(one, name=f"{one.name}-{others}")
        extras = tuple(dict.fromkeys((*one.extras, "captions")))
        done.append(deliver(Clip(program, start, stop), folder, replace(one, extras=extras), part))
    return Delivered(
        tuple(m for d in done for m in d.masters), tuple(f for d in done for f in d.failed), tuple(f for d in done for f in d.files),
        tuple(p for d in done for p in d.problems),
    )  # fmt: skip


def clip_order(order: Order, start_s: float, stop_s: float) -> Order:
    """The same for a stretch of the program: its words, its part of the name; chapters and breaks stay out."""
    words = tuple(
        replace(w, start_s=w.start_s - start_s, end_s=w.end_s - start_s)
        for w in order.publication.words
        if start_s <= (w.start_s + w.end_s) / 2 < stop_s
    )
    what = replace(order.publication, chapters=(), breaks=(), markers=(), words=words, duration_s=stop_s - start_s)
    return replace(order, name=f"{order.name}.clip-{start_s:.0f}-{stop_s:.0f}s", publication=what, notes=None)

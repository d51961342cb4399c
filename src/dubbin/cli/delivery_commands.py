"""master, video, clips and proof: the commands that make files and judge them."""

from __future__ import annotations

import sys
from argparse import Namespace
from dataclasses import asdict
from pathlib import Path

from dubbin.cli.json_output import print_json
from dubbin.cli.plain import proof_line, proof_to_plain
from dubbin.cli.programs import program_of_episode, read_program
from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.deliver.companions import without_source
from dubbin.core.deliver.conforming import conform
from dubbin.core.deliver.delivery import Delivered, Order, deliver, deliver_clips, order_of
from dubbin.core.deliver.edit_lists import videos_of
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import safe_name
from dubbin.core.deliver.passages import find_passages
from dubbin.core.deliver.proof import prove
from dubbin.core.deliver.proof_sheet import Sheet, write_sheet
from dubbin.core.deliver.publication import clock, publication_of
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.file import load_episode
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.folders import Folders
from dubbin.core.sound.writing import check_output
from dubbin.core.texts import tr


def master(args: Namespace, folders: Folders) -> int:
    chosen = [find_target(name, folders.state) for name in args.target]
    task = progress_task(tr("Mastering {name}").format(name=args.input.name), args.quiet)
    program, episode, recordings = read_program(args.input, folders, task.part(0.0, 0.5))
    folder, name = _made(args.out), safe_name(args.input.stem)
    formats = [find_format(f) for f in args.format or ["wav"]]
    extras = tuple(dict.fromkeys((*(() if args.no_proof else ("proof",)), *(args.extra or ()))))
    if episode is None:
        order = Order(name, args.input.stem, tuple(chosen), tuple(formats), extras=extras, recordings=tuple(recordings))
    else:
        order = order_of(episode, name, chosen, formats, extras)
    done = deliver(program, folder, order, task.part(0.5, 1.0))
    end_progress(args.quiet)
    for missing in without_source(order.publication, args.extra or ()):
        print(
            "dubbin: " + tr("{title}: there are no {needs} to make them of.").format(title=missing.title, needs=tr(missing.needs)),
            file=sys.stderr,
        )
    return _report(done, args.json)


def _report(done: Delivered, as_json: bool) -> int:
    """Say what was made, and what was not; the exit code."""
    if as_json:
        failed = [{"target": f.target, "format": f.format.name, "reason": f.reason} for f in done.failed]
        masters = [{**proof_to_plain(m.proof), "format": m.format.name, "gain_db": m.gain_db} for m in done.masters]
        print_json({"masters": masters, "failed": failed, "files": [str(p) for p in done.files], "problems": list(done.problems)})
    else:
        for m in done.masters:
            print(proof_line(m.proof))
            for problem in m.proof.problems:
                print(f"  {problem}")
        for path in done.files:
            print(path)
    for f in done.failed:
        print(
            tr("dubbin: {name} for {target} was not made: {reason}").format(name=f.format.name, target=f.target, reason=f.reason),
            file=sys.stderr,
        )
    for problem in done.problems:
        print(f"dubbin: {problem}", file=sys.stderr)
    return 0 if all(m.proof.passes for m in done.masters) and not done.failed and not done.problems else 1


def video(args: Namespace, folders: Folders) -> int:
    episode = load_episode(args.episode)
    films = videos_of(episode)
    found = [r for r in episode.recordings if r.id in films and args.film in (None, Path(r.path).name)]
    if not found:
        text = tr("{episode} has no video of that name.") if args.film else tr("None of the recordings of {episode} is a video.")
        raise DubbinError(text.format(episode=args.episode))
    name = args.target or next(iter(episode.delivery.targets), None)
    if name is None:
        raise DubbinError(tr("{episode} names no target: say one with --target.").format(episode=args.episode))
    task = progress_task(tr("Video {name}").format(name=args.episode.name), args.quiet)
    target, program = find_target(name, folders.state), program_of_episode(episode, folders, task.part(0.0, 0.5))
    made = conform(program, episode, found[0], _made(args.out), safe_name(args.episode.stem), target, task.part(0.5, 1.0), fps=args.fps)
    end_progress(args.quiet)
    if args.json:
        print_json({"files": [str(p) for p in made.files], "is_video": made.is_video, "proof": proof_to_plain(made.proof)})
    else:
        print(proof_line(made.proof))
        print("\n".join(str(p) for p in made.files))
    return 0 if made.proof.passes else 1


def clips(args: Namespace, folders: Folders) -> int:
    episode = load_episode(args.episode)
    publication = publication_of(episode)
    found = find_passages(publication.words, args.most, publication.languages)
    if args.out is None:
        if args.json:
            print_json({"passages": [asdict(p) for p in found]})
        for p in found if not args.json else ():
            print(f"{clock(p.start_s)}  {p.length_s:5.1f} s  {p.title}\n          {', '.join(p.reasons)}")
        return 0
    if not found:
        raise DubbinError(tr("{episode} has no passages worth a clip: they are found in its words.").format(episode=args.episode))
    targets = [find_target(name, folders.state) for name in args.target or episode.delivery.targets]
    formats = [find_format(name) for name in args.format or episode.delivery.formats]
    task = progress_task(tr("Making {count} clips").format(count=len(found)), args.quiet)
    program, _, _ = read_program(args.episode, folders, task.part(0.0, 0.5))
    order = order_of(episode, safe_name(args.episode.stem), targets, formats)
    spans = [(round(p.start_s * program.rate), round(p.end_s * program.rate)) for p in found]
    done = deliver_clips(program, _made(args.out), order, spans, task.part(0.5, 1.0))
    end_progress(args.quiet)
    return _report(done, args.json)


def _made(folder: Path) -> Path:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(tr("The folder {folder} can't be made: {strerror}.").format(folder=folder, strerror=error.strerror)) from error
    return folder


def proof(args: Namespace, folders: Folders) -> int:
    target = find_target(args.target, folders.state)
    task = progress_task(tr("Measuring {name}").format(name=args.input.name), args.quiet)
    result = prove(args.input, target, task)
    end_progress(args.quiet)
    if args.sheet is not None:
        check_output(args.sheet, (args.input,))
        write_sheet(Sheet(result, target, args.input.name), args.sheet)
    if args.json:
        print_json(proof_to_plain(result))
    else:
        print(proof_line(result))
        for problem in result.problems:
            print(f"  {problem}")
    return 0 if result.passes else 1

"""review and collect: a listening page for others and their comments back; an episode with all that it needs in one folder."""

from __future__ import annotations

import sys
from argparse import Namespace
from pathlib import Path

from dubbin.cli.json_output import print_json
from dubbin.cli.programs import program_of_episode
from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.deliver.collecting import collect as collected
from dubbin.core.deliver.comments import comments_change, read_comments
from dubbin.core.deliver.review import write_review
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.errors import CannotWrite, WrongUse
from dubbin.core.folders import Folders
from dubbin.core.sound.writing import check_output
from dubbin.core.texts import tr, tr_count


def review(args: Namespace, folders: Folders) -> int:
    if args.out is None and not args.take:
        raise WrongUse(tr("Nothing to do: -o OUT.html writes the listening page, --take NOTES brings comments back."))
    if args.out is not None and args.out.suffix.lower() not in (".html", ".htm"):
        raise CannotWrite(tr("{out}: a listening page ends in .html.").format(out=args.out))
    episode = load_episode(args.episode)
    taken = 0
    if args.take:
        change = comments_change(episode, [read_comments(path) for path in args.take])
        taken = len(change.episode.markers) - len(episode.markers)
        if taken:
            save_episode(change.episode, args.episode)
        episode = change.episode
    if args.out is not None:
        check_output(args.out, (args.episode, *(Path(r.path) for r in episode.recordings)))
        task = progress_task(tr("Listening page of {name}").format(name=args.episode.name), args.quiet)
        program = program_of_episode(episode, folders, task.part(0.0, 0.6))
        write_review(program, episode, args.out, task.part(0.6, 1.0))
        end_progress(args.quiet)
    if args.json:
        print_json({"file": str(args.episode), "page": str(args.out) if args.out else None, "comments_taken": taken})
    else:
        if args.take:
            print(tr_count("{count} new comment taken into {file}", "{count} new comments taken into {file}", taken, file=args.episode))
        if args.out is not None:
            print(args.out)
    return 0


def collect(args: Namespace, folders: Folders) -> int:
    episode = load_episode(args.episode)
    task = progress_task(tr("Collecting {name}").format(name=args.episode.name), args.quiet)
    done = collected(episode, args.out, task)
    end_progress(args.quiet)
    if args.json:
        print_json({"episode": str(done.episode), "files": done.files, "remarks": list(done.remarks)})
    else:
        print(tr_count("{episode}, with {count} file", "{episode}, with {count} files", done.files, episode=done.episode))
    for remark in done.remarks:
        print(f"dubbin: {remark}", file=sys.stderr)
    return 1 if done.remarks else 0

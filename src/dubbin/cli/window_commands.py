"""No subcommand, open and demo: the commands that lead to the window."""

from __future__ import annotations

import sys
from argparse import Namespace
from collections.abc import Callable
from pathlib import Path

from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.texts import tr


def show_window(args: Namespace, folders: Folders) -> int:
    return _window(folders, None)


def open_episode(args: Namespace, folders: Folders) -> int:
    from dubbin.core.episode.file import load_episode

    if args.episode is not None:
        load_episode(args.episode)  # says what is wrong before a window stands
    return _window(folders, args.episode)


def demo(args: Namespace, folders: Folders) -> int:
    from dubbin.demo.episode import EPISODE_FILE, build_demo

    folder = args.dir or folders.documents / tr("Slow Ferry demo")

    def build(task: Task) -> Path:
        return build_demo(folder, WorkingCopies(folders.copies), task)

    if (folder / EPISODE_FILE).exists() or args.no_window:
        task = progress_task(tr("Building the demo"), False)
        path = build(task)
        end_progress(False)
        if args.no_window:
            print(path)
            return 0
        return _window(folders, path, is_demo=True)
    print(tr("Building the demo episode in {folder} (once, about half a minute) …").format(folder=folder), file=sys.stderr)
    return _window(folders, None, build, is_demo=True)


def _window(folders: Folders, episode: Path | None, prepare: Callable[[Task], Path] | None = None, *, is_demo: bool = False) -> int:
    from dubbin.window.app import run

    return run(folders, episode, prepare, is_demo=is_demo)

"""No subcommand, open and demo: the commands that lead to the window."""

from __future__ import annotations

from argparse import Namespace
from pathlib import Path

from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.folders import Folders
from dubbin.core.sound.working_copy import WorkingCopies


def show_window(args: Namespace, folders: Folders) -> int:
    return _window(folders, None)


def open_episode(args: Namespace, folders: Folders) -> int:
    from dubbin.core.episode.file import load_episode

    load_episode(args.episode)  # says what is wrong before a window stands
    return _window(folders, args.episode)


def demo(args: Namespace, folders: Folders) -> int:
    from dubbin.demo.episode import build_demo

    folder = args.dir or folders.documents / "Slow Ferry demo"
    task = progress_task("Building the demo", False)
    path = build_demo(folder, WorkingCopies(folders.copies), task)
    end_progress(False)
    if args.no_window:
        print(path)
        return 0
    return _window(folders, path)


def _window(folders: Folders, episode: Path | None) -> int:
    from dubbin.window.app import run

    return run(folders, episode)

"""desktop and about: the program on this desktop, and what it is made of."""

from __future__ import annotations

import shutil
import sys
from argparse import Namespace
from pathlib import Path

from dubbin.cli.json_output import print_json
from dubbin.core.errors import WrongUse
from dubbin.core.folders import Folders
from dubbin.core.texts import tr, tr_count


def desktop(args: Namespace, folders: Folders) -> int:
    from dubbin.desktop.integration import data_home, install, remove

    if args.install == args.remove:
        raise WrongUse(tr("Either --install or --remove is wanted."))
    home = data_home()
    if args.install:
        files = install(home, _command())
        said = tr_count("{count} file written below {home}.", "{count} files written below {home}.", len(files), home=home)
    else:
        files = remove(home)
        said = tr_count("{count} file removed from {home}.", "{count} files removed from {home}.", len(files), home=home)
    if args.json:
        print_json({"folder": str(home), "files": [str(path) for path in files]})
    else:
        print(said)
    return 0


def _command() -> str:
    """How the program is started: by its name where that leads here, else by its place."""
    here = Path(sys.argv[0]).resolve()
    found = shutil.which("dubbin")
    if found and Path(found).resolve() == here:
        return "dubbin"
    return str(here) if here.name == "dubbin" else found or "dubbin"


def about(args: Namespace, folders: Folders) -> int:
    from dubbin.core.about import facts

    known = facts(folders)
    if args.json:
        print_json(known)
        return 0
    for name, value in known.items():
        if isinstance(value, dict):
            print(f"{name}:")
            for key, text in value.items():
                print(f"  {key:24} {text}")
        elif isinstance(value, list):
            print(f"{name:26} {', '.join(map(str, value)) or '–'}")
        else:
            print(f"{name:26} {value}")
    return 0

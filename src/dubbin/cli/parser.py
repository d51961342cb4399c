"""The words of the command line: every command, its arguments, and the function that runs it.

Functions are named, not imported: a command brings in only the libraries that it needs.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from dubbin import __version__
from dubbin.core.deliver.formats import FORMATS
from dubbin.core.speech.models import LANGUAGES, MODELS
from dubbin.core.texts import tr


class Add(Protocol):
    """Adds a command. run: its module under dubbin.cli and its function. json: whether it takes --json and --quiet."""

    def __call__(self, name: str, run: tuple[str, str], help: str, *, json: bool = True) -> argparse.ArgumentParser: ...


def about(action: argparse.Action) -> str:
    """What an argument is for, as the help shows it."""
    return (action.help or "").replace("%%", "%")


def make_parser() -> argparse.ArgumentParser:
    """The parser of all commands; what it parses carries `run` and `debug`."""
    parser = argparse.ArgumentParser(prog="dubbin", description=tr("From recorded speech to masters that provably pass."))
    parser.add_argument("--version", action="version", version=tr("dubbin {version}").format(version=__version__))
    parser.add_argument("--debug", action="store_true", help=tr("log everything, and show it on stderr"))
    parser.set_defaults(run=("window_commands", "show_window"))
    commands = parser.add_subparsers(metavar="COMMAND")

    def add(name: str, run: tuple[str, str], help: str, *, json: bool = True) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=help, description=help)
        sub.set_defaults(run=run)
        sub.add_argument("--debug", action="store_true", default=argparse.SUPPRESS, help=argparse.SUPPRESS)
        if json:
            sub.add_argument("--json", action="store_true", help=tr("one JSON document on stdout"))
            sub.add_argument("--quiet", action="store_true", help=tr("no progress bar"))
        return sub

    for group in (_window, _recording, _speech, _voice, _edits, _delivery, _batch, _system):
        group(add)
    return parser


def _window(add: Add) -> None:
    sub = add("open", ("window_commands", "open_episode"), tr("open an episode in the window"), json=False)
    sub.add_argument("episode", type=Path, nargs="?", help=tr("without one: the welcome page"))

    sub = add("demo", ("window_commands", "demo"), tr("build the demo episode and open it"), json=False)
    sub.add_argument("--dir", type=Path, help=tr("where to build it"))
    sub.add_argument("--no-window", action="store_true", help=tr("build only, and print the episode's path"))


def _recording(add: Add) -> None:
    sub = add("check", ("sound_commands", "check"), tr("measure recordings and list what is wrong with them"))
    sub.add_argument("files", nargs="+", type=Path, metavar="FILE")

    sub = add("clean", ("clean_command", "clean"), tr("repair one recording; without --treat: what check suggests"))
    sub.add_argument("input", type=Path, metavar="IN")
    sub.add_argument("-o", dest="out", type=Path, required=True, metavar="OUT")
    sub.add_argument("--treat", action="append", type=_lazy("parse_treat"), metavar="NAME[=STRENGTH]")
    sub.add_argument("--noise-from", type=_lazy("parse_span"), metavar="START:END", help=tr("where only noise is, seconds"))
    sub.add_argument("--engine", choices=["neural", "statistical"], help=tr("of denoise; default: neural"))
    sub.add_argument("--removed", type=Path, metavar="FILE", help=tr("write what was removed"))
    sub.add_argument(
        "--set", action="append", type=_lazy("parse_set"), metavar="TREATMENT.SETTING=VALUE",
        help=tr("a setting of a treatment, such as denoise.finest=on; the window's cards show all of them"),
    )  # fmt: skip

    sub = add("pauses", ("sound_commands", "pauses"), tr("find pauses and, with -o, remove them"))
    sub.add_argument("input", type=Path, metavar="IN")
    sub.add_argument("-o", dest="out", type=Path, metavar="OUT")
    for flag, unit in (
        ("quieter-than", "DB"),
        ("longer-than", "S"),
        ("leave-before", "S"),
        ("leave-after", "S"),
        ("keep", "S"),
    ):
        sub.add_argument(f"--{flag}", type=float, metavar=unit)


def _names(text: str) -> tuple[str, ...]:
    return tuple(name for part in text.split(",") if (name := " ".join(part.split())))


def _language(text: str) -> str:
    code = text.strip().lower().split("-")[0].split("_")[0]
    if code not in LANGUAGES:
        raise argparse.ArgumentTypeError(
            tr("{text!r} is no language that is known; two letters such as en, de or fr are wanted").format(text=text)
        )
    return code


def _speech(add: Add) -> None:
    sub = add("transcribe", ("speech_commands", "transcribe"), tr("transcribe speech"))
    sub.add_argument("input", type=Path, metavar="IN")
    sub.add_argument("-o", dest="out", type=Path, metavar="OUT", help=tr("a .vtt, .srt, .txt or .json file"))
    models = "; ".join(f"{m.name} ({m.about})" for m in MODELS.values()).replace("%", "%%")
    sub.add_argument(
        "--model", metavar="DIR", help=tr("{models}, or a folder with another Whisper model in CTranslate2 form").format(models=models)
    )
    sub.add_argument("--language", type=_language, metavar="CODE", help=tr("what is spoken (en, de, …); detected without it"))
    sub.add_argument("--names", type=_names, metavar="NAME,…", help=tr("names and terms that may come up, as they are to be written"))
    sub.add_argument(
        "--speakers",
        type=int,
        default=1,
        choices=range(9),
        metavar="N",
        help=tr("how many voices share the recording; 0: as many as are found"),
    )
    sub.add_argument("--text", type=Path, metavar="FILE", help=tr("a transcript (.srt, .vtt, .txt) to be put to the sound"))


def _voice(add: Add) -> None:
    sub = add("voice", ("voice_commands", "voice"), tr("EQ, de-ess, compress one voice; without --preset: suggested settings"))
    sub.add_argument("input", type=Path, metavar="IN")
    sub.add_argument("-o", dest="out", type=Path, required=True, metavar="OUT")
    sub.add_argument("--preset", metavar="NAME", help=tr("steady, close, clear or laptop"))


def _edits(add: Add) -> None:
    sub = add("edits", ("speech_commands", "edits"), tr("export an episode's cuts as edit lists"), json=False)
    sub.add_argument("episode", type=Path)
    sub.add_argument("-o", dest="out", type=Path, nargs="+", required=True, metavar="OUT", help=tr(".otio, .edl, .csv or .txt files"))
    sub.add_argument("--fps", type=_fps, help=tr("frames a second of the picture, for .edl; default: as the video says, else 25"))


def _delivery(add: Add) -> None:
    add("targets", ("target_commands", "targets"), tr("the delivery targets"))

    sub = add("master", ("delivery_commands", "master"), tr("make masters of an episode or a sound file"))
    sub.add_argument("input", type=Path, metavar="IN")
    sub.add_argument("-o", dest="out", type=Path, required=True, metavar="DIR")
    sub.add_argument("--target", nargs="+", action="extend", required=True, metavar="NAME")
    sub.add_argument("--format", nargs="+", action="extend", choices=list(FORMATS))
    sub.add_argument("--no-proof", action="store_true", help=tr("write no proof sheets"))
    sub.add_argument(
        "--extra", nargs="+", action="extend", choices=["proof", "captions", "transcript", "chapters", "breaks", "notes"],
        help=tr("what to write beside the masters and their proof sheets; words, chapters and breaks come from the episode"),
    )  # fmt: skip

    sub = add(
        "video",
        ("delivery_commands", "video"),
        tr(
            "the finished sound under the picture of an episode's video; of a cut program the sound, and the edit that conforms the picture to it"
        ),
    )
    sub.add_argument("episode", type=Path)
    sub.add_argument("-o", dest="out", type=Path, required=True, metavar="DIR")
    sub.add_argument("--film", metavar="NAME", help=tr("which of several videos, by the name of its file"))
    sub.add_argument("--target", metavar="NAME", help=tr("default: the episode's first"))
    sub.add_argument("--fps", type=_fps, help=tr("frames a second of the picture; default: as the video says"))

    sub = add(
        "clips",
        ("delivery_commands", "clips"),
        tr("passages of an episode that are worth a clip; with -o made, with captions of their own"),
    )
    sub.add_argument("episode", type=Path)
    sub.add_argument("-o", dest="out", type=Path, metavar="DIR")
    sub.add_argument("--most", type=int, choices=range(1, 51), metavar="N", help=tr("how many at most; default: as suits the length"))
    sub.add_argument("--target", nargs="+", action="extend", metavar="NAME", help=tr("default: the episode's"))
    sub.add_argument("--format", nargs="+", action="extend", choices=list(FORMATS), help=tr("default: the episode's"))

    sub = add("proof", ("delivery_commands", "proof"), tr("does a finished file meet a target?"))
    sub.add_argument("input", type=Path, metavar="FILE")
    sub.add_argument("--target", required=True, metavar="NAME")
    sub.add_argument("--sheet", type=Path, metavar="OUT", help=tr("write the proof sheet: an .html or .pdf file"))

    sub = add(
        "review", ("review_commands", "review"), tr("a listening page of an episode for others, in one file; and their comments back")
    )
    sub.add_argument("episode", type=Path)
    sub.add_argument("-o", dest="out", type=Path, metavar="OUT.html", help=tr("the page, with the sound inside"))
    sub.add_argument(
        "--take",
        type=Path,
        nargs="+",
        action="extend",
        metavar="NOTES",
        help=tr("comments that came back: they become markers of the episode"),
    )

    sub = add(
        "collect",
        ("review_commands", "collect"),
        tr("an episode with all that it needs in a new folder, or a .zip archive, to be opened elsewhere"),
    )
    sub.add_argument("episode", type=Path)
    sub.add_argument("-o", dest="out", type=Path, required=True, metavar="OUT", help=tr("a new folder, or a .zip file"))


def _batch(add: Add) -> None:
    sub = add(
        "batch", ("batch_commands", "batch"), tr("the whole chain over many recordings; without --recipe: suggested settings for each")
    )
    sub.add_argument(
        "inputs",
        nargs="+",
        type=Path,
        metavar="DIR_OR_FILE",
        help=tr("a file or a folder of microphones is an episode; a .csv table says which files belong together, and with which tags"),
    )
    sub.add_argument(
        "--watch", action="store_true", help=tr("go on waiting for recordings that come into the folders, until it is interrupted")
    )
    sub.add_argument("-o", dest="out", type=Path, required=True, metavar="DIR")
    sub.add_argument("--recipe", type=Path, metavar="FILE", help=tr("settings saved in the window, under Episode"))
    where = sub.add_mutually_exclusive_group()
    where.add_argument("--workers", type=int, choices=range(1, 65), metavar="N", help=tr("recordings at a time; default: half the cores"))
    where.add_argument("--cluster", metavar="ADDRESS", help=tr("of a Dask scheduler, such as tcp://10.0.0.2:8786: its workers do the work"))

    sub = add("worker", ("batch_commands", "worker"), tr("work for batches of other machines, until it is interrupted"), json=False)
    sub.add_argument("address", metavar="ADDRESS", help=tr("of a Dask scheduler, such as tcp://10.0.0.2:8786"))
    sub.add_argument("--workers", type=int, choices=range(1, 65), metavar="N", help=tr("processes; default: half the cores"))
    sub.add_argument("--memory", type=int, metavar="MB", help=tr("that each process may take; default: its share of the machine's"))
    sub.add_argument("--quiet", action="store_true", help=tr("say nothing"))


def _fps(text: str) -> float:
    from dubbin.core.deliver.timecode import frame_rate

    try:
        return frame_rate(float(text)).fps
    except ValueError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def _lazy(name: str) -> Callable[[str], Any]:
    """An argument type whose parser lives with its command; a wrong value is wrong usage."""

    def parse(text: str) -> Any:
        from dubbin.cli import clean_command

        try:
            return getattr(clean_command, name)(text)
        except ValueError as error:
            raise argparse.ArgumentTypeError(str(error)) from error

    return parse


def _system(add: Add) -> None:
    sub = add(
        "desktop", ("desktop_commands", "desktop"), tr("menu entry, icons, file type, manual page and completions in your own folders")
    )
    sub.add_argument("--install", action="store_true", help=tr("write them"))
    sub.add_argument("--remove", action="store_true", help=tr("take them away again"))

    add("about", ("desktop_commands", "about"), tr("versions of the program and of what it is made of, for reports"))

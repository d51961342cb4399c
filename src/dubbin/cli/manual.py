"""The manual page, made from the parser of the command line: python -m dubbin.cli.manual > src/dubbin/desktop/files/dubbin.1"""

from __future__ import annotations

import argparse

from dubbin import __version__
from dubbin.cli.parser import about, make_parser

ENVIRONMENT = (
    ("DUBBIN_HOME", "A folder below which cache, state and documents are kept, in place of the usual ones."),
    (
        "DUBBIN_CORES",
        "How many threads compute at once, 1 to 64; without it as many as the machine has cores, 2 to 4, and 2 for each of several episodes at a time.",
    ),
)
EXITS = (("0", "done"), ("1", "an input can't be used, or a check fails"), ("2", "wrong usage"))


def _roff(text: str) -> str:
    """Text as roff takes it: no line begins with a full stop or an apostrophe, no hyphen breaks."""
    out = text.replace("\\", "\\e").replace("-", "\\-")
    return "\\&" + out if out.startswith((".", "'")) else out


def _synopsis(parser: argparse.ArgumentParser) -> str:
    usage = parser.format_usage().removeprefix("usage: ")
    return " ".join(usage.split())


def manual() -> str:
    """The page for `man dubbin`, section 1."""
    parser = make_parser()
    commands = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction))
    lines = [
        f'.TH DUBBIN 1 "" "Dubbin {__version__}" "User Commands"', ".SH NAME", "dubbin \\- from recorded speech to masters that provably pass",
        ".SH SYNOPSIS", ".B dubbin", "[COMMAND] [OPTION]...", ".SH DESCRIPTION",
        "Without a command the window opens, on its welcome page. Every capability of the window also works without it, by these commands.",
    ]  # fmt: skip
    lines.append(".SH COMMANDS")
    for name, sub in commands.choices.items():
        lines += [f".SS {_roff(name)}", _roff(sub.description or ""), ".PP", ".nf", _roff(_synopsis(sub)), ".fi"]
        for action in sub._actions:
            if action.help and action.help is not argparse.SUPPRESS and not isinstance(action, argparse._HelpAction):
                shown = ", ".join(action.option_strings) or str(action.metavar or action.dest)
                lines += [".TP", f".B {_roff(shown)}", _roff(about(action))]
    lines.append(".SH ENVIRONMENT")
    for name, text in ENVIRONMENT:
        lines += [".TP", f".B {name}", _roff(text)]
    lines.append(".SH EXIT STATUS")
    for code, text in EXITS:
        lines += [".TP", f".B {code}", _roff(text)]
    lines += [".SH SEE ALSO", "The guide: press F1 in the window."]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    print(manual(), end="")

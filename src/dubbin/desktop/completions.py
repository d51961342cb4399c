"""Completions for shells, made from the parser of the command line: python -m dubbin.desktop.completions bash|zsh|fish"""

from __future__ import annotations

import argparse
import sys

from dubbin.cli.parser import about, make_parser

SHELLS = {"bash": "dubbin.bash", "zsh": "_dubbin", "fish": "dubbin.fish"}
Commands = dict[str, tuple[str, list[argparse.Action]]]


def commands() -> Commands:
    """Every command with what it is for and its options."""
    parser = make_parser()
    found = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction))
    return {
        name: (sub.description or "", [a for a in sub._actions if a.option_strings and a.help is not argparse.SUPPRESS])
        for name, sub in found.choices.items()
    }


def completions(shell: str) -> str:
    """The script of a shell. After an option with choices its choices are offered, else files."""
    return {"bash": _bash, "zsh": _zsh, "fish": _fish}[shell](commands())


def _options(actions: list[argparse.Action]) -> str:
    return " ".join(option for action in actions for option in action.option_strings)


def _bash(known: Commands) -> str:
    lines = [
        "# Completion of dubbin for bash.", "_dubbin() {", '    local now="${COMP_WORDS[COMP_CWORD]}" before="${COMP_WORDS[COMP_CWORD-1]}" command="${COMP_WORDS[1]}"',
        "    COMPREPLY=()", "    if [ \"$COMP_CWORD\" -eq 1 ]; then", f'        COMPREPLY=($(compgen -W "{" ".join(known)} --version --help" -- "$now"))', "        return", "    fi",
        '    case "$command $before" in',
    ]  # fmt: skip
    for name, (_, actions) in known.items():
        for action in actions:
            if action.choices:
                patterns = "|".join(f'"{name} {option}"' for option in action.option_strings)
                lines.append(f'        {patterns}) COMPREPLY=($(compgen -W "{" ".join(map(str, action.choices))}" -- "$now")); return ;;')
    lines += ["    esac", '    if [[ "$now" == -* ]]; then', '        case "$command" in']
    lines += [f'            {name}) COMPREPLY=($(compgen -W "{_options(actions)}" -- "$now")) ;;' for name, (_, actions) in known.items()]
    lines += [
        "        esac",
        "        return",
        "    fi",
        '    COMPREPLY=($(compgen -f -- "$now"))',
        "}",
        "complete -o filenames -F _dubbin dubbin",
    ]
    return "\n".join(lines) + "\n"


def _zsh(known: Commands) -> str:
    lines = ["#compdef dubbin", "local -a known", "known=("]
    lines += [f"    {_quoted(name + ':' + purpose.replace(':', ' '))}" for name, (purpose, _) in known.items()]
    lines += [")", "if (( CURRENT == 2 )); then", "    _describe command known", "    return", "fi", "case $words[2] in"]
    for name, (_, actions) in known.items():
        lines.append(f"    {name}) _arguments '*:file:_files' \\")
        specs = []
        for action in actions:
            purpose = about(action).replace("[", "(").replace("]", ")").replace(":", " ")
            value = "" if action.nargs == 0 else f":value:({' '.join(map(str, action.choices))})" if action.choices else ":value:_files"
            specs += [_quoted(f"{'*' if action.nargs in ('+', '*') else ''}{option}[{purpose}]{value}") for option in action.option_strings]
        lines.append("        " + " \\\n        ".join(specs) + " ;;")
    return "\n".join([*lines, "esac"]) + "\n"


def _fish(known: Commands) -> str:
    lines = ["# Completion of dubbin for fish.", "complete -c dubbin -n __fish_use_subcommand -f"]
    for name, (purpose, actions) in known.items():
        lines.append(f"complete -c dubbin -n __fish_use_subcommand -a {name} -d {_quoted(purpose)}")
        for action in actions:
            parts = [f"-{'l' if option.startswith('--') else 's'} {option.lstrip('-')}" for option in action.option_strings]
            if action.choices:
                parts.append(f"-x -a {_quoted(' '.join(map(str, action.choices)))}")
            elif action.nargs != 0:
                parts.append("-r")
            lines.append(f"complete -c dubbin -n '__fish_seen_subcommand_from {name}' {' '.join(parts)} -d {_quoted(about(action))}")
    return "\n".join(lines) + "\n"


def _quoted(text: str) -> str:
    """A word for a shell, whatever it holds."""
    return "'" + text.replace("'", "'\\''") + "'"


if __name__ == "__main__":
    print(completions(sys.argv[1]), end="")

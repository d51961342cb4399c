"""Runs a command and turns errors into sentences and exit codes."""

from __future__ import annotations

import importlib
import io
import sys
from collections.abc import Sequence

from dubbin.cli.libraries import missing_library
from dubbin.core.errors import Cancelled, DubbinError, WrongUse
from dubbin.core.folders import user_folders
from dubbin.core.log import program_error, start_log, stop_log
from dubbin.core.memory import share_one_heap
from dubbin.core.texts import tr, use_language

DONE, CANNOT, WRONG_USE, INTERRUPTED = 0, 1, 2, 130


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; the exit code: 0 done, 1 can't or a check fails, 2 wrong usage."""
    share_one_heap()
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="surrogateescape")  # names of files are any bytes: told as they are
    folders = user_folders()
    use_language(folders.languages, (folders.translations,))
    from dubbin.cli.parser import make_parser  # its texts are looked up as it is loaded

    try:
        args = make_parser().parse_args(argv)
    except SystemExit as stop:
        return int(stop.code or 0)
    module, function = args.run

    start_log(folders.state, debug=args.debug)
    if folders.remark:
        print(f"dubbin: {folders.remark}", file=sys.stderr)
    try:
        run = getattr(importlib.import_module(f"dubbin.cli.{module}"), function)
        return int(run(args, folders))
    except WrongUse as error:
        print(f"dubbin: {error}", file=sys.stderr)
        return WRONG_USE
    except (DubbinError, Cancelled) as error:
        print(f"dubbin: {error}", file=sys.stderr)
        return CANNOT
    except KeyboardInterrupt:
        print(tr("\ndubbin: interrupted; nothing half-made was left."), file=sys.stderr)
        return INTERRUPTED
    except BrokenPipeError:
        return CANNOT
    except OSError as error:
        print(
            f"dubbin: {error.strerror or error}{f': {error.filename}' if error.filename else ''}.",
            file=sys.stderr,
        )
        return CANNOT
    except ImportError as error:
        missing = missing_library(error)
        print(f"dubbin: {missing or program_error(error, folders.state)}", file=sys.stderr)
        return CANNOT
    except Exception as error:
        print(f"dubbin: {program_error(error, folders.state)}", file=sys.stderr)
        return CANNOT
    finally:
        stop_log()

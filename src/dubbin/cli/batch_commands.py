"""batch: the whole chain over many recordings."""

from __future__ import annotations

import sys
from argparse import Namespace
from dataclasses import asdict
from pathlib import Path

from dubbin.cli.json_output import print_json
from dubbin.cli.plain import figure
from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.deliver.batch import Outcome, find_inputs, run_batch
from dubbin.core.deliver.recipe import load_recipe
from dubbin.core.errors import CannotWrite
from dubbin.core.folders import Folders
from dubbin.core.sound.writing import check_folder
from dubbin.core.texts import tr


def batch(args: Namespace, folders: Folders) -> int:
    recipe = load_recipe(args.recipe) if args.recipe is not None else None
    inputs = find_inputs(args.inputs, args.out)
    try:
        args.out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(tr("The folder {out} can't be made: {strerror}.").format(out=args.out, strerror=error.strerror)) from error
    check_folder(args.out)
    task = progress_task(tr("{count} recordings").format(count=len(inputs)), args.quiet)
    outcomes = []
    for outcome in run_batch(inputs, args.out, recipe, folders, task, args.workers):
        outcomes.append(outcome)
        if outcome.error is not None:
            print(f"dubbin: {outcome.error}", file=sys.stderr)
    end_progress(args.quiet)
    if args.json:
        print_json({"episodes": [{**asdict(o), "pass": o.passes} for o in outcomes]})
    else:
        for outcome in outcomes:
            _print(outcome)
        passed = sum(o.passes for o in outcomes)
        print(tr("{passed} of {count} pass everything").format(passed=passed, count=len(outcomes)))
    return 0 if all(o.passes for o in outcomes) else 1


def _print(outcome: Outcome) -> None:
    word = "passes" if outcome.passes else "FAILS"
    print(f"{Path(outcome.file).name}: {word}{' (done before)' if outcome.again else ''}")
    if outcome.error is not None:
        print(f"  {outcome.error}")
    for m in outcome.masters:
        verdict = "passes" if m["pass"] else "FAILS"
        print(
            f"  {verdict:7} {m['target']:18} {m['format']:5} {figure(m.get('integrated_lufs'), 'LUFS'):>12} {figure(m.get('true_peak_dbtp'), 'dBTP'):>11}  {m['file'] or '–'}"
        )
        for problem in m["problems"]:
            print(f"          {problem}")
    for remark in outcome.remarks:
        print(f"  {remark}")
    for e in outcome.entries:
        change = f"{e['before']} → {e['after']}" if e["before"] else e["after"]
        print(f"    {e['step']:8} {e['title']}: {change}")

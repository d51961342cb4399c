"""batch, worker: the whole chain over many recordings, on this machine or on many."""

from __future__ import annotations

import json
import sys
import time
from argparse import Namespace
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict
from functools import partial
from pathlib import Path

from dubbin.cli.json_output import print_json
from dubbin.cli.plain import figure, verdict
from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.batch.inputs import BatchInput, check_places, find_inputs
from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.report import PAGE, TABLE, Running, Standing, write_report
from dubbin.core.batch.run import run_batch, usual_workers
from dubbin.core.batch.watching import arriving
from dubbin.core.deliver.recipe import Recipe, load_recipe
from dubbin.core.errors import CannotWrite
from dubbin.core.figures import clock
from dubbin.core.folders import Folders
from dubbin.core.sound.writing import check_folder
from dubbin.core.texts import tr, tr_count


def batch(args: Namespace, folders: Folders) -> int:
    recipe = load_recipe(args.recipe) if args.recipe is not None else None
    if args.cluster:  # other machines know nothing of the folder that a relative path starts from
        args.inputs = [path.absolute() for path in args.inputs]
    check_places(args.inputs, args.out)
    inputs = [] if args.watch else find_inputs(args.inputs, args.out)
    try:
        args.out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(tr("The folder {out} can't be made: {strerror}.").format(out=args.out, strerror=error.strerror)) from error
    check_folder(args.out)
    if args.watch:
        return _watch(args, recipe, folders)
    outcomes = _run(inputs, args, recipe, folders, [])
    if args.json:
        print_json({"episodes": [{**asdict(o), "pass": o.passes} for o in outcomes]})
    else:
        for outcome in outcomes:
            _print(outcome)
        passed = sum(o.passes for o in outcomes)
        print(tr("{passed} of {count} pass everything").format(passed=passed, count=len(outcomes)))
        print(tr("The table is in {table}, the same as a page in {page}.").format(table=args.out / TABLE, page=args.out / PAGE))
    return 0 if all(o.passes for o in outcomes) else 1


def _run(inputs: Sequence[BatchInput], args: Namespace, recipe: Recipe | None, folders: Folders, outcomes: list[Outcome]) -> list[Outcome]:
    """Do some inputs, and add what comes of them to the outcomes of the run so far; the table is of all, also where somebody interrupts it."""
    task = progress_task(tr_count("{count} episode", "{count} episodes", len(inputs)), args.quiet)
    workers = args.workers or usual_workers()
    count, elsewhere, started = len(outcomes) + len(inputs), None, time.monotonic()
    running: tuple[Running, ...] = ()

    def tell(present: Sequence[Running]) -> None:
        nonlocal running
        running = tuple(present)
        standing = Standing(tuple(outcomes), count, workers, True, running, time.monotonic() - started)
        write_report(standing, args.out)
        if count:
            task.step(standing.share)

    if args.cluster:
        from dubbin.core.batch.cluster import on_cluster  # its library is an extra

        elsewhere = partial(on_cluster, out=args.out, folders=folders, address=args.cluster, tell=tell, say=_say)
    try:
        write_report(Standing(tuple(outcomes), count, workers), args.out)
        for outcome in run_batch(inputs, args.out, recipe, folders, task, args.workers, elsewhere):
            outcomes.append(outcome)
            if outcome.error is not None:
                print(f"dubbin: {outcome.error}", file=sys.stderr)
            elapsed = time.monotonic() - started if args.cluster else None
            write_report(Standing(tuple(outcomes), count, workers, True, running, elapsed), args.out)
    finally:
        write_report(Standing(tuple(outcomes), count, workers, is_running=False), args.out)
    end_progress(args.quiet)
    return outcomes


def _watch(args: Namespace, recipe: Recipe | None, folders: Folders) -> int:
    """Do what comes, until somebody interrupts it; the exit code tells of what was done until then."""
    outcomes: list[Outcome] = []
    if not args.quiet:
        print(tr("Waiting for recordings; Ctrl+C ends it."), file=sys.stderr)
    try:
        for inputs in arriving(args.inputs, args.out):
            known = len(outcomes)
            _run(inputs, args, recipe, folders, outcomes)
            for outcome in outcomes[known:]:
                if args.json:
                    print(json.dumps({**asdict(outcome), "pass": outcome.passes}), flush=True)
                else:
                    _print(outcome)
                    sys.stdout.flush()
    except KeyboardInterrupt:
        pass
    return 0 if all(o.passes for o in outcomes) else 1


def _print(outcome: Outcome) -> None:
    took = " " + tr("(done before)") if outcome.again else f", {clock(outcome.seconds)}"
    print(f"{Path(outcome.file).name}: {verdict(outcome.passes)}{took}")
    if outcome.error is not None:
        print(f"  {outcome.error}")
    for m in outcome.masters:
        print(
            f"  {verdict(m['pass']):7} {m['target']:18} {m['format']:5} {figure(m.get('integrated_lufs'), 'LUFS'):>12} {figure(m.get('true_peak_dbtp'), 'dBTP'):>11}  {m['file'] or '–'}"
        )
        for problem in m["problems"]:
            print(f"          {problem}")
    for remark in outcome.remarks:
        print(f"  {remark}")
    for e in outcome.entries:
        change = f"{e['before']} → {e['after']}" if e["before"] else e["after"]
        print(f"    {tr(e['step']):8} {e['title']}: {change}")


def _say(text: str) -> None:
    print(f"\r\x1b[Kdubbin: {text}" if sys.stderr.isatty() else f"dubbin: {text}", file=sys.stderr, flush=True)


def worker(args: Namespace, folders: Folders) -> int:
    from dubbin.core.batch.worker import serve  # its library is an extra

    with suppress(KeyboardInterrupt):
        serve(
            args.address,
            args.workers,
            args.memory,
            (lambda _: None) if args.quiet else (lambda text: print(text, file=sys.stderr, flush=True)),
        )
    return 0

"""targets: what can be delivered. It imports nothing heavy: scripts ask it often."""

from __future__ import annotations

from argparse import Namespace
from dataclasses import asdict

from dubbin.cli.json_output import print_json
from dubbin.core.deliver.targets import all_targets
from dubbin.core.figures import with_unit
from dubbin.core.folders import Folders


def targets(args: Namespace, folders: Folders) -> int:
    table = all_targets(folders.state)
    if args.json:
        print_json({"targets": [asdict(t) for t in table.values()]})
        return 0
    for t in table.values():
        print(f"{t.name:22} {t.aim_text:>13}  {with_unit(t.true_peak_dbtp, 'dBTP'):>10}  {t.title}")
    return 0

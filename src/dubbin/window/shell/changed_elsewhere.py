"""Another program has written the episode that is open here: nobody's work is lost without a question."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from dubbin.core.texts import tr
from dubbin.window.shell.notices import Notices


def ask_before_saving(notices: Notices, path: Path, save_over: Callable[[], object], save_elsewhere: Callable[[], object]) -> None:
    """Say so, with both ways on."""

    def over() -> None:
        save_over()

    def elsewhere() -> None:
        save_elsewhere()

    text = tr(
        "{name} was changed by another program since it was opened here. What stands there now is kept as a backup if you save over it."
    )
    notices.say(text.format(name=path.name), ((tr("Save over it"), over), (tr("Save as …"), elsewhere)))

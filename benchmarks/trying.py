"""Parts of a long run that are measured one after the other: one that fails is told, and costs no other."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable


def is_done(name: str, work: Callable[[], object]) -> bool:
    """Do some work; False where it failed, and then why stands on stderr."""
    try:
        work()
    except Exception:
        print(f"{name} could not be measured:", file=sys.stderr)
        traceback.print_exc()
        return False
    return True

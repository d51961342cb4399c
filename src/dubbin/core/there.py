"""Whether something lies at a path of somebody's: never an error, also where permissions forbid to look.

`Path.exists`, `is_file` and `is_dir` raise PermissionError there (Python 3.11), which would end work that can do without.
"""

from __future__ import annotations

import os
from pathlib import Path


def is_there(path: Path) -> bool:
    """Whether there is anything, as far as one may look."""
    return os.path.exists(path)


def is_file_there(path: Path) -> bool:
    """Whether there is an ordinary file, as far as one may look."""
    return os.path.isfile(path)


def is_folder_there(path: Path) -> bool:
    """Whether there is a folder, as far as one may look."""
    return os.path.isdir(path)

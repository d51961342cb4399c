"""One JSON document on stdout."""

from __future__ import annotations

import json
from typing import Any


def print_json(document: Any) -> None:
    print(json.dumps(document, indent=2, ensure_ascii=False, allow_nan=False, default=str))

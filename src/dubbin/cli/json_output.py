"""One JSON document on stdout."""

from __future__ import annotations

import json
from typing import Any


def print_json(document: Any) -> None:
    print(json_text(document, 2))


def json_text(document: Any, indent: int) -> str:
    """A document as text. Bytes of a file's name that are no text are written as JSON writes lone surrogates."""
    text = json.dumps(document, indent=indent, ensure_ascii=False, allow_nan=False, default=str)
    return text.encode(errors="backslashreplace").decode()

"""Types that plain values are to be made into: what the library knows of them is put together by one thread at a time.

msgspec (0.22) keeps what it knows of a data class with the class, and lets other threads use it while it is still being put together: two threads that are the first
to meet a class, at once, bring the program down.
"""

from __future__ import annotations

import threading
from typing import Any, TypeVar

import msgspec

T = TypeVar("T")

_lock = threading.Lock()
_known = set[Any]()


def decodable(kind: T) -> T:
    """The same type (a class, or a form of one: list[Cut], Cover | None), of which the library knows all that it needs from here on, from any thread."""
    if kind not in _known:
        with _lock:
            msgspec.json.Decoder(kind)  # looks at all that the type holds
            _known.add(kind)
    return kind

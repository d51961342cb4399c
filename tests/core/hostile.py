"""Files that were damaged, or made by somebody who means harm: bytes that are changed, and values that cannot be."""

from __future__ import annotations

import copy
import random
from collections.abc import Iterator
from typing import Any

VALUES: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 2**31, -(2**31), 2**63, 10**30, 0.5, -1e308, 1e308, 1e-320, "", "x", "\u0000", "\u202e<script>&amp;", "../../../etc/passwd", "/", "~",
    "a" * 10_000, "-->", [], {}, [[]], [{}], {"x": []}, "NaN", "1e999", "\ud83d\ude00" * 50,
)  # fmt: skip


def damaged(data: bytes, rng: random.Random) -> bytes:
    """The same bytes but for a few that were lost, doubled, moved or changed."""
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 1, 2, 4, 16))):
        if not out:
            break
        at, size = rng.randrange(len(out)), rng.choice((1, 1, 2, 4, 16, 200))
        head = rng.random() < 0.5  # headers are where it hurts
        at = at % 200 if head else at
        match rng.randrange(7):
            case 0:
                out[at] ^= 1 << rng.randrange(8)
            case 1:
                out[at : at + size] = bytes(rng.randrange(256) for _ in range(size))
            case 2:
                del out[at : at + size]
            case 3:
                out[at:at] = out[at : at + size]
            case 4:
                out[at : at + 4] = rng.choice((b"\x00" * 4, b"\xff" * 4, b"\x7f\xff\xff\xff", b"\xff\xff\xff\x7f", b"\x80\x00\x00\x00"))
            case 5:
                del out[at:]
            case 6:
                out[at : at + size] = b"\x00" * size
    return bytes(out)


def places(tree: Any, here: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Of all values of a tree of plain data, branches included."""
    yield here
    if isinstance(tree, dict):
        for key, value in tree.items():
            yield from places(value, (*here, key))
    elif isinstance(tree, list):
        for k, value in enumerate(tree):
            yield from places(value, (*here, k))


def spoilt(tree: Any, rng: random.Random) -> Any:
    """Plain data with a few values that are not what they should be, missing, doubled, or in one another's place."""
    out = copy.deepcopy(tree)
    for _ in range(rng.choice((1, 1, 2, 4))):
        where = rng.choice([p for p in places(out) if p] or [()])
        if not where:
            return copy.deepcopy(rng.choice(VALUES))
        parent = out
        for key in where[:-1]:
            parent = parent[key]
        match rng.randrange(5):
            case 0 | 1:
                parent[where[-1]] = copy.deepcopy(rng.choice(VALUES))
            case 2:
                old = parent[where[-1]]
                parent[where[-1]] = -old if isinstance(old, int | float) and not isinstance(old, bool) else [old]
            case 3:
                del parent[where[-1]]
            case 4:
                if isinstance(parent, list):
                    parent.insert(0, copy.deepcopy(parent[where[-1]]))
                else:
                    parent[rng.choice(("x", *parent))] = copy.deepcopy(parent[where[-1]])
    return out

"""Fields of an episode file that this version does not know: kept while the episode is open, and written back.

They are kept beside the model, as a tree of what was left over: by field of an object, by `id` in lists. What belongs to something that is gone, goes
with it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

Tree = dict[str, Any]


def left_over(plain: Any, known: Any) -> Tree:
    """What stands in `plain` (as read) and not in `known` (as it would be written again)."""
    if not isinstance(plain, dict) or not isinstance(known, dict):
        return {}
    out: Tree = {}
    for name, value in plain.items():
        if name not in known:
            out[name] = value
        elif isinstance(value, (list, tuple)):
            inside = _of_items(value, known[name])
            if inside:
                out[name] = inside
        elif (inside := left_over(value, known[name])) and name != "settings":
            out[name] = inside
    return out


def _of_items(items: Sequence[Any], known: Any) -> Tree:
    """By the ids of a list's items."""
    by_id = {item["id"]: item for item in known if isinstance(item, dict) and "id" in item} if isinstance(known, (list, tuple)) else {}
    found = ((item["id"], left_over(item, by_id[item["id"]])) for item in items if isinstance(item, dict) and item.get("id") in by_id)
    return {f"#{id}": tree for id, tree in found if tree}


def put_back(known: Any, tree: Tree) -> Any:
    """What is to be written, with what was left over where its place is still there."""
    if isinstance(known, (list, tuple)):
        return [put_back(item, tree.get(f"#{item['id']}", {})) if isinstance(item, dict) and "id" in item else item for item in known]
    if not isinstance(known, dict):
        return known
    out = dict(known)
    for name, value in tree.items():
        if name not in known:
            out[name] = value
        elif isinstance(value, dict):
            out[name] = put_back(known[name], value)
    return out

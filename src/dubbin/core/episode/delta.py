"""What changed between two states of an episode, as plain data: a cut that was added is one cut, not a list of cuts.

A delta is one of
- `{"v": data}`: the value anew;
- `{"f": {name: delta}}`: an object whose fields changed;
- `{"l": [part, …]}`: a list, put together in order from `[first, count]` (items of the old one), `{"v": [data, …]}` (new items) and
  `{"e": [index, delta]}` (an item of the old one, changed).

States share what they have in common: all that a delta does not name is the same object before and after.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields, is_dataclass
from functools import cache
from typing import Any, get_args, get_origin, get_type_hints

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.errors import BadEpisode
from dubbin.core.texts import tr

Delta = dict[str, Any]


def delta_between(old: Any, new: Any) -> Delta:
    """What makes `new` of `old`; of two equal values, an object without changed fields."""
    if is_dataclass(new) and type(new) is type(old):
        names = [f.name for f in fields(new)]
        pairs = ((name, getattr(old, name), getattr(new, name)) for name in names)
        return {"f": {name: delta_between(a, b) for name, a, b in pairs if a is not b and a != b}}
    if isinstance(new, tuple) and isinstance(old, tuple):
        return {"l": _parts(old, new)}
    return {"v": msgspec.to_builtins(new)}


def applied(delta: Delta, old: Any, kind: Any = None) -> Any:
    """The value that a delta makes of `old`. kind: its type; None: plain data stays plain. Raises BadEpisode where the delta does not fit."""
    try:
        return _applied(delta, old, kind)
    except (LookupError, TypeError, ValueError, AttributeError, msgspec.ValidationError) as error:
        raise BadEpisode(tr("A step does not fit the one before it: {error}.").format(error=error)) from error


def _applied(delta: Delta, old: Any, kind: Any) -> Any:
    if "v" in delta:
        return delta["v"] if kind is None else msgspec.convert(delta["v"], decodable(kind))
    if "f" in delta:
        changed = delta["f"]
        if kind is None:
            return {**old, **{name: _applied(part, old.get(name), None) for name, part in changed.items()}}
        cls: type = type(old)
        hints = _hints(cls)
        values = {name: getattr(old, name) for name in hints}
        return type(old)(**values | {name: _applied(part, values[name], hints[name]) for name, part in changed.items()})
    item = None if kind is None else _item_kind(kind)
    out: list[Any] = []
    for part in delta["l"]:
        if isinstance(part, list):
            first, count = part
            if first < 0 or first + count > len(old):
                raise IndexError("a list is shorter than it was")
            out += old[first : first + count]
        elif "v" in part:
            out += part["v"] if item is None else msgspec.convert(part["v"], decodable(list[item]))  # type: ignore[valid-type] # known at run time only
        else:
            index, inner = part["e"]
            out.append(_applied(inner, old[index], item))
    return out if kind is None else tuple(out)


def _parts(old: tuple[Any, ...], new: tuple[Any, ...]) -> list[Any]:
    head = _common(old, new)
    tail = _common(old[head:][::-1], new[head:][::-1])
    middle_old, middle_new = old[head : len(old) - tail], new[head : len(new) - tail]
    same = {id(item): k for k, item in enumerate(middle_old)}
    equal: dict[Any, int] | None = None
    pairs = len(middle_old) == len(middle_new)
    parts: list[Any] = [[0, head]] if head else []
    for k, item in enumerate(middle_new):
        found = same.get(id(item))
        # To look for an equal item takes a look at all that each holds, words of an hour for instance: of one item that took another's place it is known.
        if found is None and not (pairs and len(middle_new) == 1):
            equal = _places(middle_old) if equal is None else equal
            found = _found(equal, item)
        if found is not None:
            _add_run(parts, head + found)
        elif pairs and is_dataclass(item) and type(item) is type(middle_old[k]):
            parts.append({"e": [head + k, delta_between(middle_old[k], item)]})
        elif parts and isinstance(parts[-1], dict) and "v" in parts[-1]:
            parts[-1]["v"].append(msgspec.to_builtins(item))
        else:
            parts.append({"v": [msgspec.to_builtins(item)]})
    if tail:
        parts.append([len(old) - tail, tail])
    return parts


def _add_run(parts: list[Any], index: int) -> None:
    """One more item of the old list, as a part of the run before it where it follows on."""
    if parts and isinstance(parts[-1], list) and sum(parts[-1]) == index:
        parts[-1][1] += 1
    else:
        parts.append([index, 1])


def _common(a: Sequence[Any], b: Sequence[Any]) -> int:
    """How many items two lists begin with in common."""
    low, high = 0, min(len(a), len(b))
    while low < high:
        middle = (low + high + 1) // 2
        if a[low:middle] == b[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low


def _places(items: Sequence[Any]) -> dict[Any, int]:
    """Where each item stands first; what can't be a key is known by its identity."""
    out: dict[Any, int] = {}
    for k, item in enumerate(items):
        try:
            out.setdefault(item, k)
        except TypeError:
            out.setdefault(id(item), k)
    return out


def _found(places: dict[Any, int], item: Any) -> int | None:
    try:
        return places.get(item)
    except TypeError:
        return places.get(id(item))


@cache
def _hints(kind: type) -> dict[str, Any]:
    hints = get_type_hints(kind)
    return {f.name: hints[f.name] for f in fields(kind)}


def _item_kind(kind: Any) -> Any:
    """Of what a tuple of one kind of items consists."""
    if get_origin(kind) is tuple:
        return get_args(kind)[0]
    raise TypeError("there is no list")

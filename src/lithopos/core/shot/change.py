"""Changes by what they mean: a merge patch (RFC 7396) in which the things of a list are addressed by their ids.

`{"edges": {"a1": null, "b2": {"points": […]}, "e9": {"id": …}}}` strikes out a1, changes b2 and adds e9 at the
end. Documents keep their lists in order; a list given as a list replaces the whole one. Two changes meet when
both touch the same thing of a list, or the same field elsewhere.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import Any

from lithopos.core.shot.document import LISTS

WHOLE = ("camera", "photograph")  # parts that only make sense as one
Path = tuple[str, ...]

__all__ = ["changed", "met", "stepped"]


def changed(document: dict[str, Any], patch: dict[str, Any], lists: Collection[str] = LISTS) -> dict[str, Any]:
    """The document with a change applied, not yet checked.

    Parameters
    ----------
    lists : the fields that hold things with identities.
    """
    result = dict(document)
    for name, value in patch.items():
        if name in lists and isinstance(value, dict):
            result[name] = _list_changed(result.get(name) or [], value)
        elif value is None:
            result.pop(name, None)
        elif name == "camera" and isinstance(value, dict) and "kind" in value:
            result[name] = value  # of its kind anew: fields of the other kind would not fit
        else:
            result[name] = _merged(result.get(name), value)
    return result


def _list_changed(things: Any, patch: dict[str, Any]) -> Any:
    known = {thing["id"]: thing for thing in things if isinstance(thing, dict) and isinstance(thing.get("id"), str)}
    for name, value in patch.items():
        if value is None:
            known.pop(name, None)
        else:
            known[name] = _merged({"id": name, **known.get(name, {})}, value)
    return list(known.values())


def _merged(target: Any, patch: Any) -> Any:
    """RFC 7396, section 2."""
    if not isinstance(patch, dict):
        return patch
    result = dict(target) if isinstance(target, dict) else {}
    for key, value in patch.items():
        if value is None:
            result.pop(key, None)
        else:
            result[key] = _merged(result.get(key), value)
    return result


def stepped(now: dict[str, Any], before: dict[str, Any], after: dict[str, Any]) -> tuple[dict[str, Any], str | None]:
    """A document with the step from `before` to `after` taken on it, and which thing of it stands in the way.

    Where the step changes something that is not as `before` any more, it stands in the way; the document is then the
    one that was given.
    """
    result = dict(now)
    for path in _differences(before, after):
        name, *key = path
        if not key:
            if now.get(name) != before.get(name):
                return now, _words(path)
            result[name] = after.get(name)
        elif name in LISTS:
            mine, old, new = (
                next((thing for thing in one.get(name) or [] if thing["id"] == key[0]), None)
                for one in (now, before, after)
            )
            if mine != old:
                return now, _words(path)
            result[name] = _with_thing(result.get(name) or [], key[0], new, after.get(name) or [])
        else:
            if (now.get(name) or {}).get(key[0]) != before[name].get(key[0]):
                return now, _words(path)
            result[name] = {**result[name], key[0]: after[name].get(key[0])}
    return result, None


def _with_thing(things: list[Any], key: str, thing: Any, like: list[Any]) -> list[Any]:
    """A list with a thing changed, struck out, or put in where another list has it."""
    if thing is None:
        return [one for one in things if one["id"] != key]
    if any(one["id"] == key for one in things):
        return [thing if one["id"] == key else one for one in things]
    order = [one["id"] for one in like]
    behind = set(order[: order.index(key)])
    at = max((number + 1 for number, one in enumerate(things) if one["id"] in behind), default=0)
    return [*things[:at], thing, *things[at:]]


def met(patch: dict[str, Any], seen: dict[str, Any], now: dict[str, Any], lists: Collection[str] = LISTS) -> str | None:
    """Which thing of a patch was changed meanwhile, between two states of the document; None if none was."""
    others = set(_differences(seen, now, lists))
    for mine in _touched(patch):
        for other in others:
            if mine[: len(other)] == other[: len(mine)]:
                return _words(mine if len(mine) > len(other) else other)
    return None


def _touched(patch: dict[str, Any]) -> Iterator[Path]:
    for name, value in patch.items():
        if isinstance(value, dict) and name not in WHOLE:
            yield from ((name, key) for key in value)
        else:
            yield (name,)


def _differences(seen: dict[str, Any], now: dict[str, Any], lists: Collection[str] = LISTS) -> Iterator[Path]:
    for name in {**seen, **now}:
        old, new = seen.get(name), now.get(name)
        if old == new:
            continue
        if name in lists:
            olds, news = ({thing["id"]: thing for thing in things or []} for things in (old, new))
            yield from ((name, key) for key in {**olds, **news} if olds.get(key) != news.get(key))
        elif isinstance(old, dict) and isinstance(new, dict) and name not in WHOLE:
            yield from ((name, key) for key in {**old, **new} if old.get(key) != new.get(key))
        else:
            yield (name,)


def _words(path: Path) -> str:
    """A thing in words, for the one who is told."""
    if path[0] in LISTS and len(path) > 1:
        return f"The {path[0].removesuffix('s')} {path[1]!r}"
    return f"The {' '.join(path).replace('_', ' ')}"

"""Changes by what they mean: a merge patch (RFC 7396) in which the things of a list are addressed by their ids.

`{"edges": {"a1": null, "b2": {"points": […]}, "e9": {"id": …}}}` strikes out a1, changes b2 and adds e9 at the
end. Documents keep their lists in order; a list given as a list replaces the whole one. Two changes meet when
both touch the same thing of a list, or the same field elsewhere.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lithopos.core.shot.document import LISTS

WHOLE = ("camera", "photograph")  # parts that only make sense as one
Path = tuple[str, ...]

__all__ = ["changed", "met"]


def changed(document: dict[str, Any], patch: dict[str, Any]) -> dict[str, Any]:
    """The document with a change applied, not yet checked."""
    result = dict(document)
    for name, value in patch.items():
        if name in LISTS and isinstance(value, dict):
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


def met(patch: dict[str, Any], seen: dict[str, Any], now: dict[str, Any]) -> str | None:
    """Which thing of a patch was changed meanwhile, between two states of the document; None if none was."""
    others = set(_differences(seen, now))
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


def _differences(seen: dict[str, Any], now: dict[str, Any]) -> Iterator[Path]:
    for name in {**seen, **now}:
        old, new = seen.get(name), now.get(name)
        if old == new:
            continue
        if name in LISTS:
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

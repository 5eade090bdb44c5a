"""Options: a shot with differences. What an option does not set itself follows the shot.

A difference is told by the path of what differs: `sun`, `blend/model`, `models/m1/position_m`,
`models/m1/surfaces/Seat`, and for a thing that only one of both has `models/m1`; names are escaped as in JSON pointers
(RFC 6901, section 3). Its value is what the option has there; null for a thing or surface that it does not have. What
the photograph shows (marks, camera, frame, mattes) is no option's own: it is the same place.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import AfterValidator, Field, JsonValue

from lithopos.core.shot.parts import DocumentPart, Identity, Name

# Of a shot, what an option can have of its own.
OWN = (
    "models",
    "panes",
    "lamps",
    "windows",
    "sun",
    "almanac",
    "sky",
    "panorama",
    "lit_by",
    "exposure",
    "ground",
    "contact",
    "blend",
    "set_aside",
)
LISTED = ("models", "panes", "lamps", "windows", "set_aside")  # of things with identities
FIELD_BY_FIELD = ("sky", "exposure", "ground", "contact", "blend")  # the others only make sense as one
BY_NAME = ("surfaces", "prints")  # of a thing: a mapping whose entries differ one by one
MOST_DIFFERENCES = 2000

Difference = dict[str, JsonValue]

__all__ = ["OWN", "Difference", "Option", "difference", "named_files", "optioned", "split", "united", "with_option"]


def _known(differs: Difference) -> Difference:
    for path in differs:
        name, *rest = split(path)
        if name not in OWN:
            raise ValueError(f"{path[:60]!r} can’t differ in an option: it belongs to the photograph")
        entry = len(rest) == 3 and rest[1] in BY_NAME
        if (name in LISTED and not (len(rest) in (1, 2) or entry)) or (name not in LISTED and len(rest) > 1):
            raise ValueError(f"{path[:60]!r} leads to nothing that can differ in an option")
    return differs


class Option(DocumentPart):
    """A variant of the shot, to be compared with it: what differs, by its path."""

    id: Identity
    name: Name = ""
    difference: Annotated[Difference, Field(max_length=MOST_DIFFERENCES), AfterValidator(_known)] = {}


def split(path: str) -> list[str]:
    """The names of a path."""
    return [part.replace("~1", "/").replace("~0", "~") for part in path.split("/")]


def _joined(*names: str) -> str:
    return "/".join(name.replace("~", "~0").replace("/", "~1") for name in names)


def optioned(document: dict[str, Any], differs: Difference) -> dict[str, Any]:
    """The document with differences on top; such as are about things that are gone are left out."""
    result = dict(document)
    for path, value in differs.items():
        name, *rest = split(path)
        here = result.get(name)
        if not rest:
            result[name] = value
        elif isinstance(here, list):
            result[name] = _with_thing(here, rest, value)
        elif isinstance(here, dict):
            result[name] = {**here, rest[0]: value}
    return result


def _with_thing(things: list[Any], path: list[str], value: Any) -> list[Any]:
    """A list of things with another value at the path of a thing, its field, or an entry of its field."""
    known: dict[str, Any] = {thing["id"]: thing for thing in things}
    key, *rest = path
    if not rest:
        # Of another name it would be another thing.
        named = {**value, "id": key} if isinstance(value, dict) else None
        return list(_with_entry(known, key, named).values())
    if key in known:
        field, *entry = rest
        now = _with_entry(known[key].get(field) or {}, entry[0], value) if entry else value
        known[key] = {**known[key], field: now}
    return list(known.values())


def _with_entry(known: dict[str, Any], key: str, value: Any) -> dict[str, Any]:
    """A mapping with another entry, or without it where the value is null."""
    return {**known, key: value} if value is not None else {name: one for name, one in known.items() if name != key}


def difference(base: dict[str, Any], own: dict[str, Any]) -> Difference:
    """What an option's whole document has otherwise than the shot's, by path."""
    found: Difference = {}
    for name in OWN:
        ours, theirs = own.get(name), base.get(name)
        if ours == theirs:
            continue
        if isinstance(ours, list) and isinstance(theirs, list):
            found |= _things(name, theirs, ours)
        elif name in FIELD_BY_FIELD and isinstance(ours, dict) and isinstance(theirs, dict):
            found |= {_joined(name, key): value for key, value in ours.items() if theirs.get(key) != value}
        else:
            found[name] = ours
    return found


def _things(name: str, base: list[Any], own: list[Any]) -> Difference:
    theirs, ours = ({thing["id"]: thing for thing in things} for things in (base, own))
    found: Difference = {_joined(name, key): None for key in theirs if key not in ours}
    for key, thing in ours.items():
        if key not in theirs:
            found[_joined(name, key)] = thing
            continue
        for field, value in thing.items():
            old = theirs[key].get(field)
            if value == old:
                continue
            if field in BY_NAME:
                entries = [entry for entry in {**old, **value} if old.get(entry) != value.get(entry)]
                found |= {_joined(name, key, field, entry): value.get(entry) for entry in entries}
            else:
                found[_joined(name, key, field)] = value
    return found


def with_option(document: dict[str, Any], option_id: str, own: dict[str, Any]) -> dict[str, Any]:
    """A shot's document after a change in one of its options.

    Parameters
    ----------
    own : the option's whole document, changed. What is no option's own goes to the shot, and so to all options.
    """
    shared = {name: own.get(name) for name in own if name not in OWN}
    result = {**document, **shared}
    options = []
    for option in result.get("options", []):
        if option["id"] == option_id:
            option = {**option, "difference": difference(document, own)}
        options.append(option)
    return {**result, "options": options}


def united(differences: Iterable[Difference]) -> Difference:
    """Several options' differences in one; where two set the same, the later one counts."""
    found: Difference = {}
    for differs in differences:
        for path, value in differs.items():
            found.pop(path, None)  # so that it comes after what it may rest on
            found[path] = value
    return found


def named_files(values: Iterable[JsonValue]) -> list[str]:
    """The files that differences name."""
    found: list[str] = []
    for value in values:
        if isinstance(value, dict):
            found += [file for name in ("file", "lut") if isinstance(file := value.get(name), str)]
            found += named_files(value.values())
        elif isinstance(value, list):
            found += named_files(value)
    return found

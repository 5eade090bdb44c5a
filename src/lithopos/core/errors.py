"""What can go wrong, as a small tree.

LithoposError
├── InputError      what was handed in is wrong: names the field and the cause
│   ├── NoTake      … it is a film that can be shown, but not worked on as a take
│   └── NothingSeen … nothing of what is there would be in the picture
├── Cancelled       the user stopped it
└── NoRoom          the disk is full

A fair question that has no answer (edges that give no camera) is not an error but a value: `NoAnswer`.
"""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import ValidationError

__all__ = [
    "Cancelled",
    "InputError",
    "LithoposError",
    "NoAnswer",
    "NoRoom",
    "NoTake",
    "NothingSeen",
    "input_error_from",
]


class LithoposError(Exception):
    """The root of this program's own errors."""


class InputError(LithoposError, ValueError):
    """Something handed in is wrong; `field` says where, `cause` what.

    Attributes
    ----------
    field : dotted path of the field, such as ``lines[3].points``.
    cause : a plain sentence without the field.
    """

    def __init__(self, field: str, cause: str) -> None:
        super().__init__(f"{field}: {cause}" if field else cause)
        self.field, self.cause = field, cause


class NoTake(InputError):
    """A film that can be shown, but is no take: a single frame, or of a kind that is not worked on."""


class NothingSeen(InputError):
    """Nothing of what stands there would be seen in the picture."""


class Cancelled(LithoposError):
    """The work was stopped on request."""


class NoRoom(LithoposError):
    """The disk is full; what was already kept is unharmed."""


@dataclass(frozen=True)
class NoAnswer:
    """A fair question without an answer. It is falsy and carries its reason as a plain sentence."""

    reason: str

    def __bool__(self) -> bool:
        return False


def input_error_from(error: ValidationError) -> InputError:
    """The first complaint of a Pydantic validation as one plain line."""
    first = error.errors(include_url=False)[0]
    field = ""
    for part in first["loc"]:
        field += f"[{part}]" if isinstance(part, int) else f".{part}" if field else str(part)
    cause = {
        "extra_forbidden": "is not a known field",
        "missing": "is missing",
    }.get(first["type"], first["msg"].removeprefix("Value error, "))
    return InputError(field, cause[0].lower() + cause[1:])

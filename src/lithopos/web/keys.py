"""Keys for a studio: one a person, kept as hashes in a file; a cookie that scripts can't read stands for it then.

On one machine none is needed. A key is shown once, when it is made; whoever takes it out of the file has signed its
owner out. Wrong ones are counted, by where they come from and in all.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import secrets
import threading
import time
from collections import defaultdict, deque
from pathlib import Path
from typing import Annotated, Literal

from itsdangerous import BadSignature, URLSafeTimedSerializer
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from werkzeug.security import check_password_hash, generate_password_hash

from lithopos.core.errors import InputError, input_error_from
from lithopos.core.exchange.picture import write_atomically

COOKIE, HELD_S = "lithopos-key", 30 * 24 * 3600
WRONG_AT_MOST, WRONG_IN_ALL, WITHIN_S = 5, 60, 60.0
# What is asked for and keeps nothing: a key that may only look may ask for it.
ASKING = re.compile(
    r"^/api/v1/(surfaces|session|shots/[^/]+/(try|hand|rest|pieces|patches|gleam|focus|haze|options/small))$"
)
May = Literal["change", "look"]

__all__ = ["ASKING", "COOKIE", "HELD_S", "Key", "Keys", "TooMany", "add_key", "keys_in", "remove_key"]


class TooMany(Exception):
    """Too many wrong keys came lately."""


class Key(BaseModel):
    """One person's key: its name, its hash, what it allows."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(min_length=1, max_length=80)]
    hash: Annotated[str, Field(max_length=400)]
    may: May = "change"

    @property
    def mark(self) -> str:
        """What a cookie remembers of it: another one's hash has another."""
        return hashlib.sha256(self.hash.encode()).hexdigest()[:24]


class _File(BaseModel):
    model_config = ConfigDict(extra="forbid")
    keys: list[Key] = []


def keys_in(file: Path) -> list[Key]:
    """The keys of a file.

    Raises
    ------
    InputError
        If it is not there, or can't be read.
    """
    try:
        return _File.model_validate_json(file.read_text()).keys
    except OSError as error:
        raise InputError("--keys", f"{file} can't be read: {error.strerror}") from error
    except ValidationError as error:
        raise InputError("--keys", f"{file}: {input_error_from(error)}") from error


def add_key(file: Path, name: str, may: May) -> str:
    """Make a key and keep its hash; the key itself, which is nowhere else."""
    known = keys_in(file) if file.exists() else []
    if any(one.name == name for one in known):
        raise InputError("NAME", f"{name!r} has a key already; remove it first")
    key = secrets.token_urlsafe(24)
    _write(file, [*known, Key(name=name, hash=generate_password_hash(key), may=may)])
    return key


def remove_key(file: Path, name: str) -> None:
    """Strike out a key; its owner is signed out."""
    known = keys_in(file)
    left = [one for one in known if one.name != name]
    if len(left) == len(known):
        raise InputError("NAME", f"{name!r} has no key")
    _write(file, left)


def _write(file: Path, keys: list[Key]) -> None:
    told = json.dumps(_File(keys=keys).model_dump(), indent=1) + "\n"
    write_atomically(file, lambda out: out.write(told.encode()))
    os.chmod(file, 0o600)


class Keys:
    """The keys in force: read anew when their file changes."""

    def __init__(self, file: Path, data: Path) -> None:
        self.file = file
        self._keys, self._read_at = keys_in(file), self._changed_at()
        self._signer = URLSafeTimedSerializer(_secret(data / "cookies.secret"), salt="key")
        self._wrong: dict[str, deque[float]] = defaultdict(deque)
        self._lock = threading.Lock()

    def _changed_at(self) -> int:
        return self.file.stat().st_mtime_ns if self.file.exists() else 0

    def known(self) -> list[Key]:
        """The keys as the file has them now; none while it can't be read."""
        changed = self._changed_at()
        if changed != self._read_at:
            try:
                self._keys = keys_in(self.file)
            except InputError:
                self._keys = []
            self._read_at = changed
        return self._keys

    def opened(self, key: str, where: str) -> tuple[Key, str] | None:
        """The key that somebody gives, and the cookie that stands for it; None if it is none.

        Raises
        ------
        TooMany
            If too many wrong ones came lately, from there or in all: then none is looked at.
        """
        with self._lock:
            for name, most in ((where, WRONG_AT_MOST), ("", WRONG_IN_ALL)):
                times = self._wrong[name]
                while times and time.monotonic() - times[0] > WITHIN_S:
                    times.popleft()
                if len(times) >= most:
                    raise TooMany
        for one in self.known():
            if check_password_hash(one.hash, key):
                return one, self._signer.dumps([one.name, one.mark])
        with self._lock:
            for name in (where, ""):
                self._wrong[name].append(time.monotonic())
        return None

    def of(self, cookie: str | None) -> Key | None:
        """Whose cookie it is; None if nobody's, or if that key is gone."""
        if not cookie:
            return None
        try:
            name, mark = self._signer.loads(cookie, max_age=HELD_S)
        except (BadSignature, ValueError, TypeError):
            return None
        return next((one for one in self.known() if one.name == name and one.mark == mark), None)


def _secret(place: Path) -> bytes:
    """By what cookies are signed: made once, for this library alone."""
    if not place.exists():
        write_atomically(place, lambda out: out.write(secrets.token_bytes(32)))
        os.chmod(place, 0o600)
    return place.read_bytes()

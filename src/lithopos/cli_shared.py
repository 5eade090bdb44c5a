"""What all commands share: where things are kept, how they answer."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import platformdirs

from lithopos.core.errors import InputError

DATA = Path(platformdirs.user_data_dir("lithopos"))

__all__ = ["DATA", "print_answer", "refuse_no_folder"]


def print_answer(answer: Any) -> None:
    """Print an answer as JSON."""
    print(json.dumps(answer, indent=1, allow_nan=False))


def refuse_no_folder(option: str, out: Path) -> None:
    """Before long work: where it is to be put has to be there."""
    if not out.parent.is_dir():
        raise InputError(option, f"{out.parent} is no folder")

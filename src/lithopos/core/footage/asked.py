"""What takes and films tell, read in a child process."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from lithopos.core.exchange.film import TakeNotes
from lithopos.core.footage.states import Films
from lithopos.core.reading.ask import ask_reader
from lithopos.core.shot import Shot

__all__ = ["film_times", "take_notes_of"]


def take_notes_of(path: Path) -> TakeNotes:
    """What a take tells; InputError if it is none."""
    return TakeNotes.model_validate(ask_reader("take", path))


def film_times(shot: Shot, find: Callable[[str], Path]) -> Films:
    """When the frames of each film begin that plays in a shot, by its name, and when its last one ends [s]."""
    shown = [pane.file for pane in shot.panes if pane.plays and pane.file]
    shown += [one.file for model in shot.models for one in model.prints.values() if one.plays]
    found: Films = {}
    for name in dict.fromkeys(shown):
        told = take_notes_of(find(name))
        found[name] = [*told.times_s, told.seconds]
    return found

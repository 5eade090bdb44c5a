"""Who works on a render, as it is told on the screen."""

from __future__ import annotations

from pydantic import BaseModel

__all__ = ["WorkedOn"]


class WorkedOn(BaseModel):
    """How many parts each machine has traced, by its name, and why others are not used.

    `here` is the machine that asks; `page` the address of the cluster's own dashboard, where it has one.
    """

    parts: dict[str, int] = {}
    refused: dict[str, str] = {}
    page: str | None = None

"""The parts of which the API is made."""

from __future__ import annotations

import os

from flask_openapi3 import APIBlueprint

DESCRIBED = "LITHOPOS_API_DESCRIBED"

__all__ = ["DESCRIBED", "part"]


def part(name: str, import_name: str) -> APIBlueprint:
    """A part of the API by its name.

    It describes itself only where that is asked for in the environment: it takes seconds, and the description is kept
    (`web.openapi`).
    """
    return APIBlueprint(name, import_name, url_prefix="/api/v1", doc_ui=DESCRIBED in os.environ)

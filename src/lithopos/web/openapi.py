"""`python -m lithopos.web.openapi`: print the API's OpenAPI document, anew from its routes.

It is kept beside this file (`make types`), is what the application answers, and what the front end's types are made of.
"""

from __future__ import annotations

import json
import os
import tempfile
from pathlib import Path
from typing import Any

from lithopos.web.part import DESCRIBED

KEPT = Path(__file__).with_name("openapi.json")

__all__ = ["KEPT"]


def _made_anew() -> dict[str, Any]:
    os.environ[DESCRIBED] = "yes"
    from lithopos.web.app import create_app  # its parts look at the environment when they are imported

    with tempfile.TemporaryDirectory() as folder:
        document: dict[str, Any] = create_app(Path(folder)).api_doc
        return document


if __name__ == "__main__":
    print(json.dumps(_made_anew(), indent=1, sort_keys=True))

"""`python -m lithopos.web.openapi`: print the API's OpenAPI document."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

from lithopos.web.app import create_app

__all__ = ["openapi_document"]


def openapi_document() -> dict[str, Any]:
    """The OpenAPI document of the API; the front end's types are made from it."""
    with tempfile.TemporaryDirectory() as folder:
        document: dict[str, Any] = create_app(Path(folder)).api_doc
        return document


if __name__ == "__main__":
    print(json.dumps(openapi_document(), indent=1, sort_keys=True))

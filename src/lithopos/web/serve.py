"""`python -m lithopos.web.serve DATA PORT`: the web server alone, on 127.0.0.1."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from waitress import serve

from lithopos.web.app import MAX_UPLOAD_BYTES, create_app

# Connections that say nothing are let go soon and don't keep others out; Flask says what is too large.
SERVING: dict[str, Any] = {
    "threads": 8,
    "ident": None,
    "connection_limit": 2000,
    "channel_timeout": 20,
    "cleanup_interval": 5,
    "asyncore_use_poll": True,
    "max_request_body_size": 2 * MAX_UPLOAD_BYTES,
}

if __name__ == "__main__":
    serve(create_app(Path(sys.argv[1])), host="127.0.0.1", port=int(sys.argv[2]), **SERVING)

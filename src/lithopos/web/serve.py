"""`python -m lithopos.web.serve DATA PORT [SERVED]`: the web server alone; on 127.0.0.1, unless told otherwise."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from waitress import serve

from lithopos.web.app import MAX_UPLOAD_BYTES, Served, create_app

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
    told = json.loads(sys.argv[3]) if len(sys.argv) > 3 else {}
    listen = told.pop("listen", "127.0.0.1")
    keys = Path(told["keys"]) if told.get("keys") else None
    served = Served(keys, tuple(told.get("hosts", ())), bool(told.get("behind_proxy")))
    # What a proxy in front tells is for the application to read; from anybody else it is dropped here.
    heard = {"clear_untrusted_proxy_headers": not served.behind_proxy}
    serve(create_app(Path(sys.argv[1]), served), host=listen, port=int(sys.argv[2]), **SERVING, **heard)

"""`python -m lithopos.web.serve DATA PORT`: the web server alone, on 127.0.0.1."""

from __future__ import annotations

import sys
from pathlib import Path

from waitress import serve

from lithopos.web.app import create_app

if __name__ == "__main__":
    serve(create_app(Path(sys.argv[1])), host="127.0.0.1", port=int(sys.argv[2]), threads=8, ident=None)

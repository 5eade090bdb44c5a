"""The application: routes, errors as problem documents, and what is refused."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from functools import cache, partial
from http import HTTPStatus
from pathlib import Path

from flask import Flask, Response, current_app, request, send_from_directory
from flask_openapi3 import Info, OpenAPI
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException
from werkzeug.middleware.proxy_fix import ProxyFix

from lithopos import __version__
from lithopos.core.errors import InputError, NoRoom, input_error_from
from lithopos.core.readiness import Code
from lithopos.jobs.queue import Queue
from lithopos.library.database import FULL, NotFound, Stale, full_disk
from lithopos.library.store import Library
from lithopos.web.api import api
from lithopos.web.delivery import delivery
from lithopos.web.footage import footage
from lithopos.web.keys import ASKING, COOKIE, Keys
from lithopos.web.measures import measures
from lithopos.web.openapi import KEPT
from lithopos.web.options import options
from lithopos.web.renders import renders
from lithopos.web.schemas import Problem, Unready
from lithopos.web.sessions import sessions
from lithopos.web.site import site

APP = Path(__file__).parent / "static" / "app"
MAX_UPLOAD_BYTES = 1024 * 2**20
HOSTS = {"127.0.0.1", "localhost"}
OPEN = ("/api/v1/health", "/api/v1/session")

__all__ = ["Served", "create_app"]


@dataclass(frozen=True)
class Served:
    """How the application is reached.

    Attributes
    ----------
    keys : the file of keys, where one is asked for.
    hosts : names and addresses that it answers as besides this machine's own.
    behind_proxy : a reverse proxy in front tells by headers who asks, and how.
    """

    keys: Path | None = None
    hosts: tuple[str, ...] = ()
    behind_proxy: bool = False


def create_app(data: Path, served: Served | None = None) -> OpenAPI:
    """The web application over a data folder; `served` says how it is reached, if not on this machine alone."""
    served = served or Served()
    app = OpenAPI(
        "lithopos",
        info=Info(title="Lithopos", version=__version__),
        doc_ui=False,
        validation_error_status=422,
        validation_error_model=Problem,
        validation_error_callback=_invalid,
        static_folder=None,
    )
    app.config["MAX_CONTENT_LENGTH"] = MAX_UPLOAD_BYTES
    app.config["MAX_FORM_MEMORY_SIZE"] = 4 * 2**20
    app.extensions["library"] = Library(data)
    app.extensions["queue"] = Queue(data)
    app.extensions["keys"] = Keys(served.keys, data) if served.keys else None
    if served.behind_proxy:
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=1, x_proto=1, x_host=1)  # type: ignore[method-assign]
    app.before_request(partial(_refuse_strangers, HOSTS | set(served.hosts)))
    app.before_request(_refuse_without_key)
    app.after_request(_harden)
    for part in (api, measures, renders, options, delivery, footage, site, sessions):
        app.register_api(part)
    app.add_url_rule("/api/v1/openapi.json", "openapi_document", _description)
    app.add_url_rule("/", "front_end", _front_end)
    app.add_url_rule("/<path:path>", "front_end_path", _front_end)
    _register_errors(app)
    return app


def _description() -> Response:
    return Response(KEPT.read_bytes(), mimetype="application/json")


def _front_end(path: str = "index.html") -> Response:
    """A file of the built front end; any other path is the application's own."""
    if path.startswith("api/"):
        return _problem(404, "There is nothing at this address.")
    if not (APP / "index.html").is_file():
        return Response("The front end is not built yet: run `make setup`.", 503, mimetype="text/plain")
    return send_from_directory(APP, path if path in _built_files() else "index.html")


@cache
def _built_files() -> frozenset[str]:
    """The built front end's own files: only these are ever looked up by what an address says."""
    return frozenset(str(file.relative_to(APP)) for file in APP.rglob("*") if file.is_file())


def _refuse_strangers(hosts: set[str]) -> Response | None:
    """Only this server's own pages may ask: a foreign Host or a cross-site write is refused."""
    host = request.host.rsplit(":", 1)[0] if not request.host.endswith("]") else request.host
    if host not in hosts:
        return _problem(403, f"This server answers as {', '.join(sorted(hosts))} only.")
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return None
    origin, site = request.headers.get("Origin"), request.headers.get("Sec-Fetch-Site", "same-origin")
    if site not in ("same-origin", "none") or (origin and origin != f"{request.scheme}://{request.host}"):
        return _problem(403, "A write from another site is refused.")
    return None


def _refuse_without_key() -> Response | None:
    """Where keys are asked for: the screen's own files come without, all else with one; looking is not changing."""
    keys: Keys | None = current_app.extensions["keys"]
    if keys is None or not request.path.startswith("/api/") or request.path in OPEN:
        return None
    key = keys.of(request.cookies.get(COOKIE))
    if key is None:
        return _problem(401, "This Lithopos asks for a key.")
    if key.may == "look" and request.method not in ("GET", "HEAD", "OPTIONS") and not ASKING.match(request.path):
        return _problem(403, f"The key of {key.name} may look, not change.")
    return None


def _harden(response: Response) -> Response:
    response.headers.setdefault("X-Content-Type-Options", "nosniff")
    response.headers.setdefault("X-Frame-Options", "DENY")
    response.headers.setdefault("Referrer-Policy", "no-referrer")
    response.headers.setdefault(
        "Content-Security-Policy",
        "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; "
        "connect-src 'self' blob: data:; object-src 'none'; base-uri 'none'; form-action 'self'; "
        "frame-ancestors 'none'",
    )
    response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
    response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
    return response


# Errors, translated once


def _problem(
    status: int, detail: str, field: str | None = None, lacks: list[Code] | None = None, cause: str | None = None
) -> Response:
    body = Problem(
        title=HTTPStatus(status).phrase,
        status=status,
        detail=" ".join(detail.split()),
        field=field,
        cause=cause,
        lacks=lacks or [],
    )
    return Response(body.model_dump_json(), status, mimetype="application/problem+json")


def _invalid(error: ValidationError) -> Response:
    wrong = input_error_from(error)
    return _problem(422, str(wrong), wrong.field)


def _register_errors(app: Flask) -> None:
    app.register_error_handler(InputError, lambda e: _problem(422, str(e), e.field, cause=e.cause))
    app.register_error_handler(
        Unready, lambda e: _problem(422, str(e), e.lacks[0].field, [lack.code for lack in e.lacks])
    )
    app.register_error_handler(RecursionError, lambda _: _problem(400, "The JSON is nested too deep."))
    app.register_error_handler(OperationalError, _database_failed)
    app.register_error_handler(NotFound, lambda e: _problem(404, str(e)))
    app.register_error_handler(Stale, lambda e: _problem(409, str(e)))
    app.register_error_handler(NoRoom, lambda e: _problem(507, str(e)))
    app.register_error_handler(HTTPException, lambda e: _problem(e.code or 500, _plain(e)))
    app.register_error_handler(Exception, _unexpected)


def _plain(error: HTTPException) -> str:
    if error.code == 413:
        if (request.content_length or 0) <= MAX_UPLOAD_BYTES:
            return "The form has too many fields, or one that is too large."
        return f"The file is larger than the limit of {MAX_UPLOAD_BYTES // 2**20} MB."
    return error.description or "The request could not be answered."


def _database_failed(error: OperationalError) -> Response:
    return _problem(507, FULL) if full_disk(error) else _unexpected(error)


def _unexpected(error: Exception) -> Response:
    logging.getLogger(current_app.name).exception("unexpected", exc_info=error)
    return _problem(500, "Something went wrong inside; nothing was changed. The server's log tells more.")

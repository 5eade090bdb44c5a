"""Signing in with a key, and out; who is signed in."""

from __future__ import annotations

from flask import Response, current_app, request

from lithopos.web import schemas as s
from lithopos.web.at_hand import answer
from lithopos.web.keys import COOKIE, HELD_S, Keys, TooMany
from lithopos.web.part import part

sessions = part("sessions", __name__)

__all__ = ["sessions"]


def _keys() -> Keys | None:
    keys: Keys | None = current_app.extensions["keys"]
    return keys


@sessions.get("/session", operation_id="getSession", responses={200: s.SessionOut})
def get_session() -> Response:
    """Whether a key is asked for, and whose is given."""
    keys = _keys()
    key = keys.of(request.cookies.get(COOKIE)) if keys else None
    return answer(s.SessionOut(asked=keys is not None, name=key.name if key else None, may=key.may if key else None))


@sessions.post("/session", operation_id="openSession", responses={200: s.SessionOut, 401: s.Problem, 429: s.Problem})
def open_session(body: s.KeyIn) -> Response:
    """Give a key."""
    keys = _keys()
    if keys is None:
        return answer(s.SessionOut(asked=False))
    try:
        opened = keys.opened(body.key, request.remote_addr or "")
    except TooMany:
        told = s.Problem(title="Too Many Requests", status=429, detail="Too many wrong keys; try again in a minute.")
        return Response(told.model_dump_json(), 429, {"Retry-After": "60"}, mimetype="application/problem+json")
    if opened is None:
        told = s.Problem(title="Unauthorized", status=401, detail="That is none of the keys.")
        return Response(told.model_dump_json(), 401, mimetype="application/problem+json")
    key, cookie = opened
    response = answer(s.SessionOut(asked=True, name=key.name, may=key.may))
    response.set_cookie(COOKIE, cookie, max_age=HELD_S, httponly=True, samesite="Strict", secure=request.is_secure)
    return response


@sessions.delete("/session", operation_id="closeSession", responses={200: s.SessionOut})
def close_session() -> Response:
    """Give it back."""
    response = answer(s.SessionOut(asked=_keys() is not None))
    response.delete_cookie(COOKIE, httponly=True, samesite="Strict")
    return response

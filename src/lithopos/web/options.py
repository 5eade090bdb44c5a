"""A shot's options: made, shown small side by side, rendered all at once."""

from __future__ import annotations

import secrets

from flask import Response

from lithopos.core.errors import InputError
from lithopos.core.render.small import small_question
from lithopos.core.shot.option import Option, difference, optioned, united
from lithopos.jobs.asked import Asked
from lithopos.library.models import Render
from lithopos.library.shots import ShotState
from lithopos.library.store import Library
from lithopos.web import schemas as s
from lithopos.web.api import shot_out
from lithopos.web.at_hand import answer, library_at_hand, queue_at_hand
from lithopos.web.part import part
from lithopos.web.renders import refuse_unready, render_out

BUSY = ("queued", "running", "stopping")
SHOWN = 4  # renders of each option that are told

options = part("options", __name__)

__all__ = ["options"]


def _all(state: ShotState) -> list[ShotState]:
    """A shot and all its options."""
    return [library_at_hand().shot(name) for name in library_at_hand().names_of(state.row)]


@options.post("/shots/<string:shot_id>/options", operation_id="addOptions", responses={201: s.ShotOut})
def add_options(path: s.ShotPath, body: s.OptionsNew) -> Response:
    """Make options of a shot; gives the shot itself."""
    library = library_at_hand()
    state = library.shot(path.shot_id)
    document = library.document(state.row)
    known = {one.id: one for one in state.shot.options}
    made: dict[str, Option] = {}
    for number, new in enumerate(body.options, len(known) + 1):
        gone = next((name for name in new.of if name not in known), None)
        if gone is not None:
            raise InputError("options", f"{gone!r} is not an option of this shot any more")
        differs = united(known[name].difference for name in new.of)
        called = new.name or " · ".join(known[name].name for name in new.of) or f"Option {number}"
        option = Option(
            id=f"o{secrets.token_hex(4)}",
            name=called[:200],
            difference=difference(document, optioned(document, differs)),
        )
        made[option.id] = option
    # The list as a whole: a null in a patch would be taken for something to be struck out.
    listed = [one.model_dump(mode="json") for one in [*state.shot.options, *made.values()]]
    label = f"{len(made)} options" if len(made) > 1 else f"option {next(iter(made.values())).name}"
    return answer(shot_out(library.change(state.row, state.revision, {"options": listed}, label)), 201)


@options.post("/shots/<string:shot_id>/options/small", operation_id="askSmall", responses={200: s.SmallsOut})
def ask_small(path: s.ShotPath) -> Response:
    """Small pictures of a shot and its options, traced by the worker: asked for again until they are ready."""
    smalls = []
    for state in _all(library_at_hand().shot(path.shot_id)):
        reply = Asked(library_at_hand().data).ask(small_question(state.shot), queue_at_hand())
        picture = s.PieceOut(name=reply.name, ready=reply.path is not None, reason=reply.reason)
        smalls.append(s.SmallOut(shot=state.id, picture=picture))
    return answer(s.SmallsOut(smalls=smalls))


@options.get(
    "/shots/<string:shot_id>/options/renders", operation_id="listOptionsRenders", responses={200: s.RendersOut}
)
def list_options_renders(path: s.ShotPath) -> Response:
    """The newest renders of a shot and of each of its options."""
    library = library_at_hand()
    states = _all(library.shot(path.shot_id))
    told = [render_out(one, state) for state in states for one in library.renders(state.id, limit=SHOWN)]
    return answer(s.RendersOut(renders=told))


@options.post("/shots/<string:shot_id>/options/renders", operation_id="renderOptions", responses={201: s.RendersOut})
def render_options(path: s.ShotPath, body: s.OptionsRendered) -> Response:
    """Render the shot and all its options, but for those whose picture is there already; what stopped goes on."""
    library, states = library_at_hand(), _all(library_at_hand().shot(path.shot_id))
    for state in states:
        refuse_unready(state.shot, body.quality)
    begun = [render for state in states if (render := _begun(library, state, body.quality))]
    for render in begun:
        queue_at_hand().put(render.id, render.quality)
    return answer(s.RendersOut(renders=[render_out(render) for render in begun]), 201)


def _begun(library: Library, state: ShotState, quality: str) -> Render | None:
    """A render that is to be put in line for a shot or an option; None if there is one already."""
    newest = next((one for one in library.renders(state.id) if one.quality == quality and not one.part), None)
    if newest is not None and render_out(newest, state).current:
        if newest.state == "done" or newest.state in BUSY:
            return None
        return library.restart_render(newest.id)
    return library.add_render(state.id, quality)

"""The questions that a shot asks of the solvers."""

from __future__ import annotations

from pydantic import ValidationError

from lithopos.core.camera.problem import CameraProblem, ImageSize, LengthIn, LineIn
from lithopos.core.errors import InputError, input_error_from
from lithopos.core.shot import Shot, SolvedCamera

# What is built is no perfectly straight line: a refined edge is taken to be known no better than so [px].
EDGE_SIGMA_PX = 0.4

__all__ = ["camera_problem_of"]


def camera_problem_of(shot: Shot, level_heights: dict[str, float] | None = None) -> CameraProblem:
    """The camera question that a shot asks: `lengths` first, then one plumb length for each level with a foot.

    Parameters
    ----------
    level_heights : heights [m] of levels that are themselves measured, where they are known by now.

    Raises
    ------
    InputError
        If the shot has no photograph, or an edge has no length.
    """
    if shot.photograph is None:
        raise InputError("photograph", "is missing")
    lines = []
    for number, edge in enumerate(shot.edges):
        try:
            sharp = None if edge.by_hand else edge.sharp
            sigma_px = max(sharp.sigma_px, EDGE_SIGMA_PX) if sharp else None
            lines.append(LineIn(family=edge.run, points=sharp.points if sharp else edge.points, sigma_px=sigma_px))
        except ValidationError as error:
            raise InputError(f"edges[{number}]", input_error_from(error).cause) from error
    solved = shot.camera if isinstance(shot.camera, SolvedCamera) else SolvedCamera()
    return CameraProblem(
        image=ImageSize(width=shot.photograph.width, height=shot.photograph.height),
        focal_35mm=solved.focal_35mm,
        focal_prior=None if solved.focal_35mm else solved.focal_prior,
        principal_point=solved.principal_point,
        distortion=solved.distortion,
        robust=solved.robust,
        x_along=solved.x_along,
        camera_height=solved.height,
        lines=lines,
        origin=shot.origin,
        lengths=_lengths_of(shot, level_heights or {}),
    )


def _lengths_of(shot: Shot, level_heights: dict[str, float]) -> list[LengthIn]:
    heights = {level.id: level.height_m for level in shot.levels}
    found = []
    for length in shot.lengths:
        height = 0.0 if length.level is None else heights[length.level]
        values = length.model_dump(by_alias=True, exclude={"id", "level"})
        values["level_m"] = height if height is not None else level_heights.get(length.level or "", 0.0)
        found.append(LengthIn.model_validate(values))
    for level in shot.levels:
        if level.foot is not None:
            known = abs(level.height_m) if level.height_m else None
            found.append(
                LengthIn.model_validate(
                    {"on": "plumb", "from": level.foot, "to": level.at, "foot": level.foot, "metres": known}
                )
            )
    return found

"""The Perspective step: marked edges, and how the camera follows from them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lithopos.core.camera.problem import FocalPrior, HandCamera, KnownHeight, Pixel, Positive, Run, XAxis
from lithopos.core.marks.sharp import SharpLine
from lithopos.core.shot.parts import DocumentPart, Identity

__all__ = ["Edge", "HandCamera", "SolvedCamera"]


class Edge(DocumentPart):
    """A straight thing marked in the photograph, two points or more along it [px].

    `points` are as drawn; `sharp` is what lies there in the picture, and is used unless the edge is to stay `by_hand`.
    """

    id: Identity
    run: Run
    points: Annotated[list[Pixel], Field(min_length=2, max_length=1000)]
    sharp: SharpLine | None = None
    by_hand: bool = False


class SolvedCamera(DocumentPart):
    """The camera follows from the edges.

    Attributes
    ----------
    focal_35mm : a known focal length, held as it is; `focal_prior` is one that is only expected.
    principal_point : the picture's centre, or solved for as soon as the edges can bear it (a cropped picture).
    distortion : solved for as soon as the edges can bear it, where asked for.
    robust : set aside edges that contradict all the others.
    height : the camera's known height above the ground.
    x_along : which way along which run the world's x axis points.
    """

    kind: Literal["solved"] = "solved"
    focal_35mm: Positive | None = None
    focal_prior: FocalPrior | None = None
    principal_point: Literal["centre", "free"] = "centre"
    distortion: Literal["none", "solve"] = "none"
    robust: bool = True
    height: KnownHeight | None = None
    x_along: XAxis = "a"

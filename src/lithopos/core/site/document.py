"""The site's document: photographs of one place, and what is the same in them."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args, get_origin

from pydantic import Field, FiniteFloat, ValidationError, model_validator

from lithopos.core.camera.problem import Pixel, Positive
from lithopos.core.errors import InputError, input_error_from
from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Name

Far = Annotated[FiniteFloat, Field(ge=-1e8, le=1e8)]
Tape = Annotated[FiniteFloat, Field(ge=0, le=1000)]

__all__ = ["LISTS", "Known", "Member", "Site", "SiteLength", "Tie", "load_site"]


class Member(DocumentPart):
    """A photograph of the site: a shot, by its name.

    Attributes
    ----------
    shot : where its file lies, in a site that is itself a file.
    runs : which of the first photograph's runs its own run A is parallel to; `own`: its runs are other ones.
    """

    id: Identity
    shot: FileName | None = None
    runs: Literal["own", "a", "b"] = "own"


class Known(DocumentPart):
    """A surveyor's coordinates, in their own frame; `plus_minus_m` is how far each can be trusted (95 %)."""

    east_m: Far
    north_m: Far
    height_m: Far | None = None
    plus_minus_m: Tape = 0.02


class Tie(DocumentPart):
    """One thing of the place: where photographs show it [px, by their shots' names], and what is known of it.

    Attributes
    ----------
    on_ground : it lies on the ground.
    known : surveyed; then it may be seen in a single photograph.
    aside : it does not count.
    """

    id: Identity
    name: Name = ""
    on_ground: bool = False
    seen: Annotated[dict[Identity, Pixel], Field(max_length=40)] = {}
    known: Known | None = None
    aside: bool = False


class SiteLength(DocumentPart):
    """A known length between two ties."""

    id: Identity
    from_: Annotated[Identity, Field(alias="from")]
    to: Identity
    metres: Positive
    plus_minus_m: Tape = 0.0


class Site(DocumentPart):
    """Photographs of one place, tied together; the first one's frame is the site's.

    Attributes
    ----------
    one_sun : they were taken at one time, so that one sun shines in all of them.
    fills_in : what one of them does not show, a render takes from the others.
    """

    format: Literal[1] = 1
    name: Name = ""
    members: Annotated[list[Member], Field(max_length=40)] = []
    ties: Annotated[list[Tie], Field(max_length=1000)] = []
    lengths: Annotated[list[SiteLength], Field(max_length=200)] = []
    one_sun: bool = False
    fills_in: bool = True

    @model_validator(mode="after")
    def _names_are_known(self) -> Site:
        for things in (self.members, self.ties, self.lengths):
            names = [thing.id for thing in things]
            if len(set(names)) < len(names):
                raise ValueError("two things have the same id")
        members, ties = {one.id for one in self.members}, {one.id for one in self.ties}
        for tie in self.ties:
            if strange := set(tie.seen) - members:
                raise ValueError(f"tie {tie.id!r} is seen in {min(strange)!r}, which is none of the site's photographs")
        for length in self.lengths:
            if strange := {length.from_, length.to} - ties:
                raise ValueError(f"length {length.id!r} ends at {min(strange)!r}, which is no tie")
            if length.from_ == length.to:
                raise ValueError(f"length {length.id!r} begins and ends at the same tie")
        return self


# The lists whose things have identities, by which changes address them.
LISTS = tuple(
    name
    for name, field in Site.model_fields.items()
    if get_origin(field.annotation) is list and "id" in get_args(field.annotation)[0].model_fields
)


def load_site(data: Any) -> Site:
    """A site from decoded JSON.

    Raises
    ------
    InputError
        Naming the first wrong field.
    """
    if not isinstance(data, dict):
        raise InputError("", "a site is a JSON object")
    try:
        return Site.model_validate(data)
    except ValidationError as error:
        raise input_error_from(error) from error

"""What the parts of the document share: a strict base, names of files, identities, lengths."""

from __future__ import annotations

import re
from pathlib import PurePosixPath
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, FiniteFloat

__all__ = ["DocumentPart", "FileName", "Identity", "Metres", "Name"]


def _safe_name(name: str) -> str:
    if re.fullmatch(r"sha256:[0-9a-f]{64}", name):
        return name
    path = PurePosixPath(name)
    if not name or "\\" in name or not name.isprintable() or path.is_absolute() or ".." in path.parts:
        raise ValueError("leads outside the shot's folder; name files by a path below it")
    return name


FileName = Annotated[str, Field(max_length=400), AfterValidator(_safe_name)]
Identity = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Name = Annotated[str, Field(max_length=200)]
Metres = Annotated[FiniteFloat, Field(ge=-10_000, le=10_000)]


class DocumentPart(BaseModel):
    """A part of the document: unknown fields are refused by name."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)

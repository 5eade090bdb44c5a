"""A surveyor's coordinates from a table of text: name, east, north, height and how far to be trusted."""

from __future__ import annotations

import csv
import io

from pydantic import ValidationError

from lithopos.core.errors import InputError, input_error_from
from lithopos.core.site.document import Known

MOST_ROWS = 1000

__all__ = ["read_coordinates"]


def read_coordinates(text: str) -> dict[str, Known]:
    """Points by their names; a first row of words is taken for the columns' titles.

    Columns are parted by tabs, semicolons or commas; beside semicolons and tabs a comma may stand for a decimal point.
    The height may be missing, and so may the last column, ± metres at 95 %.

    Raises
    ------
    InputError
        Naming the row and what is wrong with it.
    """
    separator = next((mark for mark in "\t;" if mark in text), ",")
    rows = [
        [cell.strip() for cell in row] for row in csv.reader(io.StringIO(text.lstrip("\ufeff")), delimiter=separator)
    ]
    numbered = [(number, row) for number, row in enumerate(rows, 1) if any(row)]
    if numbered and len(numbered[0][1]) > 1 and _number(numbered[0][1][1], separator) is None:
        numbered = numbered[1:]
    if not numbered:
        raise InputError("coordinates", "holds no row; each has a name, east, north and perhaps a height and ±")
    if len(numbered) > MOST_ROWS:
        raise InputError("coordinates", f"holds {len(numbered)} rows; {MOST_ROWS} are the most")
    found: dict[str, Known] = {}
    for number, row in numbered:
        if not 3 <= len(row) <= 5:
            raise InputError(f"row {number}", f"has {len(row)} columns; name, east, north, height and ± are wanted")
        if not row[0] or row[0] in found:
            raise InputError(f"row {number}", f"the name {row[0]!r} is there already" if row[0] else "has no name")
        values = [_number(cell, separator) if cell else None for cell in row[1:]]
        wrong = next((cell for cell, value in zip(row[1:], values, strict=True) if cell and value is None), None)
        if wrong is not None:
            raise InputError(f"row {number}", f"{wrong!r} is no number")
        east, north, height, wide = [*values, None, None][:4]
        try:
            told = {"east_m": east, "north_m": north, "height_m": height}
            found[row[0][:200]] = Known.model_validate(told | ({"plus_minus_m": wide} if wide is not None else {}))
        except ValidationError as error:
            raise InputError(f"row {number}", str(input_error_from(error))) from error
    return found


def _number(cell: str, separator: str) -> float | None:
    plain = cell.replace("\u2212", "-").replace(" ", "")
    try:
        return float(plain if separator == "," else plain.replace(",", "."))
    except ValueError:
        return None

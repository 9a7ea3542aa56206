"""Curves as CSV: RFC 4180, one point a row, SI values with their units in the header."""

import csv
import io

from calm_needle.core.pictures import Curves


def write_curves(picture: Curves) -> str:
    """Return every point of every line as CSV text."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(("line", f"x ({picture.x_unit})", f"y ({picture.y_unit})"))
    for line in picture.lines:
        writer.writerows((line.name, repr(float(x)), repr(float(y))) for x, y in line.points)
    return out.getvalue()

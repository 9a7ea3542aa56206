"""A document about a job in numbers: chapters of tables, lines and curves. Page, print, file and PDF word them, each in its way."""

from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

from calm_needle.core.pictures import Curves
from calm_needle.core.procedure.report import Amount, Cell, Row


class Table(NamedTuple):
    """A table: its title, what its columns are, and rows of cells."""

    title: str
    columns: tuple[str, ...]
    rows: tuple[Row, ...]


class Lines(NamedTuple):
    """What stands in words only: something a person wrote, or a verdict."""

    title: str
    lines: tuple[str, ...]


class Drawn(NamedTuple):
    """A curve."""

    title: str
    picture: Curves


class Photograph(NamedTuple):
    """A photograph: its numbers in the store, what is in it as a digest, what it shows, the labels of its pins."""

    job_id: int
    id: int
    sha256: str
    caption: str
    pins: tuple[str, ...]


class Shown(NamedTuple):
    """Photographs that somebody chose."""

    title: str
    photographs: tuple[Photograph, ...]


Block = Table | Lines | Drawn | Shown


class Chapter(NamedTuple):
    """A part of the document. stale: why its figures no longer stand, empty where they do; empty: what is said where there is nothing."""

    name: str
    title: str
    blocks: tuple[Block, ...]
    stale: str = ""
    empty: str = "Nothing is written down of it."


def plain(chapters: Iterable[Chapter]) -> list[dict[str, Any]]:
    """Return chapters as JSON holds them: numbers stay numbers, with their units and readings."""
    return [{"name": c.name, "title": c.title, "stale": c.stale, "blocks": [_block(b) for b in c.blocks]} for c in chapters]


def _block(block: Block) -> dict[str, Any]:
    match block:
        case Table():
            rows = [{"name": r.name, "cells": [_cell(c) for c in r.cells]} for r in block.rows]
            return {"title": block.title, "columns": list(block.columns), "rows": rows}
        case Lines():
            return {"title": block.title, "lines": list(block.lines)}
        case Drawn():
            curves = [{"name": line.name, "points": [list(p) for p in line.points]} for line in block.picture.lines]
            return {"title": block.title, "x_unit": block.picture.x_unit, "y_unit": block.picture.y_unit, "curves": curves}
        case Shown():
            return {
                "title": block.title,
                "photographs": [{"sha256": p.sha256, "caption": p.caption, "pins": list(p.pins)} for p in block.photographs],
            }


def _cell(cell: Cell) -> Any:
    if isinstance(cell, Amount):
        return {"value": cell.value, "unit": cell.unit, **({"readings": list(cell.readings)} if cell.readings else {})}
    return cell


def numbers(chapters: Iterable[Chapter]) -> Iterator[tuple[str, str, str, str, Amount]]:
    """Yield every number of the tables: chapter, table, row, column, and the number."""
    for chapter in chapters:
        for block in chapter.blocks:
            if isinstance(block, Table):
                for row in block.rows:
                    for column, cell in zip(block.columns, row.cells, strict=False):
                        if isinstance(cell, Amount):
                            yield chapter.name, block.title, row.name, column, cell

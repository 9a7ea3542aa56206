"""A document as PDF: chapters of tables, lines and curves; fonts embedded, curves as vectors, the same bytes for the same content."""

from __future__ import annotations

import io
import logging
from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Literal, NamedTuple

from calm_needle.core.chapters import Chapter, Drawn, Lines, Photograph, Shown, Table
from calm_needle.core.procedure.report import Amount, Cell
from calm_needle.core.quantities import format_si
from calm_needle.files.pdf.signs import FACES, FOLDER, SECOND, STAND_IN, lacking, plain
from calm_needle.files.photographs import path_of
from calm_needle.files.svg_picture import FONT, draw

if TYPE_CHECKING:
    from fpdf import FPDF

Paper = Literal["A4", "letter"]
PAPERS: tuple[Paper, ...] = ("A4", "letter")
FAMILY = "Next"
SECOND_FAMILY = "Second"
MARGIN_MM, BODY_PT, SMALL_PT = 18.0, 9.5, 8.0
INK, SLATE, RULE = (28, 38, 41), (81, 94, 99), (210, 203, 190)
NOT_MEASURED = "not measured"
CURVE_MM = 120.0
PHOTOGRAPH_MM = 80.0
log = logging.getLogger(__name__)


class Head(NamedTuple):
    """What stands at the top of the first page, and at the foot of each."""

    title: str
    subject: str
    lines: tuple[str, ...]
    foot: str
    keywords: str = ""


def cell_words(cell: Cell) -> str:
    """Return a cell as paper shows it."""
    if cell is None:
        return NOT_MEASURED
    if isinstance(cell, str):
        return cell
    return format_si(cell.value, unit=cell.unit, digits=4 if cell.unit == "Hz" else 3, signed=cell.signed)


def write(
    head: Head,
    chapters: Sequence[Chapter],
    *,
    paper: Paper = "A4",
    at: datetime,
    attached: Sequence[tuple[str, bytes]] = (),
    words: Callable[[Cell], str] = cell_words,
    pictures: Path | None = None,
) -> bytes:
    """Return a document as PDF. at: the moment it is dated with; attached: files within it, by name; pictures: the folder in which
    photographs lie. A sign for which neither face has a glyph is printed as a stand-in, and where that was so is said at the end."""
    pdf = _blank(paper, at=at, title=f"{head.title}: {head.subject}", keywords=head.keywords, foot=head.foot)
    pdf.add_page()
    pdf.set_font(FAMILY, "B", 20)
    pdf.multi_cell(0, 9, plain(head.title), new_x="LMARGIN", new_y="NEXT")
    pdf.set_font(FAMILY, "B", 13)
    pdf.multi_cell(0, 7, plain(head.subject), new_x="LMARGIN", new_y="NEXT")
    pdf.set_font(FAMILY, "", BODY_PT)
    pdf.set_text_color(*SLATE)
    for line in head.lines:
        pdf.multi_cell(0, 5, plain(line), new_x="LMARGIN", new_y="NEXT")
    pdf.set_text_color(*INK)
    for chapter in chapters:
        _chapter(pdf, chapter, words, pictures)
    if places := _places_of_stand_ins(head, chapters, words):
        pdf.ln(3)
        _words(pdf, f"{STAND_IN} stands for a sign that these fonts do not have: {'; '.join(places)}.")
    for name, content in attached:
        pdf.embed_file(basename=name, bytes=content, desc=head.title, creation_date=at, modification_date=at, compress=True)
    return _bytes(pdf)


def label(title: str, lines: Iterable[str], *, qr_svg: str, at: datetime, size_mm: tuple[float, float] = (62.0, 29.0)) -> bytes:
    """Return a label as PDF: a code at the left, words beside it."""
    pdf = _blank(size_mm, at=at, title=title, keywords="", foot="")
    pdf.set_margin(2.0)
    pdf.set_auto_page_break(auto=False)
    pdf.add_page()
    high = size_mm[1] - 4.0
    pdf.image(io.BytesIO(qr_svg.encode()), x=2.0, y=2.0, w=high, h=high)
    pdf.set_xy(high + 4.0, 3.0)
    pdf.set_font(FAMILY, "B", 9)
    pdf.multi_cell(size_mm[0] - high - 6.0, 4.0, plain(title), new_x="LEFT", new_y="NEXT")
    pdf.set_font(FAMILY, "", 7)
    for line in lines:
        pdf.multi_cell(size_mm[0] - high - 6.0, 3.4, plain(line), new_x="LEFT", new_y="NEXT")
    return _bytes(pdf)


def _blank(paper: Paper | tuple[float, float], *, at: datetime, title: str, keywords: str, foot: str) -> FPDF:
    from fpdf import FPDF  # slow to load

    class Document(FPDF):
        def footer(self) -> None:
            if not foot:
                return
            self.set_y(-13)
            self.set_font(FAMILY, "", SMALL_PT - 1)
            self.set_text_color(*SLATE)
            self.cell(0, 4, plain(foot), align="L")
            self.set_x(-MARGIN_MM - 30)
            self.cell(30, 4, f"{self.page_no()}", align="R")
            self.set_text_color(*INK)

    pdf = Document(format=paper if isinstance(paper, str) else (min(paper), max(paper)), orientation="P" if isinstance(paper, str) else "L")
    pdf.set_creation_date(at)
    pdf.set_title(title)
    pdf.set_producer("Calm Needle")
    pdf.set_creator("Calm Needle")
    if keywords:
        pdf.set_keywords(keywords)
    for style, name in FACES.items():
        with resources.as_file(FOLDER.joinpath(name)) as file:
            pdf.add_font(FAMILY, style, str(file))
    with resources.as_file(FOLDER.joinpath(SECOND)) as file:
        pdf.add_font(SECOND_FAMILY, "", str(file))
    pdf.set_fallback_fonts([SECOND_FAMILY], exact_match=False)
    pdf.set_margin(MARGIN_MM)
    pdf.set_auto_page_break(auto=True, margin=18)
    pdf.set_text_color(*INK)
    pdf.set_draw_color(*RULE)
    return pdf


def _bytes(pdf: FPDF) -> bytes:
    missing: list[str] = []
    watch = _Missing(missing)
    logger = logging.getLogger("fpdf")
    logger.addHandler(watch)
    try:
        content = bytes(pdf.output())
    finally:
        logger.removeHandler(watch)
    if missing:
        raise ValueError(f"The face lacks signs: {missing[0]}")
    return content


class _Missing(logging.Handler):
    """Collects what the library says of signs that it has dropped."""

    def __init__(self, found: list[str]) -> None:
        super().__init__(logging.WARNING)
        self._found = found

    def emit(self, record: logging.LogRecord) -> None:
        if "glyph" in record.getMessage():
            self._found.append(record.getMessage())


def _places_of_stand_ins(head: Head, chapters: Sequence[Chapter], words: Callable[[Cell], str]) -> list[str]:
    """Where signs stand that no face has: by chapter, and row or table."""
    found = ["the heading"] if any(lacking(text) for text in (head.title, head.subject, *head.lines)) else []
    for chapter in chapters:
        for block in chapter.blocks:
            match block:
                case Table():
                    rows = [row for row in block.rows if any(lacking(text) for text in (row.name, *(words(c) for c in row.cells)))]
                    found += [f"{chapter.title}, {row.name}" for row in rows]
                case Lines():
                    found += [f"{chapter.title}, {block.title or line[:40]}" for line in block.lines if lacking(line)]
                case Shown():
                    found += [f"{chapter.title}, {p.caption}" for p in block.photographs if lacking(p.caption) or any(map(lacking, p.pins))]
    return [plain(place) for place in dict.fromkeys(found)]


def _chapter(pdf: FPDF, chapter: Chapter, words: Callable[[Cell], str], pictures: Path | None) -> None:
    pdf.ln(4)
    if pdf.will_page_break(24):
        pdf.add_page()
    pdf.set_font(FAMILY, "B", 12)
    pdf.multi_cell(0, 6.5, plain(chapter.title), new_x="LMARGIN", new_y="NEXT")
    pdf.line(pdf.l_margin, pdf.get_y(), pdf.w - pdf.r_margin, pdf.get_y())
    pdf.ln(1)
    if chapter.stale:
        _words(pdf, f"No longer stands: {chapter.stale}.", bold=True)
    if not chapter.blocks:
        _words(pdf, chapter.empty)
    for block in chapter.blocks:
        match block:
            case Table():
                _table(pdf, block, words)
            case Lines():
                if block.title:
                    _words(pdf, block.title, bold=True)
                for line in block.lines:
                    _words(pdf, f"– {line}" if block.title else line)
            case Drawn():
                _drawn(pdf, block)
            case Shown():
                for photograph in block.photographs:
                    _photograph(pdf, photograph, pictures)


def _words(pdf: FPDF, text: str, *, bold: bool = False) -> None:
    pdf.set_font(FAMILY, "B" if bold else "", BODY_PT)
    pdf.multi_cell(0, 4.8, plain(text), new_x="LMARGIN", new_y="NEXT")


def _table(pdf: FPDF, table: Table, words: Callable[[Cell], str]) -> None:
    from fpdf.fonts import FontFace

    if not table.rows:
        return
    if pdf.will_page_break(20):
        pdf.add_page()
    if table.title:
        _words(pdf, table.title, bold=True)
    pdf.set_font(FAMILY, "", SMALL_PT)
    rows = [[plain(row.name), *(plain(words(c)) for c in _padded(row.cells, len(table.columns)))] for row in table.rows]
    heads = ["", *(plain(c) for c in table.columns)]
    widths = [_wide(max(max(len(r[i]) for r in rows), min(len(heads[i]), 14))) for i in range(len(heads))]
    numeric = [any(isinstance(row.cells[i], Amount) for row in table.rows if i < len(row.cells)) for i in range(len(table.columns))]
    with pdf.table(
        col_widths=tuple(widths),
        text_align=("LEFT", *("RIGHT" if n else "LEFT" for n in numeric)),
        line_height=4.2,
        borders_layout="HORIZONTAL_LINES",
        headings_style=FontFace(emphasis="BOLD", color=SLATE),
        first_row_as_headings=True,
        padding=0.7,
    ) as drawn:
        for cells in (heads, *rows):
            line = drawn.row()
            for text in cells:
                line.cell(text)
    pdf.ln(1.5)


def _wide(letters: int) -> float:
    """The share of the width that a column gets: figures are not broken, sentences may be."""
    return min(1.5 * letters + 2.0, 30.0 + 0.25 * letters, 48.0)


def _padded(cells: Sequence[Cell], wanted: int) -> list[Cell]:
    return [*cells, *([""] * (wanted - len(cells)))][:wanted]


def _photograph(pdf: FPDF, photograph: Photograph, pictures: Path | None) -> None:
    """Its small copy, which is sharp enough at this size, over what it shows."""
    file = path_of(pictures, photograph.sha256, small=True) if pictures else None
    if file and file.is_file():
        if pdf.will_page_break(1.4 * PHOTOGRAPH_MM):
            pdf.add_page()
        pdf.image(file, w=PHOTOGRAPH_MM)
    pins = f": {', '.join(photograph.pins)}" if photograph.pins else ""
    _words(pdf, f"{photograph.caption}{pins}{'' if file and file.is_file() else ' (the picture is not at hand)'}")
    pdf.ln(1.5)


def _drawn(pdf: FPDF, block: Drawn) -> None:
    svg = plain(str(draw(block.picture, standalone=True)), second=False).replace(FONT, FAMILY)
    if pdf.will_page_break(68):
        pdf.add_page()
    if block.title:
        _words(pdf, block.title, bold=True)
    pdf.image(io.BytesIO(svg.encode()), w=CURVE_MM)
    pdf.ln(1.5)

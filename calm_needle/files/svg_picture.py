"""Pictures as SVG: direct labels instead of legends, presentation attributes only, so that page, print and file share them."""

import math
from collections.abc import Callable, Sequence

from markupsafe import Markup, escape

from calm_needle.core.pictures import Curves, Ink, Lanes, Mark, Picture, Place, PrintedScale, Scale, Stack, Switches, Taps, Winding
from calm_needle.core.quantities import LOGARITHMIC, STEPS, TRUE_MINUS, format_plain, format_si

WIDTH, HEIGHT = 640.0, 280.0
LEFT, RIGHT, TOP, BOTTOM = 58.0, 96.0, 34.0, 38.0
LANE = 26.0  # height of one
DECADES, MOST_TICKS = 20.0, 8  # times, from which a logarithmic axis is marked by decades; that have room on it
LETTER = 6.9  # width of a letter at 13 px, on average
FONT = "Atkinson Hyperlegible Next Variable, Atkinson Units, sans-serif"
STANDALONE_INK = {
    "ink": "#1C2629",
    "slate": "#515E63",
    "rule": "#E1DACB",
    "before": "#8A5603",
    "after": "#0B6B75",
    "moss": "#3D6731",
    "madder": "#A8322A",
}


class _Pen:
    """Writes SVG elements; colours are classes of the page, or fixed ones for a file that stands alone."""

    def __init__(self, *, standalone: bool) -> None:
        self._standalone = standalone
        self.parts: list[str] = []

    def line(self, x1: float, y1: float, x2: float, y2: float, ink: Ink, *, width: float = 1.0, dash: str = "") -> None:
        dashed = f' stroke-dasharray="{dash}"' if dash else ""
        self.parts.append(
            f'<line x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" {self._stroke(ink)} stroke-width="{width:g}"{dashed}/>'
        )

    def path(self, d: str, ink: Ink, *, width: float = 2.2, dash: str = "", filled: bool = False) -> None:
        dashed = f' stroke-dasharray="{dash}"' if dash else ""
        paint = self._fill(ink) if filled else f'fill="none" {self._stroke(ink)} stroke-width="{width:g}" stroke-linejoin="round"{dashed}'
        self.parts.append(f'<path d="{d}" {paint}/>')

    def circle(self, x: float, y: float, r: float, ink: Ink, *, filled: bool = True) -> None:
        paint = self._fill(ink) if filled else f'fill="none" {self._stroke(ink)} stroke-width="1.4"'
        self.parts.append(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{r:g}" {paint}/>')

    def box(self, x: float, y: float, w: float, h: float, ink: Ink, *, filled: bool, round_: float = 6.0, pale: bool = False) -> None:
        opacity = ' opacity="0.18"' if pale else ""
        paint = self._fill(ink) if filled else f'fill="none" {self._stroke(ink)} stroke-width="1.4"'
        self.parts.append(f'<rect x="{x:.1f}" y="{y:.1f}" width="{max(w, 0.5):.1f}" height="{h:.1f}" rx="{round_:g}" {paint}{opacity}/>')

    def text(self, x: float, y: float, words: str, ink: Ink, *, anchor: str = "middle", bold: bool = False, on_dark: bool = False) -> None:
        weight = ' font-weight="700"' if bold else ""
        paint = ('fill="#FFFFFF"' if self._standalone else 'class="fill-ground"') if on_dark else self._fill(ink)
        self.parts.append(f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}"{weight} {paint}>{escape(words)}</text>')

    def finish(self, words: str, height: float, *, width: float = WIDTH) -> Markup:
        head = (
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:.0f} {height:.0f}" role="img" '
            f'aria-label="{escape(words)}" font-family="{FONT}" font-size="13">'
        )
        return Markup(head + "".join(self.parts) + "</svg>")

    def _stroke(self, ink: Ink) -> str:
        return f'stroke="{STANDALONE_INK[ink]}"' if self._standalone else f'class="stroke-{ink}"'

    def _fill(self, ink: Ink) -> str:
        return f'fill="{STANDALONE_INK[ink]}"' if self._standalone else f'class="fill-{ink}"'


def draw(picture: Picture, *, standalone: bool = False) -> Markup:
    """Return a picture as SVG. standalone: with colours of its own, for a file; otherwise with the page's classes."""
    pen = _Pen(standalone=standalone)
    match picture:
        case Curves():
            return _curves(pen, picture)
        case Scale():
            return _scale(pen, picture)
        case Switches():
            return _switches(pen, picture)
        case Winding():
            return _winding(pen, picture)
        case Taps():
            return _taps(pen, picture)
        case Stack():
            return _stack(picture, standalone=standalone)
        case Lanes():
            return _lanes(pen, picture)
        case PrintedScale():
            return _printed(pen, picture)


def _curves(pen: _Pen, c: Curves) -> Markup:
    points = [p for line in c.lines for p in line.points]
    xs = [x for x, _ in points] + [m.x for m in c.marks]
    ys = [y for _, y in points] + [m.y for m in c.marks if m.y is not None]
    x_low, x_high = _widened(min(xs), max(xs), log=c.log_x)
    y_low, y_high = min(ys), max(ys)
    if c.band and c.band[1] - c.band[0] < 6.0 * (y_high - y_low + 1e-300):
        y_low, y_high = min(y_low, c.band[0]), max(y_high, c.band[1])
    y_low, y_high = _widened(y_low, y_high)
    y_ticks = _ticks(y_low, y_high, 6, c.y_unit)
    y_low, y_high = min(y_low, y_ticks[0]), max(y_high, y_ticks[-1])

    def x(v: float) -> float:
        share = math.log(v / x_low) / math.log(x_high / x_low) if c.log_x else (v - x_low) / (x_high - x_low)
        return LEFT + share * (WIDTH - LEFT - RIGHT)

    def y(v: float) -> float:
        return TOP + (y_high - v) / (y_high - y_low) * (HEIGHT - TOP - BOTTOM)

    if c.band:
        top, bottom = max(y(min(c.band[1], y_high)), TOP), min(y(max(c.band[0], y_low)), HEIGHT - BOTTOM)
        pen.box(LEFT, top, WIDTH - LEFT - RIGHT, bottom - top, "moss", filled=True, round_=0, pale=True)
    x_ticks = _few_decade_ticks(x_low, x_high) if c.log_x and x_high > DECADES * x_low else _ticks(x_low, x_high, 7, c.x_unit)
    _axes(pen, c, x, y, x_ticks, y_ticks, by_itself=c.log_x and x_high > DECADES * x_low)
    for place, row in _rows([(x(m.x), m.name) for m in c.marks if m.name], LETTER):
        _mark(pen, c.marks, place, row, x, y)
    ends = []
    for line in c.lines:
        d = " ".join(f"{'M' if i == 0 else 'L'}{x(px):.1f} {y(py):.1f}" for i, (px, py) in enumerate(line.points))
        pen.path(d, line.ink, dash="6 5" if line.dashed else "", width=1.4 if line.ink == "rule" else 2.2)
        if line.dots and len(line.points) <= 60:
            for px, py in line.points:
                pen.circle(x(px), y(py), 3.2, line.ink)
        if line.name:
            ends.append((y(line.points[-1][1]), line.name, line.ink))
    for mark in c.marks:
        if mark.y is not None:
            pen.circle(x(mark.x), y(mark.y), 5.0, mark.ink)
    for height, name, ink in _spread(ends):
        if len(name) * LETTER > RIGHT - 10:
            pen.text(WIDTH - 2, height - 8, name, ink, anchor="end", bold=True)  # longer than the margin: over its end
        else:
            pen.text(WIDTH - RIGHT + 8, height + 4, name, ink, anchor="start", bold=True)
    named = ", ".join(line.name for line in c.lines if line.name)
    return pen.finish(f"{c.title}: {named}", HEIGHT)


def _axes(
    pen: _Pen,
    c: Curves,
    x: Callable[[float], float],
    y: Callable[[float], float],
    x_ticks: list[float],
    y_ticks: list[float],
    *,
    by_itself: bool,
) -> None:
    """Both axes; by_itself: each tick along has a prefix of its own, as over many decades."""
    y_factor, y_unit = _prefix(max(abs(v) for v in y_ticks), c.y_unit)
    for v in y_ticks:
        pen.line(LEFT, y(v), WIDTH - RIGHT, y(v), "slate" if v == 0 else "rule")
        pen.text(LEFT - 8, y(v) + 4, _plain(v / y_factor, (y_ticks[-1] - y_ticks[0]) / y_factor), "slate", anchor="end")
    x_factor, x_unit = _prefix(max(abs(v) for v in x_ticks), c.x_unit)
    for v in x_ticks:
        pen.line(x(v), HEIGHT - BOTTOM, x(v), HEIGHT - BOTTOM + 5, "slate")
        alone = format_plain(v, unit=c.x_unit, digits=2) if by_itself else ""
        pen.text(x(v), HEIGHT - BOTTOM + 19, alone or _plain(v / x_factor, (x_ticks[-1] - x_ticks[0]) / x_factor), "slate")
    if not by_itself:
        pen.text(WIDTH - RIGHT + 22, HEIGHT - BOTTOM + 19, x_unit, "slate", anchor="start")
    pen.text(LEFT - 8, TOP - 16, y_unit, "slate", anchor="end")


def _mark(pen: _Pen, marks: Sequence[Mark], name: str, row: int, x: Callable[[float], float], y: Callable[[float], float]) -> None:
    for mark in marks:
        if mark.name == name:
            pen.line(x(mark.x), TOP - 2, x(mark.x), HEIGHT - BOTTOM, mark.ink, dash="3 4")
            pen.text(x(mark.x), TOP - 7 - 14 * row, name, mark.ink)


def _scale(pen: _Pen, s: Scale) -> Markup:
    values = [p.value for p in s.places] + list(s.band or ())
    log = s.log and min(p.value for p in s.places) > 0
    low, high = _widened(min(v for v in values if v > 0) if log else min(values), max(values), log=log, share=0.08)

    def x(v: float) -> float:
        share = math.log(max(v, low) / low) / math.log(high / low) if log else (v - low) / (high - low)
        return 40.0 + share * (WIDTH - 80.0)

    labels = [(p, p.name if p.named else f"{p.name} {format_si(p.value, unit=s.unit, digits=s.digits)}") for p in s.places]
    rows = _rows([(x(p.value), words) for p, words in labels], LETTER)
    most = max(row for _, row in rows)
    base = 30.0 + 24.0 * (most + 1)
    if s.band:
        left, right = x(max(s.band[0], low)), x(s.band[1])
        pen.box(left, base - 7, right - left, 14, "moss", filled=True, round_=3, pale=True)
    pen.line(24, base, WIDTH - 24, base, "ink", width=1.8)
    drawn = dict(rows)
    for place, words in labels:
        at, height = x(place.value), base - 20 - 24 * drawn[words]
        _place(pen, place, at, base)
        pen.line(at, height + 6, at, base - 9, "rule")
        half = len(words) * LETTER / 2.0
        pen.text(
            min(max(at, half + 4), WIDTH - half - 4),
            height,
            words,
            "after" if place.kind == "wanted" else "ink",
            bold=place.kind == "wanted",
        )
    ends = " to ".join(format_si(v, unit=s.unit, digits=max(3, s.digits - 1)) for v in (low, high))
    pen.text(WIDTH / 2.0, base + 30, f"{ends}, {'decades evenly spaced' if log else 'evenly divided'}", "slate")
    return pen.finish(f"{s.title}: " + "; ".join(words for _, words in labels), base + 42)


def _place(pen: _Pen, place: Place, x: float, y: float) -> None:
    """A shape of its own for each kind, so that colour never speaks alone."""
    if place.kind == "wanted":
        pen.path(f"M{x:.1f} {y - 10:.1f} l7 10 l-7 10 l-7 -10 z", "after", filled=True)
    elif place.kind == "danger":
        pen.path(f"M{x:.1f} {y - 9:.1f} l8 15 h-16 z", "madder", filled=True)
    elif place.kind == "limit":
        pen.line(x, y - 10, x, y + 10, "ink", width=3)
    else:
        pen.circle(x, y, 5, "ink")


def _switches(pen: _Pen, s: Switches) -> Markup:
    pads = list(s.pads_db)[:10]
    left = list(s.thrown_db)
    width = min(76.0, (WIDTH - 40.0) / max(1, len(pads)))
    for i, pad in enumerate(pads):
        thrown = pad in left
        if thrown:
            left.remove(pad)
        x = 20.0 + i * width
        pen.box(x + 4, 24, width - 8, 74, "ink", filled=False, round_=10)
        pen.box(x + 10, 30 if thrown else 62, width - 20, 30, "ink" if thrown else "slate", filled=thrown)
        pen.text(x + width / 2, 50 if thrown else 82, f"{pad:g}", "slate", bold=True, on_dark=thrown)
        pen.text(x + width / 2, 118, "thrown" if thrown else "out", "ink" if thrown else "slate", bold=thrown)
    said = f"{s.total_db:g} dB thrown, {s.remainder_db:.3g} dB left for the generator"
    pen.text(24, 148, said, "after", anchor="start", bold=True)
    return pen.finish(f"{s.title}: {'; '.join(f'{p:g} dB' for p in s.thrown_db) or 'none'}. {said}", 160)


def _winding(pen: _Pen, w: Winding) -> Markup:
    """The coil cut along its axis: above and below the former, one circle a turn as far as they can be drawn apart."""
    outer = w.inner_radius_m + w.depth_m
    scale = min(420.0 / max(w.length_m, 1e-9), 80.0 / max(outer, 1e-9))
    half = w.length_m * scale / 2.0
    inner, depth = w.inner_radius_m * scale, max(w.depth_m * scale, 0.0)
    middle, centre = 110.0, WIDTH / 2.0 - 40.0
    layers = 1 if depth < 4.0 else max(1, min(8, round(math.sqrt(w.turns * depth / max(2.0 * half, 1.0)))))
    per_layer = max(1, min(48, round(w.turns / layers)))
    r = max(1.2, min(5.0, half / per_layer * 0.85, depth / layers / 2.0 * 0.9 if layers > 1 else 5.0))
    pen.line(centre - half - 26, middle, centre + half + 26, middle, "slate", dash="8 4 2 4")
    for way in (-1.0, 1.0):
        pen.line(centre - half - 14, middle + way * inner, centre + half + 14, middle + way * inner, "ink", width=1.6)
        for layer in range(layers):
            y = middle + way * (inner + r + 1.0 + layer * (depth / layers if layers > 1 else 2.0 * r))
            for i in range(per_layer):
                pen.circle(centre - half + (i + 0.5) * 2.0 * half / per_layer, y, r, "before", filled=False)
    pen.text(centre, 214, f"{format_si(w.length_m, unit='m', digits=3)} long, {w.turns:.4g} turns", "ink")
    pen.text(
        centre + half + 34, middle - inner + 4, f"inside {format_si(2.0 * w.inner_radius_m, unit='m', digits=3)}", "ink", anchor="start"
    )
    drawn = per_layer * layers
    note = "every turn drawn" if drawn == round(w.turns) else f"{drawn} of {w.turns:.4g} turns drawn"
    pen.text(centre, 232, note, "slate")
    return pen.finish(f"{w.title}: {w.turns:.4g} turns over {format_si(w.length_m, unit='m', digits=3)}", 242)


def _taps(pen: _Pen, t: Taps) -> Markup:
    """The winding as diagrams draw one: half rings between the tags, each stretch with its ohms; an open one is broken."""
    width = WIDTH / 2.0  # it stands in a narrow column
    from_x, to_x, y, humps = 20.0, width - 20.0, 62.0, 4
    wide = (to_x - from_x) / max(1, len(t.ohms))
    said = []
    for i, ohm in enumerate(t.ohms):
        x, broken = from_x + i * wide, math.isinf(ohm)
        r = wide / humps / 2.0
        for n in range(humps):
            if not (broken and n in (1, 2)):
                pen.path(f"M{x + 2 * n * r:.1f} {y} a{r:.1f} {min(r, 22.0):.1f} 0 0 1 {2 * r:.1f} 0", "madder" if broken else "before")
        words = "open" if broken else format_plain(ohm, unit="Ω", digits=3)
        pen.text(x + wide / 2.0, 26, words, "madder" if broken else "ink", bold=True)
        said.append(f"{t.tags[i]} to {t.tags[i + 1]} {words}")
    for i, tag in enumerate(t.tags):
        x = from_x + i * wide
        pen.line(x, y, x, y + 16, "ink", width=1.6)
        pen.circle(x, y + 20, 4.0, "ink", filled=False)
        pen.text(x, y + 42, tag, "ink", bold=True)
    return pen.finish(f"{t.title}: {'; '.join(said)}", 112, width=width)


def _stack(s: Stack, *, standalone: bool) -> Markup:
    """Both curves whole, each with its title, in one picture."""
    pen = _Pen(standalone=standalone)
    for i, curves in enumerate((s.upper, s.lower)):
        top = i * (HEIGHT + 22.0)
        pen.text(LEFT + 8, top + 14, curves.title, "slate", anchor="start", bold=True)
        inner = _Pen(standalone=standalone)
        _curves(inner, curves)
        view = f'y="{top + 18:.0f}" width="{WIDTH:.0f}" height="{HEIGHT:.0f}" viewBox="0 0 {WIDTH:.0f} {HEIGHT:.0f}"'
        pen.parts += [f"<svg {view}>", *inner.parts, "</svg>"]
    return pen.finish(f"{s.title}: {s.upper.title}; {s.lower.title}", 2.0 * HEIGHT + 44.0)


def _rows(labels: Sequence[tuple[float, str]], letter: float) -> list[tuple[str, int]]:
    """Give each label the lowest row in which it overlaps none before it, from the left."""
    ends: list[float] = []
    out = []
    for at, words in sorted(labels):
        half = len(words) * letter / 2.0
        left = min(max(at - half, 4.0), WIDTH - 4.0 - 2.0 * half)
        row = next((i for i, end in enumerate(ends) if end + 8.0 < left), len(ends))
        if row == len(ends):
            ends.append(0.0)
        ends[row] = left + 2.0 * half
        out.append((words, row))
    return out


def _spread(ends: Sequence[tuple[float, str, Ink]]) -> list[tuple[float, str, Ink]]:
    """Labels at the ends of the curves, moved apart where they would overlap."""
    placed: list[tuple[float, str, Ink]] = []
    for height, name, ink in sorted(ends):
        least = placed[-1][0] + 18.0 if placed else -1e9
        placed.append((max(height, least), name, ink))
    # Not into the words of the axis below.
    over = max(0.0, placed[-1][0] - (HEIGHT - BOTTOM - 8.0)) if placed else 0.0
    return [(height - over, name, ink) for height, name, ink in placed]


def _widened(low: float, high: float, *, log: bool = False, share: float = 0.0) -> tuple[float, float]:
    """A range that is one, with a share of room at both ends."""
    if log:
        low, high = (low, high) if high > low * 1.02 else (low * 0.8, high * 1.25)
        return low * (low / high) ** share, high * (high / low) ** share
    if high - low <= 1e-12 * max(abs(low), abs(high), 1e-30):
        room = 0.1 * abs(high) or 1.0
        return low - room, high + room
    return low - share * (high - low), high + share * (high - low)


def _ticks(low: float, high: float, most: int, unit: str) -> list[float]:
    """Round values over a range, round in the prefixed unit in which they are written."""
    factor, _ = _prefix(max(abs(low), abs(high)), unit)
    return [v * factor for v in _nice(low / factor, high / factor, most)]


def _nice(low: float, high: float, most: int) -> list[float]:
    """Round values over a range: steps of 1, 2 or 5, at most so many."""
    step = 10.0 ** math.floor(math.log10((high - low) / most))
    step = next(step * m for m in (1.0, 2.0, 5.0, 10.0, 20.0) if (high - low) / (step * m) <= most)
    first = math.ceil(low / step - 1e-9)
    return [round((first + i) * step, 12 - math.floor(math.log10(step))) for i in range(math.floor(high / step + 1e-9) - first + 1)] or [
        low
    ]


def _prefix(largest: float, unit: str) -> tuple[float, str]:
    if unit in LOGARITHMIC or largest == 0:
        return 1.0, unit
    if unit == "s" and largest >= 300.0:
        return 60.0, "min"
    power = min(max(3 * math.floor(math.log10(largest) / 3.0 + 1e-9), -12), 9)
    return 10.0**power, next(name for name, p in STEPS if p == power) + unit


def _plain(value: float, span: float) -> str:
    places = max(0, 2 - math.floor(math.log10(abs(span)))) if span else 0
    text = f"{value:.{min(places, 6)}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in ("-0", "") else text.replace("-", TRUE_MINUS)


def _lanes(pen: _Pen, p: Lanes) -> Markup:
    low, high = min(s.low for s in p.lanes), max(s.high for s in p.lanes)
    low, high = low / (high / low) ** 0.04, high * (high / low) ** 0.04
    left, right, top = 92.0, 14.0, 10.0
    height = top + LANE * len(p.lanes) + 30.0

    def x(v: float) -> float:
        return left + math.log(v / low) / math.log(high / low) * (WIDTH - left - right)

    for tick in _decade_ticks(low, high):
        pen.line(x(tick), top, x(tick), height - 26.0, "rule")
        pen.text(x(tick), height - 10.0, format_si(tick, unit=p.unit, digits=3), "slate")
    for i, stretch in enumerate(p.lanes):
        y = top + LANE * (i + 0.5)
        pen.text(left - 10.0, y + 4.5, stretch.name, "ink", anchor="end", bold=i == 0)
        if stretch.low == stretch.high:
            pen.path(f"M{x(stretch.low):.1f} {y - 8:.1f} V{y + 8:.1f}", stretch.ink, width=3.0)
        else:
            pen.box(x(stretch.low), y - 6.0, x(stretch.high) - x(stretch.low), 12.0, stretch.ink, filled=True, round_=3.0, pale=True)
            pen.path(
                f"M{x(stretch.low):.1f} {y - 8:.1f} V{y + 8:.1f} M{x(stretch.high):.1f} {y - 8:.1f} V{y + 8:.1f}", stretch.ink, width=2.0
            )
        for mark in stretch.marks:
            pen.circle(x(mark.x), y, 4.0, mark.ink)
    words = "; ".join(f"{s.name} {format_si(s.low, unit=p.unit)} to {format_si(s.high, unit=p.unit)}" for s in p.lanes)
    return pen.finish(f"{p.title}: {words}", height)


def _decade_ticks(low: float, high: float) -> list[float]:
    """Values of 1, 2 and 5 times a power of ten between two others."""
    first, last = math.floor(math.log10(low)), math.ceil(math.log10(high))
    return [m * 10.0**e for e in range(first, last + 1) for m in (1.0, 2.0, 5.0) if low <= m * 10.0**e <= high]


def _few_decade_ticks(low: float, high: float) -> list[float]:
    """As many of them as have room: all, or the decades alone."""
    found = _decade_ticks(low, high)
    return found if len(found) <= MOST_TICKS else [v for v in found if abs(math.log10(v) - round(math.log10(v))) < 1e-6]


def _printed(pen: _Pen, p: PrintedScale) -> Markup:
    left, right, y, height = 24.0, 24.0, 56.0, 92.0

    def x(mm: float) -> float:
        return left + mm / p.length_mm * (WIDTH - left - right)

    pen.line(left, y, WIDTH - right, y, "ink", width=1.6)
    for i, (mm, name) in enumerate(p.printed):
        pen.line(x(mm), y - 12.0, x(mm), y, "ink", width=1.6)
        pen.text(x(mm), y - (18.0 if i % 2 == 0 else 34.0), name, "ink")
    for mm, right_mm in p.right:
        pen.path(f"M{x(right_mm):.1f} {y + 3:.1f} l-5 11 h10 z", "before", filled=True)
        pen.path(f"M{x(mm):.1f} {y + 18:.1f} H{x(right_mm):.1f}", "before", width=1.6)
        pen.line(x(mm), y + 2.0, x(mm), y + 22.0, "slate", dash="2 3")
    words = "; ".join(f"{mm:.1f} mm is right at {right_mm:.1f} mm" for mm, right_mm in p.right) or "nothing read yet"
    return pen.finish(f"{p.title}: {words}", height)

"""Curves as SVG: direct labels instead of legends, presentation attributes only, so that page, print and file share them."""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup, escape

WIDTH, HEIGHT = 640.0, 260.0
LEFT, RIGHT, TOP, BOTTOM = 48.0, 96.0, 14.0, 38.0
FONT = "Atkinson Hyperlegible Next Variable, Atkinson Units, sans-serif"
STANDALONE_INK = {"ink": "#1C2629", "slate": "#566469", "rule": "#E1DACB", "before": "#8A6A2F", "after": "#0B6B75"}


@dataclass(frozen=True)
class Response:
    """A swept response: its name, and its points (Hz, dB) in any order."""

    name: str
    points: list[tuple[float, float]]


def response_chart(responses: Sequence[Response], *, nominal_hz: float, standalone: bool = False) -> str:
    """Return an SVG of swept responses over kHz, decibels from the highest point of all; the nominal frequency is marked.

    Colours are classes of the page (chart-before …), or fixed ones for a file that stands alone. Empty text for no response.
    """
    if not responses:
        return Markup("")
    top = max(y for r in responses for _, y in r.points)
    f_low = min(f for r in responses for f, _ in r.points)
    f_high = max(f for r in responses for f, _ in r.points)
    bottom = -6.0 * (int(-min(min(y for r in responses for _, y in r.points) - top, -12.0) / 6.0) + 1)
    bottom = max(bottom, -60.0)

    def x(f: float) -> float:
        return LEFT + (f - f_low) / (f_high - f_low) * (WIDTH - LEFT - RIGHT)

    def y(level: float) -> float:
        return TOP + (max(level, bottom) / bottom) * (HEIGHT - TOP - BOTTOM)

    parts = []
    level = 0.0
    while level >= bottom:
        parts.append(_line(LEFT, y(level), WIDTH - RIGHT, y(level), "rule", standalone))
        parts.append(_text(LEFT - 8, y(level) + 4, f"{level:.0f}".replace("-", "\u2212"), "slate", standalone, anchor="end"))
        level -= 6.0
    for f in _round_steps(f_low, f_high):
        parts.append(_line(x(f), HEIGHT - BOTTOM, x(f), HEIGHT - BOTTOM + 5, "slate", standalone))
        parts.append(_text(x(f), HEIGHT - BOTTOM + 19, f"{f / 1e3:.0f}", "slate", standalone))
    parts.append(_text(WIDTH - RIGHT + 20, HEIGHT - BOTTOM + 19, "kHz", "slate", standalone, anchor="start"))
    parts.append(_text(LEFT - 8, HEIGHT - BOTTOM + 19, "dB", "slate", standalone, anchor="end"))
    if f_low <= nominal_hz <= f_high:
        parts.append(_line(x(nominal_hz), TOP, x(nominal_hz), HEIGHT - BOTTOM, "slate", standalone, dashed=True))
    ends = []
    for response in responses:
        points = sorted(response.points)
        path = " ".join(f"{'M' if i == 0 else 'L'}{x(f):.1f} {y(v - top):.1f}" for i, (f, v) in enumerate(points))
        parts.append(f'<path d="{path}" fill="none" {_stroke(response.name, standalone)} stroke-width="2.2" stroke-linejoin="round"/>')
        ends.append((y(points[-1][1] - top), response.name))
    for height, name in _spread(ends):
        parts.append(_text(WIDTH - RIGHT + 8, height + 4, name, name, standalone, anchor="start", bold=True))
    words = " and ".join(r.name for r in responses)
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH:.0f} {HEIGHT:.0f}" role="img" '
        f'aria-label="Swept response, {escape(words)}" font-family="{FONT}" font-size="13">'
    )
    return Markup(head + "".join(parts) + "</svg>")


def _spread(ends: list[tuple[float, str]]) -> list[tuple[float, str]]:
    """Labels at the ends of the curves, moved apart where they would overlap."""
    placed: list[tuple[float, str]] = []
    for height, name in sorted(ends):
        least = placed[-1][0] + 18.0 if placed else -1e9
        placed.append((max(height, least), name))
    return placed


def _round_steps(low: float, high: float) -> list[float]:
    span = high - low
    step = next(s for s in (1e3, 2e3, 5e3, 10e3, 20e3, 50e3, 1e5, 1e6, 1e7) if span / s <= 8)
    first = int(low / step + 0.999999) * step
    return [first + i * step for i in range(int((high - first) / step + 1e-9) + 1)]


def _line(x1: float, y1: float, x2: float, y2: float, ink: str, standalone: bool, *, dashed: bool = False) -> str:
    dash = ' stroke-dasharray="3 4"' if dashed else ""
    return f'<line x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" {_stroke(ink, standalone)}{dash}/>'


def _text(x: float, y: float, words: str, ink: str, standalone: bool, *, anchor: str = "middle", bold: bool = False) -> str:
    weight = ' font-weight="700"' if bold else ""
    fill = f'fill="{STANDALONE_INK[ink]}"' if standalone else f'class="fill-{ink}"'
    return f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}"{weight} {fill}>{escape(words)}</text>'


def _stroke(ink: str, standalone: bool) -> str:
    return f'stroke="{STANDALONE_INK[ink]}"' if standalone else f'class="stroke-{ink}"'

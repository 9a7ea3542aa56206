"""From a turn of a virtual core to the needle's new reading in the browser, whole way through SCPI and back."""

from benchmarks.figures import milliseconds
from tests.browser.pages.bench_page import BenchPage
from tests.support.browser import LiveServer, close_shared_browser, new_page

TURNS = 120
# Keeps when each reading was shown; which reading was the first after the turn is asked of the database afterwards.
WATCH = """() => {
  window.seen = []; window.pressed = [];
  new MutationObserver(() => window.seen.push([Number(document.body.dataset.reading), performance.now()]))
    .observe(document.body, { attributes: true, attributeFilter: ['data-reading'] });
  window.addEventListener('keydown', () => window.pressed.push(performance.now()), true);
}"""


def run() -> list[str]:
    """Return the median and 95th percentile over many turns."""
    live = LiveServer(times=1.0)
    try:
        page = new_page(live.url, errors=[])
        BenchPage.at_first_core(page)
        page.evaluate(WATCH)
        for i in range(TURNS):
            page.keyboard.press("ArrowRight" if i % 12 < 6 else "ArrowLeft")
            page.wait_for_timeout(170 + 7 * (i % 11))  # not in step with the readings
        seen, pressed = page.evaluate("() => window.seen"), page.evaluate("() => window.pressed")
        with live.workshop.store() as conn:
            turns = dict(conn.execute("SELECT id, turns FROM reading WHERE turns IS NOT NULL"))
        spent = []
        for at in pressed:
            before = [turns[r] for r, t in seen if t < at and r in turns]
            after = next((t for r, t in seen if t > at and before and r in turns and abs(turns[r] - before[-1]) > 0.01), None)
            if after is not None:
                spent.append((after - at) / 1e3)
        page.context.close()
    finally:
        live.close()
        close_shared_browser()
    return [
        milliseconds(
            f"from {len(pressed)} turns of a virtual core to the new reading on the page", spent, most="median ≤ 60 ms, p95 ≤ 40 ms"
        )
    ]

"""Seven tabs of one browser on one run, one more than it has connections to a host: none waits, and the server holds one stream."""

from playwright.sync_api import expect

from calm_needle.web.screens.bench.views import MOST_STREAMS, STREAMS
from tests.browser.pages.bench_page import BenchPage
from tests.support.browser import BrowserTest

TABS = 7


class ManyTabs(BrowserTest):
    times = 1.0  # seven needles at once are enough work

    def test_each_shows_the_live_reading_and_one_stream_serves_them_all(self) -> None:
        BenchPage.at_first_core(self.page)
        benches = [BenchPage(self.page)]
        for _ in range(TABS - 1):
            page = self.page.context.new_page()
            page.goto(self.page.url)
            bench = BenchPage(page)
            bench.wait_until_ready()
            benches.append(bench)
        for bench in benches:
            bench.wait_for_reading_after(bench.reading_id)
            expect(bench.page.get_by_role("heading", level=1)).to_have_text("Peak the lower core of IFT2")
        free = 0
        while STREAMS.acquire(blocking=False):
            free += 1
        for _ in range(free):
            STREAMS.release()
        self.assertEqual(free, MOST_STREAMS - 1)

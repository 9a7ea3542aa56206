"""An instrument on a serial line is described on its page, tried on a real answer while one types, and used."""

from playwright.sync_api import expect

from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest
from tests.support.odd_dialect import OddDialect


class DescribingAMeter(BrowserTest):
    def test_what_is_found_is_shown_while_one_types_and_then_it_is_used(self) -> None:
        dialect = OddDialect({"D1": "AC +0123,4 mV\r\n"}.get)
        self.addCleanup(dialect.close)
        page = self.page
        page.goto("/instruments")
        page.get_by_role("link", name="Describe it").click()
        page.get_by_label("What you call it").fill("Tern Rock TV-2")
        page.get_by_label("VISA resource name").fill(dialect.resource)
        page.get_by_label("Lines to it end").select_option("CR")
        page.get_by_label("Its answers end").select_option("CR LF")
        page.get_by_label("Send").fill("D1")
        page.get_by_role("button", name="Ask it now").click()
        found = page.locator("[data-found]")
        expect(found).to_have_text("AC +0123,4 mV is 123.000\u2009V")
        page.get_by_label("Decimal mark").select_option(",")
        expect(found).to_have_text("AC +0123,4 mV is 123.400\u2009V")
        page.get_by_label("Or by the unit").fill("mV=0.001 V=1")
        expect(found).to_have_text("AC +0123,4 mV is 123.400\u2009mV")
        page.get_by_label("Behind the words").fill("DC")
        expect(found).to_have_text("No number is found there.")
        page.get_by_label("Behind the words").fill("AC")
        expect(found).to_contain_text("is 123.400")
        self.assertEqual(violations(page), [])
        page.get_by_role("button", name="Try it, and use it").click()
        expect(page.get_by_role("region", name="Your instruments")).to_contain_text("Tern Rock TV-2, by its description")


if __name__ == "__main__":
    import unittest

    unittest.main()

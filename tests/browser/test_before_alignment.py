"""Before alignment: a gate that fails, and what a bench does to a job."""

import re

from playwright.sync_api import expect

from tests.browser.pages.bench_page import BenchPage
from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest, new_page

DUNLIN, STANNARD = 5, 6


class AGateThatFails(BrowserTest):
    def test_health_that_has_not_passed_is_said_and_waived_with_a_reason(self) -> None:
        page = self.page
        page.goto(f"/jobs/{STANNARD}")
        expect(page.get_by_role("list", name="What health lacks")).to_contain_text("Parts: 0 of 30 parts are sound")
        expect(page.get_by_role("button", name=re.compile("mark done by hand.*health"))).to_have_count(0)
        expect(page.get_by_role("button", name="Begin at the bench")).to_have_count(0)
        page.get_by_text("Waive it, with a reason").click()
        page.get_by_role("button", name="Waive it").click()
        expect(page.get_by_text("Say why this set is aligned")).to_be_visible()
        page.get_by_label("Why; it stands in the record").fill("Only the strip’s frequency is wanted, for the papers.")
        page.get_by_role("button", name="Waive it").click()
        gate = page.get_by_role("region", name="Before alignment")
        expect(gate).to_contain_text("Waived, though health is not done: Only the strip’s frequency is wanted")
        # What was waived no longer stands in the way: the strip is what comes next.
        page.get_by_role("button", name="Begin at the bench").click()
        BenchPage(page).wait_until_ready()
        page.goto("/runs/2/record")
        expect(page.get_by_text("Only the strip’s frequency is wanted, for the papers.")).to_be_visible()

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 422",)


class WhatABenchDoes(BrowserTest):
    """Windows closed mid-entry, and two of them on one job."""

    def test_what_was_half_typed_is_offered_back_and_what_was_kept_is_there(self) -> None:
        page = self.page
        page.goto(f"/jobs/{DUNLIN}/repairs")
        page.get_by_label("Part", exact=True).select_option("R11")
        page.get_by_label("Remarks").fill("from the drawer, 1 %")
        page.wait_for_function("() => document.documentElement.dataset.drafted")
        page.close()
        page = new_page(self.live.url, errors=self.errors)
        self.addCleanup(page.context.close)
        page.goto(f"/jobs/{DUNLIN}")
        expect(page.get_by_text("1 form half typed")).to_be_visible()
        page.goto(f"/jobs/{DUNLIN}/repairs")
        expect(page.get_by_text("from the drawer, 1 %")).to_be_visible()
        self.assertEqual(violations(page), [])
        page.get_by_role("button", name="Take it back").click()
        expect(page.get_by_label("Part", exact=True)).to_have_value("R11")
        page.get_by_label("Looked over").check()
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_text("Nobody has said whether the set is on")).to_be_visible()
        page.get_by_role("button", name="It is off").click()
        page.get_by_role("button", name="Take it back").click()
        page.get_by_label("Looked over").check()
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_role("heading", name="Not yet tested: R11")).to_be_visible()
        page.goto(f"/jobs/{DUNLIN}")
        expect(page.get_by_text("half typed")).to_have_count(0)

    def test_the_later_of_two_windows_is_told_and_overwrites_nothing(self) -> None:
        early, late = self.page, new_page(self.live.url, errors=self.errors)
        self.addCleanup(late.context.close)
        early.goto(f"/jobs/{DUNLIN}/parts")
        early.get_by_role("button", name="It is off").click()
        for page in (early, late):
            page.goto(f"/jobs/{DUNLIN}/parts")
        early.locator("#in-R1").fill("39k")
        early.locator("#in-R1").press("Enter")
        expect(early.locator("#part-R1 [data-verdict]")).to_have_attribute("data-verdict", "in")
        late.locator("#in-R1").fill("93k")
        late.locator("#in-R1").press("Enter")
        expect(late.locator("#part-R1 .field-fault")).to_contain_text("Another window has written to R1 meanwhile. Nothing was overwritten")
        late.reload()
        expect(late.locator("#in-R1")).to_have_value(re.compile("39.0"))
        for page in (early, late):
            page.goto(f"/jobs/{DUNLIN}/start")
            for look in page.get_by_role("radiogroup").get_by_label("yes").all():
                look.check()
        early.get_by_role("button", name="Take the first rung").click()
        expect(early.get_by_role("button", name=re.compile("Read the meters"))).to_be_visible()
        late.get_by_role("button", name="Take the first rung").click()
        expect(late.get_by_role("alert").first).to_contain_text("Another window has written to the safe start meanwhile")
        expect(late.locator("[aria-current=step]")).to_contain_text("Behind a 40 W lamp")

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 422", "status of 409")


class OnTheMap(BrowserTest):
    def test_adjusters_are_marked_where_they_are_and_the_bench_shows_them_there(self) -> None:
        page = self.page
        page.goto(f"/jobs/{STANNARD}/map")
        page.get_by_label("It is").select_option("IFT2-s")
        page.get_by_label("mm from left").fill("170")
        page.get_by_label("mm from back").fill("60")
        page.get_by_role("button", name="Mark it").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("status")).to_contain_text("On paper and not found: IFT1-p")
        page.wait_for_load_state()
        page.get_by_text("Nothing is marked on it").click()
        page.get_by_label("Own label").fill("X1")
        page.locator("svg[data-point-x]").click(position={"x": 420, "y": 300})
        page.get_by_role("button", name="Mark it").click()
        expect(page.get_by_role("status")).to_contain_text("Found and not on paper: X1")
        expect(page.get_by_role("region", name="Found, and beside what")).to_contain_text("IFT2-s")
        self.assertEqual(violations(page), [])
        page.get_by_role("button", name=re.compile("off.*X1")).click()
        expect(page.get_by_role("status")).not_to_contain_text("X1")

"""The start page of a practice set as a person uses it: climbs, reads, lets time go by."""

import re

from playwright.sync_api import Page, expect


class StartPage:
    """What can be done and seen while a set is started. Asserts nothing about it."""

    def __init__(self, page: Page, job_id: int) -> None:
        self.page = page
        self.path = f"/jobs/{job_id}/start"
        page.goto(self.path)

    @property
    def says(self) -> str:
        return self.page.get_by_role("status").inner_text()

    def press(self, name: str) -> None:
        with self.page.expect_navigation():
            self.page.get_by_role("button", name=re.compile(name, re.IGNORECASE)).click()

    def climb_to_full(self) -> None:
        """The first rung and the two after it, a minute and a reading on each."""
        for rung in ("first", "next", "next"):
            self.climb(rung)

    def climb(self, rung: str) -> None:
        """Take a rung, first or next, let a minute go by, and read."""
        for look in self.page.get_by_role("radiogroup").get_by_label("yes").all() if rung == "first" else []:
            look.check()
        self.press(f"Take the {rung} rung")
        self.press("A minute goes by")
        self.press("Read the meters")

    def watch(self, minutes: int) -> None:
        """Let so many minutes go by, five between one reading and the next."""
        for _ in range(minutes // 5):
            self.press("Five")
            self.press("Read the meters")

    def rail(self, name: str) -> str:
        return self.page.get_by_role("row", name=re.compile(name)).inner_text()


def sweep(page: Page, job_id: int, *, emission: str = "84", only: tuple[str, ...] = ()) -> None:
    """Go through the parts by the Enter key alone: the meter is asked for each, valves are typed from the tester."""
    page.goto(f"/jobs/{job_id}/parts")
    if (off := page.get_by_role("button", name=re.compile("It is off|Switch it off"))).count():
        off.click()
    names = page.eval_on_selector_all("form[data-line] input[name=part]", "all => all.map(e => e.value)")
    for name in only or names:
        field = page.locator(f"#in-{name}")
        field.focus()
        field.fill(emission if name.endswith("-e") else "")
        kept = page.evaluate("() => Number(document.documentElement.dataset.kept || 0)")
        page.keyboard.press("Enter")
        page.wait_for_function("n => Number(document.documentElement.dataset.kept || 0) > n", arg=kept)


def change(page: Page, job_id: int, part: str, words: str, outcome: str) -> None:
    """Write down that a part was replaced, and the quick test after it."""
    page.goto(f"/jobs/{job_id}/repairs")
    page.get_by_label("Part", exact=True).select_option(part)
    page.get_by_label("Looked over").check()
    page.get_by_role("button", name="Write it down").click()
    keep_the_test(page, job_id, words, outcome)


def keep_the_test(page: Page, job_id: int, words: str, outcome: str) -> None:
    """Write down what came of the one change that is not tested yet."""
    page.goto(f"/jobs/{job_id}/repairs")
    expect(page.get_by_role("heading", name=re.compile("Not yet tested"))).to_be_visible()
    page.get_by_label(outcome, exact=True).check()
    page.get_by_label("What was tried").fill(words)
    page.get_by_role("button", name="Keep the test").click()
    expect(page.get_by_role("heading", name=re.compile("Not yet tested"))).to_have_count(0)

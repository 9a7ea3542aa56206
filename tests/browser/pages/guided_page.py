"""Guided work as a person uses it: begins what is offered, reads what a meter can read, keeps the answers."""

import re

from playwright.sync_api import Page, expect


class GuidedPage:
    """The stages of one piece of work. Asserts only that what was sent was taken."""

    def __init__(self, page: Page, job_id: int) -> None:
        self.page, self.path = page, f"/jobs/{job_id}/guided"

    def begin(self, title: str) -> None:
        """Begin the first offer of that title, as it is filled in."""
        self.page.goto(self.path)
        offer = self.page.get_by_role("region", name="What the readings ask for").get_by_role("listitem").filter(has_text=title).first
        offer.get_by_role("button", name=re.compile("Begin")).click()
        expect(self.page.get_by_role("heading", level=1)).to_have_text(title)

    def value(self, name: str) -> str:
        return self.page.locator(f"#a-{name}").input_value()

    def read(self, *names: str) -> None:
        """Have fields read by their meters."""
        for name in names:
            before = self.page.locator("[data-part=scan] li").count()
            with self.page.expect_navigation():
                self.page.locator(f"button[name=read][value={name}]").click()
            expect(self.page.locator(f"#a-{name}")).not_to_have_value("")
            expect(self.page.locator("[data-part=scan] li")).to_have_count(min(before + 1, 8))

    def keep(self, *read: str, **answers: str) -> None:
        """Answer the stage in hand: what is typed first, then what meters read."""
        for name, value in answers.items():
            field = self.page.locator(f"#a-{name}")
            if field.evaluate("e => e.tagName") == "SELECT":
                field.select_option(value)
            else:
                field.fill(value)
        self.read(*read)
        with self.page.expect_navigation():
            self.page.get_by_role("button", name="Keep the answers").click()

"""The ears' page as a person uses it."""

from playwright.sync_api import Page, expect


def listen_to_the_practice_set(page: Page) -> None:
    """Let the ears' page listen at the practice set's loudspeaker."""
    page.goto("/ears")
    page.get_by_label("Listen at").select_option(label="the practice set’s loudspeaker")
    page.get_by_role("button", name="Listen").click()
    expect(page.get_by_role("button", name="Stop listening")).to_be_visible()

"""Guided work through its pages, without their scripts: begins what is offered, reads what a meter can read, keeps the answers."""

from typing import Any

from tests.support.pages import Pages
from tests.support.to_certificate import ToTheCertificate


class Guided:
    """The stages of one piece of work."""

    def __init__(self, test: ToTheCertificate) -> None:
        self.page: Pages = test.page("guided")
        self._test = test

    @property
    def offers(self) -> list[str]:
        """What the readings ask for, as its headings say it, the strongest first."""
        region = self._test.page("guided").part("What the readings ask for")
        return [" ".join(h.text_content().split()) for h in region.xpath(".//h3")]

    def begin(self, title: str) -> None:
        """Begin the first offer of that title, as it is filled in."""
        self.page = self._test.page("guided")
        region = self.page.part("What the readings ask for")
        offer = next(li for li in region.xpath(".//li") if title in " ".join(li.text_content().split()))
        self.page.press("Begin", within=offer)
        assert title in self.page.text, self.page.says

    def value(self, name: str) -> str:
        (field,) = self.page.doc.xpath(f"//*[@id='a-{name}']")
        return str(field.value or "")

    def keep(self, *read: str, **answers: Any) -> None:
        """Answer the stage in hand: what meters read first, one after the other, then what is typed."""
        for name in read:
            (button,) = self.page.doc.xpath(f"//button[@name='read'][@value='{name}']")
            self.page.send(next(button.iterancestors("form")), button, **answers)
            assert self.value(name), self.page.says
        self.page.press("Keep the answers", **answers)
        assert self.page.status == 200, self.page.says

    def go_to(self, link: str) -> None:
        """Go back to a stage."""
        (href, *_) = self.page.doc.xpath(f"//a[contains(normalize-space(.), '{link}')]/@href")
        self.page.open(str(href))

    @property
    def stage(self) -> str:
        (step,) = self.page.doc.xpath("//*[@aria-current='step']")
        return " ".join(step.text_content().split())

    @property
    def stages(self) -> str:
        """Every stage with what it says."""
        return " ".join(self.page.part("Stages").text_content().split())

    def done(self) -> None:
        self.page.press("Done")
        assert "through, begun" in self._test.page("guided").text

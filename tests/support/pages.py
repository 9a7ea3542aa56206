"""Pages as a person uses them who has no script: looks, fills in, presses a button. What a form holds goes along, as a browser sends it."""

import re
from typing import Any

import lxml.html
from lxml.html import FormElement, HtmlElement

from tests.support.client import PageTest

#: Elements that have a role without saying so.
TAGS = {"region": "section", "table": "table"}


class Pages:
    """One window. `doc` is the page that is open, `text` what can be read on it, on one line."""

    def __init__(self, test: PageTest) -> None:
        self._test = test
        self.path, self.status = "", 0
        self.doc: HtmlElement

    @property
    def text(self) -> str:
        return re.sub(r"\s+", " ", self.doc.text_content())

    @property
    def says(self) -> str:
        """What the page says came of it: its status lines and alerts."""
        return " ".join(re.sub(r"\s+", " ", e.text_content()).strip() for e in self.doc.xpath("//*[@role='status' or @role='alert']"))

    def open(self, path: str) -> "Pages":
        self._read(path, self._test.get(path))
        return self

    def part(self, name: str, *, of: str = "region") -> HtmlElement:
        """The part of the page of that name."""
        for e in self.doc.iter():
            label = e.get("aria-label") or " ".join(
                n.text_content() for i in (e.get("aria-labelledby") or "").split() for n in self.doc.xpath(f"//*[@id='{i}']")
            )
            if name in re.sub(r"\s+", " ", label or "") and (e.get("role") == of or e.tag == TAGS.get(of)):
                return e
        raise AssertionError(f"there is no {of} “{name}” on {self.path}")

    def buttons(self, within: HtmlElement | None = None) -> list[str]:
        """What stands on the buttons."""
        place = self.doc if within is None else within
        return [_name(b) for b in place.xpath(".//button")]

    def press(self, button: str, *, within: HtmlElement | None = None, n: int = 0, **fields: Any) -> "Pages":
        """Press the n-th button whose words match, its form's fields filled in; True checks a box."""
        place = self.doc if within is None else within
        found = [b for b in place.xpath(".//button") if re.search(button, _name(b), re.IGNORECASE) and _form_of(b) is not None]
        if len(found) <= n:
            raise AssertionError(f"there is no button “{button}” on {self.path}; there are {self.buttons(within)}")
        pressed = found[n]
        form = _form_of(pressed)
        assert form is not None
        return self.send(form, pressed, **fields)

    def send(self, form: FormElement, pressed: HtmlElement | None = None, **fields: Any) -> "Pages":
        """Send a form as it stands, but for the fields that are given."""
        for name, value in fields.items():
            field = form.inputs[name.replace("__", "-")]
            if value is True and not isinstance(field, (list, set)) and getattr(field, "checkable", False):
                field.checked = True
            else:
                field.value = value
        data: dict[str, list[str]] = {}
        for name, value in form.form_values():
            data.setdefault(name, []).append(str(value))
        for file in form.xpath(".//input[@type='file']"):
            data.pop(file.name, None)
        if pressed is not None and pressed.get("name"):
            data.setdefault(pressed.get("name"), []).append(pressed.get("value") or "")
        self._test.workshop.clock.wait(1.0)
        action = pressed.get("formaction") if pressed is not None else None
        answer = self._test.client.post(action or form.action or self.path, data=data)
        self._test.addCleanup(answer.close)
        self._follow(answer)
        return self

    def _follow(self, answer: Any) -> None:
        if answer.status_code in (302, 303):
            self.open(answer.headers["Location"].split("#")[0])
        else:
            self._read(self.path, answer)

    def _read(self, path: str, answer: Any) -> None:
        self.path, self.status = path, answer.status_code
        self.doc = lxml.html.fromstring(answer.get_data(as_text=True))


def _form_of(button: HtmlElement) -> FormElement | None:
    """The form that a button sends: the one it names, or the one it stands in."""
    if named := button.get("form"):
        return next(iter(button.xpath(f"//form[@id='{named}']")), None)
    return next(iter(button.xpath("ancestor::form")), None)


def _name(button: HtmlElement) -> str:
    """What a button is called: its label, or what stands on it."""
    return re.sub(r"\s+", " ", button.get("aria-label") or button.text_content()).strip()

"""A set from the shelf to its certificate, through the pages without their scripts; and the paper read back and compared with the store."""

import io
import re

from pypdf import PdfReader

from calm_needle.core.procedure.report import Amount
from calm_needle.files.pdf.document import cell_words
from calm_needle.store import certificates
from calm_needle.work.record import certificate
from calm_needle.work.verification import measuring
from tests.support.apprentice import Apprentice
from tests.support.inside_bench import InsideBench
from tests.support.pages import Pages
from tests.support.whole_job import WholeJob

EMISSION = "84"  # as a valve tester shows it
FROM_METERS = re.compile(r"^Read (?!the aerial)")


def plain(words: str) -> str:
    """Words as they come out of a paper: one kind of space, one micro sign."""
    return words.replace("\u2009", " ").replace("\u00a0", " ").replace("µ", "μ")


class ToTheCertificate(WholeJob):
    """What a person does on one job, page after page."""

    job_id = 0

    def page(self, name: str = "") -> Pages:
        return Pages(self).open(f"/jobs/{self.job_id}{f'/{name}' if name else ''}")

    # Before alignment.

    def climb(self, rung: str) -> Pages:
        """Take a rung, first or next, let a minute go by, and read."""
        page = self.page("start")
        looked = dict.fromkeys(page.doc.xpath("//input/@name[starts-with(., 'look-')]"), "yes")
        return page.press(f"Take the {rung} rung", **looked).press("A minute goes by").press("Read the meters")

    def climb_to_full(self) -> Pages:
        for rung in ("first", "next", "next"):
            page = self.climb(rung)
        return page

    def watch(self, minutes: int) -> Pages:
        """Let so many minutes go by, five between one reading and the next."""
        page = self.page("start")
        for _ in range(minutes // 5):
            page.press("^Five").press("Read the meters")
        return page

    def power(self, to: str) -> None:
        """Say, or have it done, that the set is on or off; from any page."""
        self.assertEqual(self.post(f"/jobs/{self.job_id}/start/power", to=to, back="/").status_code, 303)

    def switch_off(self) -> None:
        self.page("start").press("Switch it off")

    def sweep(self, *only: str) -> Pages:
        """Go through the parts: the meter is asked for each, valves are typed from the tester."""
        page = self.page("parts")
        names = [str(n) for n in page.doc.xpath("//form[@data-line]//input[@name='part']/@value")]
        for name in only or names:
            (form,) = page.doc.xpath(f"//form[@data-line][.//input[@name='part'][@value='{name}']]")
            page.send(form, value=EMISSION if name.endswith("-e") else "")
            assert page.status == 200, page.says
        return page

    def judged(self, page: Pages, verdict: str) -> list[str]:
        """The parts that are judged so."""
        found = page.doc.xpath(f"//form[@data-line][.//*[@data-verdict='{verdict}']]//input[@name='part']/@value")
        return [str(n) for n in found]

    def change(self, part: str, words: str, outcome: str = "better") -> None:
        """Write down that a part was replaced, and the quick test after it."""
        self.page("repairs").press("Write it down", part=part, looked_over=True)
        self.keep_the_test(words, outcome)

    def keep_the_test(self, words: str, outcome: str = "better") -> None:
        page = self.page("repairs").press("Keep the test", outcome=outcome, words=words)
        self.assertNotIn("Not yet tested", page.text)

    def see_to_the_parts(self) -> None:
        """Sweep the parts, change what is out, each with its test, and sweep once more what the program could not judge at once."""
        page = self.sweep()
        for part in self.judged(page, "out"):
            self.change(part, "0.2 V more on the rail")
            page = self.sweep(part)
        if unsure := self.judged(page, "cannot say"):
            self.sweep(*unsure)

    def read_the_bands(self, **coils: str) -> Pages:
        """Have every band read with the set on, then its aerial coils with the set off; coils that the dossier does not name are typed."""
        page = self.page("bands")
        count = sum(bool(FROM_METERS.match(words)) for words in page.buttons())
        for n in range(count):
            page.press(FROM_METERS.pattern, n=n)
        self.switch_off()
        page = self.page("bands").press("Read the aerial coils")
        if coils:
            page.press("Keep it", **coils)
        return page

    def mark_done(self, phase: str) -> Pages:
        return self.page().press(f"mark done by hand.*{phase}")

    # At the bench.

    def lead_through(self, phase: str) -> None:
        """Do what the bench says, and decide as it advises, until all is done; then finish the run."""
        bench = self.begin(self.job_id, phase=phase)
        if phase == "intermediate frequency":
            Apprentice(bench).go_through()
        while (title := bench.title) != "All done here":
            if bench.decides or bench.main_act == "Set it all" or title.startswith("Go round again"):
                bench.press("Enter")
            elif title.startswith("Find where"):
                bench.wait_until(lambda: "Take it" in bench.advice)
                bench.press("Enter")
            else:
                Apprentice(bench).turn_one()
                continue
            bench.wait_until(lambda title=title: bench.title != title)  # type: ignore[misc]
        bench.press("Enter")

    def through_the_if(self) -> InsideBench:
        bench = self.begin(self.job_id)
        Apprentice(bench).go_through()
        bench.press("Enter")
        return bench

    # After alignment.

    def to_the_certificate(self) -> str:
        """An aligned set, switched on and warm: measured on every band, retested, issued, compared; returns the paper's text."""
        self.verify_every_band()
        self.retest_what_was_complained_of()
        return self.compare_with_the_store(self.issue())

    def verify_every_band(self) -> None:
        """Have the instruments measure every band, by the definition that the page offers first."""
        page = self.page("verify")
        (chosen,) = page.doc.xpath("//select[@id='m-band']")
        for band in chosen.value_options:
            page.press("^Measure it", within=chosen.getparent().getparent(), band=band, cover="on")
            assert page.status == 200, page.says
        self.assertFalse(measuring_left := [b for b in chosen.value_options if b not in self.measured()], measuring_left)

    def measured(self) -> set[str]:
        """The bands that a measurement which stands is of."""
        with self.workshop.store() as conn:
            return {t.band for t in measuring.standing(conn, self.job_id) if t.band}

    def retest_what_was_complained_of(self) -> None:
        """Try again what was complained of on the first day, each with a figure."""
        page = self.page()
        for n in range(len(page.doc.xpath("//form[contains(@action, '/retest')]"))):
            page.press("Keep the retest", n=n, outcome="gone", cover="on", words="heard at 12 µV on every band")

    def issue(self) -> bytes:
        """Issue the certificate, with a reason where it lacks something, and return its file."""
        page = self.page("record")
        asked = page.doc.xpath("//form[contains(@action, '/certificate')]//*[@name='reason']")
        page.press("^Issue", **({"reason": "shown on the open day"} if asked else {}))
        (link, *_) = page.doc.xpath("//a[contains(., 'Certificate no.')]/@href")
        return self.get(str(link)).get_data()

    def compare_with_the_store(self, pdf: bytes) -> str:
        """The paper's text and figures beside the store's; returns the text."""
        reader = PdfReader(io.BytesIO(pdf))
        text = plain(" ".join(" ".join(p.extract_text() for p in reader.pages).split()))
        with self.workshop.store() as conn:
            (row,) = certificates.of_job(conn, self.job_id)[-1:]
            self.assertTrue(f"Certificate no. {row.id}" in text and row.digest[:16] in text, text[:300])
            standing = measuring.standing(conn, self.job_id)
            self.assertTrue(standing)
            for t in standing:
                for words in (cell_words(Amount(t.main.value, t.main.unit)), t.definition):
                    self.assertTrue(plain(words) in text, f"{words} is not on the paper")
            self.assertEqual(certificate.check(conn, pdf, name="c.pdf").agreement, "agrees")
        self.assertTrue({str(f) for p in reader.pages for f in p["/Resources"]["/Font"].values()})  # type: ignore[index]
        return text

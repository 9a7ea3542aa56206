"""From an aligned set to its certificate, through the pages; and the paper read back and compared with the store."""

import io
import re
from typing import Any

from playwright.sync_api import Page, expect
from pypdf import PdfReader

from calm_needle.core.procedure.report import Amount
from calm_needle.files.pdf.document import cell_words
from calm_needle.store import certificates
from calm_needle.work.record import certificate
from calm_needle.work.verification import measuring
from calm_needle.work.workshop import Workshop
from tests.browser.pages.bench_page import BenchPage
from tests.browser.pages.start_page import StartPage, change, sweep
from tests.support.apprentice import Apprentice


def plain(words: str) -> str:
    """Words as they come out of a paper: one kind of space, one micro sign."""
    return words.replace("\u2009", " ").replace("\u00a0", " ").replace("µ", "μ")


def see_to_the_parts(page: Page, job_id: int) -> None:
    """Sweep the parts, change what is out, each with its test, and sweep once more what the program could not judge at once."""
    sweep(page, job_id)
    out = page.locator("form[data-line]:has([data-verdict=out]) input[name=part]")
    for part in out.evaluate_all("all => all.map(e => e.value)"):
        change(page, job_id, part, "0.2 V more on the rail", "better")
        sweep(page, job_id, only=(part,))
    unsure = page.locator("form[data-line]:has([data-verdict='cannot say']) input[name=part]")
    if again := tuple(unsure.evaluate_all("all => all.map(e => e.value)")):
        sweep(page, job_id, only=again)


def read_the_bands(page: Page, job_id: int, **coils: str) -> None:
    """Have every band read with the set on, then its aerial coils with the set off; coils that the dossier does not name are typed."""
    page.goto(f"/jobs/{job_id}/bands")
    for n in range(page.get_by_role("button", name=re.compile("^Read (?!the aerial)")).count()):
        with page.expect_navigation(timeout=60_000):
            page.get_by_role("button", name=re.compile("^Read (?!the aerial)")).nth(n).click(timeout=60_000)
    StartPage(page, job_id).press("Switch it off")
    page.goto(f"/jobs/{job_id}/bands")
    with page.expect_navigation():
        page.get_by_role("button", name="Read the aerial coils").click()
    for band, ohms in coils.items():
        page.get_by_label(f"{band.replace('_', ' ')}, aerial coil").fill(ohms)
    with page.expect_navigation():
        page.get_by_role("button", name="Keep it").click()


def mark_done(page: Page, job_id: int, phase: str) -> None:
    """Mark a phase done by hand on the job's page."""
    page.goto(f"/jobs/{job_id}")
    with page.expect_navigation():
        page.get_by_role("button", name=re.compile(f"mark done by hand.*{phase}")).click()


def to_the_certificate(test: Any, workshop: Workshop, page: Page, job_id: int) -> str:
    """An aligned set, switched on and warm: measured on every band, retested, issued, compared; returns the paper's text."""
    verify_every_band(page, job_id)
    retest_what_was_complained_of(page, job_id)
    return compare_with_the_store(test, workshop, page, job_id, issue(page, job_id))


def begin(page: Page, job_id: int) -> BenchPage:
    """Begin the next phase of a job at the bench, and come to its first step."""
    page.goto(f"/jobs/{job_id}")
    page.get_by_role("button", name="Begin at the bench").first.click()
    bench = BenchPage(page)
    bench.wait_until_ready()
    bench.wait_for_links()
    return bench


def lead_through(page: Page, bench: BenchPage) -> None:
    """Do what the page says, and decide as it advises, until all is done; then finish the run."""
    heading = page.get_by_role("heading", level=1)
    while (title := bench.title) != "All done here":
        if page.locator("[data-option]").count() or bench.main_act == "Set it all" or title.startswith("Go round again"):
            bench.press("Enter")
        elif title.startswith("Find where"):
            expect(page.locator("[data-part=advice] p").first).to_contain_text("Take it")
            bench.press("Enter")
        else:
            Apprentice(bench).turn_one()
            continue
        expect(heading).not_to_have_text(title)
    bench.press("Enter")
    page.wait_for_url("**/record")


def verify_every_band(page: Page, job_id: int) -> None:
    """Have the instruments measure every band, by the definition that the page offers first."""
    page.goto(f"/jobs/{job_id}/verify")
    alone = page.locator("#m-band option").count() == 1
    with page.expect_navigation(timeout=240_000):
        page.get_by_role("button", name="Measure it" if alone else "Every band in turn", exact=True).click(timeout=240_000)
    expect(page.get_by_role("status").first).to_contain_text("All bands are measured, and closed up.")


def retest_what_was_complained_of(page: Page, job_id: int) -> None:
    """Try again what was complained of on the first day, each with a figure."""
    page.goto(f"/jobs/{job_id}")
    for n in range(page.locator("form[action*='/retest']").count()):
        page.locator("details:has(> form[action*='/retest']) > summary").nth(n).click()
        form = page.locator("form[action*='/retest']").nth(n)
        form.get_by_label("gone").check()
        form.get_by_label("With which figure").fill("heard at 12 µV on every band")
        with page.expect_navigation():
            form.get_by_role("button", name="Keep the retest").click()


def issue(page: Page, job_id: int) -> bytes:
    """Issue the certificate, with a reason where it lacks something, and return its file."""
    page.goto(f"/jobs/{job_id}/record")
    reason = page.get_by_label("Why it is issued all the same")
    if reason.count():
        reason.fill("shown on the open day")
    page.get_by_role("button", name=re.compile("^Issue")).click()
    link = page.get_by_role("link", name=re.compile(r"Certificate no\. \d+")).first
    with page.expect_download() as told:
        link.click()
    return told.value.path().read_bytes()


def compare_with_the_store(test: Any, workshop: Workshop, page: Page, job_id: int, pdf: bytes) -> str:
    """The paper's text and figures beside the store's; returns the text."""
    reader = PdfReader(io.BytesIO(pdf))
    text = plain(" ".join(" ".join(p.extract_text() for p in reader.pages).split()))
    with workshop.store() as conn:
        (row,) = certificates.of_job(conn, job_id)[-1:]
        test.assertIn(f"Certificate no. {row.id}", text)
        test.assertIn(row.digest[:16], text)
        standing = measuring.standing(conn, job_id)
        test.assertTrue(standing)
        for t in standing:
            shown = plain(cell_words(Amount(t.main.value, t.main.unit)))
            test.assertIn(shown, text)
            test.assertIn(plain(t.definition), text)
        test.assertEqual(certificate.check(conn, pdf, name="c.pdf").agreement, "agrees")
        fonts = {str(f) for p in reader.pages for f in p["/Resources"]["/Font"].values()}  # type: ignore[index]
        test.assertTrue(fonts)
    page.goto("/certificates/check")
    page.get_by_label("The PDF of a certificate").set_input_files({"name": "c.pdf", "mimeType": "application/pdf", "buffer": pdf})
    page.get_by_role("button", name="Check it").click()
    expect(page.get_by_role("status")).to_contain_text("agrees with the store")
    return text

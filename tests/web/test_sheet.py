"""A spreadsheet of sets and jobs: matched, shown, taken in whole or not at all."""

import io
import re
import unittest

from calm_needle.errors import FileRefused
from calm_needle.files.table_csv import MOST_ROWS, read_table
from calm_needle.store import part_checks, shelf
from calm_needle.work.verification import measuring
from tests.support.client import TYPED_JOB, PageTest

SHEET = (
    "Customer;Type;Serial no;What is wrong;Received\r\n"
    "Harbour office;Halvern 6B;h-1;hums, then fades;2026-05-04\r\n"
    ";dunlin-3;d-7;;\r\n"
    "\r\n"
    "Post room;HALVERN 6B;h-1;stations run into each other;2026-06-01\r\n"
)


class Tables(unittest.TestCase):
    def test_whatever_a_spreadsheet_writes_is_read_alike(self) -> None:
        rows = (("a", "b c"), ("ü", "x,y;z"))
        for delimiter, coding in ((",", "utf-8"), (";", "utf-8-sig"), ("\t", "cp1252")):
            lines = [delimiter.join(f'"{c}"' for c in row) for row in (("One", "Two"), *rows)]
            found = read_table("\r\n".join(lines).encode(coding), name="t.csv")
            self.assertEqual((found.columns, found.rows, found.lines), (("One", "Two"), rows, (2, 3)), coding)

    def test_a_cell_over_two_lines_does_not_put_the_lines_out_of_step(self) -> None:
        found = read_table(b'a,b\n"two\nlines",1\nx,2\n', name="t.csv")
        self.assertEqual(found.lines, (2, 4))

    def test_what_is_no_table_is_refused_with_its_faults(self) -> None:
        for content, words in (
            (b"", "names no columns"),
            (b"PK\x03\x04\x00\x00", "save the sheet as CSV"),
            (b"a,b\n1,2,3\n4,5,6\n", "line 2: it has 3 cells.*line 3: it has 3 cells"),
            (b"a\n" + b"x\n" * (MOST_ROWS + 1), "Bring it in parts"),
            (b'a,b\n"open', "cannot be read as a table"),
            (b"a" * 3_000_000, "at most"),
        ):
            with self.assertRaises(FileRefused) as caught:
                read_table(content, name="t.csv")
            self.assertRegex(" ".join(str(f) for f in caught.exception.faults), words)


class Sheets(PageTest):
    off = True

    def bring(self, text: str = SHEET) -> str:
        answer = self.post("/store/sheet", table=(io.BytesIO(text.encode()), "book.csv"))
        self.assertEqual(answer.status_code, 303, answer.get_data(as_text=True))
        return answer.headers["Location"]

    def form(self, page: str) -> dict[str, str]:
        """The form that takes it all in, as the page offers it."""
        found = page[page.rindex("<form") :]
        return dict(re.findall(r'name="((?:match-\w+|held|name|kind))"\s+value="([^"]*)"', found))

    def counts(self) -> tuple[int, int]:
        with self.workshop.store() as conn:
            return shelf.count_sets(conn), shelf.count_jobs(conn)

    def test_columns_are_guessed_shown_and_all_of_it_is_taken_in(self) -> None:
        before = self.counts()
        page = self.get(self.bring()).get_data(as_text=True)
        for words in ("3 rows, all of which can be taken in", "A new set, with a job", "A new set, without a job", "already, with a job"):
            self.assertIn(words, page)
        answer = self.post("/store/sheet/take-in", **self.form(page))
        self.assertIn("Taken in: 2 new sets, 2 jobs.", self.get(answer.headers["Location"]).get_data(as_text=True))
        self.assertEqual(self.counts(), (before[0] + 2, before[1] + 2))
        with self.workshop.store() as conn:
            jobs = {j.complaint: j for j in shelf.newest_jobs(conn, limit=2)}
            self.assertEqual(jobs["hums, then fades"].opened_utc[:10], "2026-05-04")
            found = shelf.radio_set(conn, jobs["hums, then fades"].set_id)
            self.assertEqual(found.owner if found else "", "Harbour office")
        again = self.post("/store/sheet/take-in", **self.form(page))
        self.assertEqual(again.status_code, 422)  # it was let go: nothing is taken in twice
        self.assertEqual(self.counts(), (before[0] + 2, before[1] + 2))

    def test_one_wrong_row_keeps_all_of_it_out_and_every_fault_is_named(self) -> None:
        before = self.counts()
        place = self.bring(SHEET + "A.;Nonesuch 9;;dead;31.2.2026\r\n")
        page = self.get(place).get_data(as_text=True)
        for words in ("1 of 4 rows cannot be taken in", "There is no model “Nonesuch 9” here", "It has no number", "“31.2.2026” is no day"):
            self.assertIn(words, page)
        self.assertNotIn("Take all of it in", page)
        answer = self.post("/store/sheet/take-in", held=re.search(r"held=(\w+)", place)[1], name="x")  # type: ignore[index]
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Line 6", answer.get_data(as_text=True))
        self.assertEqual(self.counts(), before)

    def test_columns_can_be_matched_otherwise_and_one_that_is_needed_is_asked_for(self) -> None:
        place = self.bring("A,B,C\nHalvern 6B,77,weak\n")
        self.assertIn("Say which column is the model.", self.get(place).get_data(as_text=True))
        page = self.get(f"{place}&match-model=1&match-serial=2&match-complaint=3").get_data(as_text=True)
        self.assertIn("1 row, all of which can be taken in", page)
        self.assertIn("Say which column is the model.", self.get(f"{place}&match-model=99&match-serial=2").get_data(as_text=True))

    def readings(self) -> tuple[int, int]:
        with self.workshop.store() as conn:
            return len(part_checks.part_checks(conn, TYPED_JOB)), len(measuring.taken(conn, TYPED_JOB))

    def test_parts_that_were_measured_are_judged_and_kept(self) -> None:
        before = self.readings()
        place = self.bring("Job;Part;Measured\n3;r4;open\n3;R5;475 kΩ\n").replace("kind=sets", "kind=parts")
        page = self.get(place).get_data(as_text=True)
        self.assertIn("2 rows, all of which can be taken in", page)
        self.assertIn("Open", page)
        self.assertEqual(self.readings(), before)  # only tried
        answer = self.post("/store/sheet/take-in", **self.form(page))
        self.assertIn("Taken in: 2 readings.", self.get(answer.headers["Location"]).get_data(as_text=True))
        self.assertEqual(self.readings(), (before[0] + 2, before[1]))
        place = self.bring("Job;Part;Measured\n3;R5;475k\n").replace("kind=sets", "kind=parts")
        self.assertIn("Write it with its unit in the sheet", self.get(place).get_data(as_text=True))

    def test_sensitivities_are_taken_in_and_a_wrong_one_keeps_all_out(self) -> None:
        head = "Job no.,Band,Criterion,Level,Frequency,Covers\n"
        place = self.bring(head + "3,MW,10 dB (S+N)/N,14u,1M,on\n3,Long wave,s-plus-n,22u,,on\n").replace("kind=sets", "kind=sensitivities")
        page = self.get(place).get_data(as_text=True)
        self.assertIn("Sensitivity on MW of job 3", page)
        before = self.readings()
        self.post("/store/sheet/take-in", **self.form(page))
        self.assertEqual(self.readings(), (before[0], before[1] + 2))
        wrong = self.bring(head + "3,MW,by ear,14,,\n99,MW,sinad,14u,,\nx,MW,sinad,14u,,\n3,MW,sinad,14u,,on\n")
        page = self.get(wrong.replace("kind=sets", "kind=sensitivities")).get_data(as_text=True)
        for words in ("3 of 4 rows cannot be taken in", "There is no job 99", "“x” is no number of a job", "µV"):
            self.assertIn(words, page)
        self.assertEqual(self.post("/store/sheet/take-in", **self.form(page)).status_code, 422)
        self.assertEqual(self.readings(), (before[0], before[1] + 2))

    def test_what_is_not_held_or_no_table_is_refused(self) -> None:
        for held in ("", "a" * 64, "../../etc/passwd"):
            self.assertEqual(self.get(f"/store/sheet?held={held}").status_code, 422, held)
        self.assertEqual(self.post("/store/sheet").status_code, 422)
        refused = self.post("/store/sheet", table=(io.BytesIO(b"a,b\n1,2,3\n"), "t.csv"))
        self.assertIn("line 2: it has 3 cells", refused.get_data(as_text=True))


if __name__ == "__main__":
    unittest.main()

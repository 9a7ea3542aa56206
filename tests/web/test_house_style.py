"""The house style: chosen on its page, kept to at decisions, printed in the record of the run that was begun with it."""

from calm_needle.core.procedure.house_style import QUESTIONS, usual_style
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.house_style import style_of
from calm_needle.work.jobs import shelf
from tests.support.client import PageTest


class HouseStyle(PageTest):
    def test_what_nobody_has_said_is_the_first_of_each_and_every_choice_says_what_it_costs(self) -> None:
        page = self.get("/house-style").get_data(as_text=True)
        for question in QUESTIONS:
            self.assertIn(question.title, page)
            for choice in question.choices:
                self.assertIn(choice.costs, page)
        with self.workshop.store() as conn:
            self.assertEqual(style_of(conn), usual_style())

    def test_what_is_chosen_is_kept_by_the_runs_that_begin_then_and_by_no_other(self) -> None:
        with self.workshop.store() as conn:
            before = shelf.begin_run(conn, 9, "oscillator and dial")
        answer = self.post("/house-style", within="touch-up", aim="book", peaks="own", means="carrier")
        self.assertEqual(answer.status_code, 303)
        with self.workshop.store() as conn:
            after = shelf.begin_run(conn, 11, "oscillator and dial")
            old, new = (RunBook(conn, run).plan.style for run in (before, after))
        self.assertEqual(old["aim"], "least-worst")
        self.assertEqual((new["within"], new["aim"], new["peaks"]), ("touch-up", "book", "own"))
        self.assertIn("the papers’ points", self.get(f"/runs/{after}/record").get_data(as_text=True))
        self.assertIn("least worst error over the whole dial", self.get(f"/runs/{before}/record").get_data(as_text=True))

    def test_the_means_of_the_house_stand_first_where_a_run_is_begun(self) -> None:
        self.post("/house-style", within="leave", aim="least-worst", peaks="peak", means="carrier")
        page = self.get("/jobs/9").get_data(as_text=True)
        self.assertLess(page.index('value="carrier"'), page.index('value="counter"'))

    def test_what_cannot_be_chosen_is_refused_whole(self) -> None:
        answer = self.post("/house-style", within="never", aim="book")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Choose one of these", answer.get_data(as_text=True))
        with self.workshop.store() as conn:
            self.assertEqual(style_of(conn), usual_style())


if __name__ == "__main__":
    import unittest

    unittest.main()

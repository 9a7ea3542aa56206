"""The record of a run shows what that phase is about, and speaks of nothing that was no part of it."""

from calm_needle.work.jobs import shelf
from tests.support.client import PageTest


class WhatAPhaseIsAbout(PageTest):
    def record_of(self, phase: str) -> str:
        with self.workshop.store() as conn:
            run = shelf.begin_run(conn, 9, phase)
        return self.get(f"/runs/{run}/record").get_data(as_text=True)

    def test_a_front_end_has_no_response_of_the_strip_and_its_readings_can_be_had_all_the_same(self) -> None:
        page = self.record_of("front end")
        self.assertNotIn("IF strip", page.split("<h2")[1])
        self.assertNotIn("Nothing was measured before the first touch", page)
        self.assertIn("All readings as CSV", page)

    def test_a_strip_that_nobody_swept_says_so(self) -> None:
        page = self.record_of("intermediate frequency")
        self.assertIn("No response was swept", page)
        self.assertIn("Nothing was measured before the first touch", page)
        self.assertIn("All readings as CSV", page)


if __name__ == "__main__":
    import unittest

    unittest.main()

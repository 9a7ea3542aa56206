"""A set that is no longer as its papers have it: what was fitted is kept for it alone, or refused whole."""

from calm_needle.store import repairs, shelf
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from tests.support.client import PageTest

SEIZED_JOB = 10


class PadderMadeAdjustable(PageTest):
    ADDRESS = f"/jobs/{SEIZED_JOB}/dial/bands/MW/padder"

    def own(self) -> int | None:
        with self.workshop.store() as conn:
            return shelf.own_dossier(conn, job_of(conn, SEIZED_JOB).set_id)

    def test_it_is_this_set_s_alone_and_its_model_stays_as_it_is(self) -> None:
        self.assertEqual(self.post(self.ADDRESS, seized="L2", looked_over="yes").status_code, 303)
        self.assertIsNotNone(self.own())
        with self.workshop.store() as conn:
            job = job_of(conn, SEIZED_JOB)
            self.assertTrue(model_of_dossier(conn, job.dossier_id).adjuster("L2").seized)
            model = shelf.model_by_key(conn, job.model_key)
            assert model
            self.assertFalse(model_of_dossier(conn, model.dossier_id).adjuster("L2").seized)
            self.assertIn("C11", [r.part for r in repairs.repairs_of_job(conn, SEIZED_JOB)])
        again = self.post(self.ADDRESS, seized="", looked_over="yes")
        self.assertEqual(again.status_code, 404)

    def test_what_is_refused_leaves_nothing_behind(self) -> None:
        for form, words in (
            ({"seized": "", "looked_over": ""}, "Look it over first"),
            ({"seized": "T9", "looked_over": "yes"}, "Choose one of this band’s adjusters"),
        ):
            answer = self.post(self.ADDRESS, **form)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.get_data(as_text=True))
        self.assertEqual(self.post(f"/jobs/{SEIZED_JOB}/dial/bands/XX/padder", looked_over="yes").status_code, 404)
        self.assertIsNone(self.own())


if __name__ == "__main__":
    import unittest

    unittest.main()

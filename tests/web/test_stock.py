"""The donor stock's page, and what of it is offered among a job's repairs."""

from calm_needle.store import donor_stock
from tests.support.client import PageTest

STANNARD = 6


class DonorStock(PageTest):
    off = True

    def page(self) -> str:
        return self.get("/stock").get_data(as_text=True)

    def left(self, name: str) -> int:
        with self.workshop.store() as conn:
            return next(r.left for r in donor_stock.parts(conn) if r.name == name)

    def test_a_part_is_put_in_tested_taken_and_put_back(self) -> None:
        answer = self.post("/stock", kind="valve", name="V3, mixer", count="2", tested="weak", test_words="62 % emission", place="shelf")
        self.assertEqual(answer.status_code, 303)
        for words in ("V3, mixer", "62 % emission", "Weak"):
            self.assertIn(words, self.page())
        with self.workshop.store() as conn:
            number = next(r.id for r in donor_stock.parts(conn) if r.name == "V3, mixer")
        self.post(f"/stock/{number}/test", tested="bad", test_words="gas")
        self.assertIn("Bad", self.page())
        self.post(f"/stock/{number}/take", job="3")
        self.assertEqual(self.left("V3, mixer"), 1)
        self.assertIn("into job 3, Halvern 6B no. 20544", self.page())
        self.post(f"/stock/{number}/back")
        self.assertEqual(self.left("V3, mixer"), 2)
        self.assertEqual(self.post(f"/stock/{number}/back").status_code, 422)
        for job in ("99", "x"):
            self.assertGreaterEqual(self.post(f"/stock/{number}/take", job=job).status_code, 404)
        self.post(f"/stock/{number}/take")
        self.post(f"/stock/{number}/take")
        self.assertEqual(self.post(f"/stock/{number}/take").status_code, 422)
        self.assertEqual(self.left("V3, mixer"), 0)

    def test_what_is_wrong_is_named_whole_and_a_forgotten_prefix_asked_about(self) -> None:
        text = self.post("/stock", kind="resistor", name="", value="", count="0").get_data(as_text=True)
        for field in ("name", "value", "count"):
            self.assertIn(f'id="add-{field}-fault"', text)
        text = self.post("/stock", kind="capacitor", name="paper", value="47").get_data(as_text=True)
        self.assertIn('id="add-value-fault"', text)
        self.assertEqual(self.post("/stock/99/take", job="1").status_code, 404)

    def test_for_a_part_that_is_out_what_fits_is_offered_and_taken_into_the_job(self) -> None:
        self.assertNotIn("In the donor stock", self.get(f"/jobs/{STANNARD}/repairs").get_data(as_text=True))
        self.post("/stock", kind="coil or transformer", name="IFT2", from_what="a Stannard Seven, scrapped", tested="good")
        self.post(f"/jobs/{STANNARD}/parts", part="IFT2-p", value="open")
        text = self.get(f"/jobs/{STANNARD}/repairs").get_data(as_text=True)
        self.assertIn("In the donor stock, for what is out", text)
        self.assertIn("What it tunes is aligned again", text)
        with self.workshop.store() as conn:
            number = next(r.id for r in donor_stock.parts(conn) if r.name == "IFT2")
        went = self.post(f"/stock/{number}/take", job=str(STANNARD), part="IFT2-p")
        self.assertIn(f"/jobs/{STANNARD}/repairs?part=IFT2-p", went.headers["Location"])
        self.assertEqual(self.left("IFT2"), 0)

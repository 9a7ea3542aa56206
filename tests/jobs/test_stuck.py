"""Jobs on which a person used to get stuck, each finished by what the bench reads."""

from tests.support.guided import Guided
from tests.support.inside_bench import InsideBench
from tests.support.to_certificate import ToTheCertificate

BOAT_HOUSE = 4


class AnOpenCapacitorInsideACan(ToTheCertificate):
    """A core that hardly answered at the bench, through guided work that knows what the bench knows, to a capacitor fitted outside."""

    job_id = BOAT_HOUSE

    def test_what_the_bench_found_opens_the_work_with_it_filled_in(self) -> None:
        self.page().press("Waive it", reason="Only to find what does not peak.")
        self.find_no_peak()
        guided = Guided(self)
        self.assertIn("A transformer that hardly answers", guided.offers[0])
        self.assertRegex(guided.page.text, "core of IFT2 changed the reading by")
        guided.begin("A transformer that hardly answers")
        self.assertIn("IFT2 primary, after its sister", guided.page.text)
        self.assertEqual(guided.page.text.count("From the bench"), 2)
        guided.keep()
        self.power("off")
        guided.keep("ohm_here", "ohm_sister", "l_min_h", "l_max_h")
        guided.keep("dip_db", "dip_across_db", across_f="100p")
        self.assertIn("the one inside is open", guided.stages)
        guided.keep()
        guided.keep(c_measured_f="110p")
        guided.go_to("Is there a dip?")
        self.assertEqual(len(guided.page.doc.xpath("//figure//*[local-name()='svg']")), 2)  # both scans, with and without, are still there
        guided.go_to("Where the peak lies")
        guided.keep("peak_percent")
        guided.done()
        job = self.page().text
        self.assertIn("IFT2-p mended: not tested.", job)
        self.assertNotIn("guided work “A transformer that hardly answers”", job)  # it was mended since

    def find_no_peak(self) -> None:
        """Turn the upper core of IFT2 over a turn and a half, and say that it has no peak."""
        bench = self.begin(self.job_id)
        bench.press("Enter")
        bench.wait_for_reading_after(0)
        bench.press("t")
        self.assertEqual(bench.title, "Peak the lower core of IFT2")
        self.leave_out(bench)
        self.assertEqual(bench.title, "Peak the upper core of IFT2")
        bench.wait_for_reading_after(0)
        for _ in range(30):  # over less, what the needle does by itself would count as an answer
            bench.turn(1)
        bench.press("x")
        self.assertNotEqual(bench.title, "Peak the upper core of IFT2")
        self.assertIn("no peak: find out why", " ".join(self.get(f"/bench/{bench.run_id}").get_data(as_text=True).split()))

    def leave_out(self, bench: InsideBench) -> None:
        answer = self.post(f"/bench/{bench.run_id}/skip", json=True, here=bench.desk.here, reason="left as it is")
        self.assertEqual(answer.status_code, 200, answer.get_data(as_text=True))


class AnOpenAerialCoilAmongDriftedResistors(ToTheCertificate):
    job_id = BOAT_HOUSE

    def test_it_is_spliced_by_what_the_meter_says(self) -> None:
        self.power("off")
        page = self.sweep("R4", "L5")
        self.assertIn("L5", self.judged(page, "out"))
        self.change("R4", "V2 screen 84 V, was 41 V")
        guided = Guided(self)
        self.assertRegex(guided.offers[0], "A fine wire spliced: .*long-wave aerial coil")
        guided.begin("A fine wire spliced")
        guided.keep(bridge_m="0.1 mm", place="at the tag", tries="0")
        self.assertIn("Not tried yet", guided.page.says)
        self.assertEqual(guided.value("tries"), "0")
        guided.keep(bridge_m="0.1 mm", place="at the tag", tries="2")
        self.assertIn("Does it carry?", guided.stage)
        guided.keep("ohm_after", ohm_sister="28")
        self.assertIn("It holds, and has its sister’s ohms", guided.page.says)
        guided.done()
        self.assertIn("L5", self.judged(self.page("parts"), "in"))  # by the reading that proved it
        bands = self.page("bands").press("Read the aerial coils")
        (coil,) = bands.doc.xpath("//input[@aria-label = 'long wave, aerial coil']")
        self.assertRegex(coil.value, "^2[678]")

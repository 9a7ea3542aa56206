import unittest

from calm_needle.core.procedure.stale import touches_band
from tests.support.dossiers import model


class TouchesBand(unittest.TestCase):
    def test_an_adjuster_of_one_band_touches_that_band_and_the_whole_set_and_no_other_band(self) -> None:
        of = model("halvern-6b")
        (band, *others) = of.bands
        adjuster = next(p["oscillator"] for p in band.tracking if p.get("oscillator"))
        self.assertTrue(touches_band(of, adjuster, band.id))
        self.assertTrue(touches_band(of, adjuster, ""))
        self.assertEqual([b.id for b in others if touches_band(of, adjuster, b.id)], [])

    def test_a_core_of_an_if_transformer_touches_every_band(self) -> None:
        for key in ("halvern-6b", "corvane-r-40", "dunlin-3", "pellow-scout"):
            of = model(key)
            core = next(a.id for a in of.adjusters if a.transformer)
            self.assertTrue(all(touches_band(of, core, b.id) for b in of.bands), key)

"""Whether steps fit the set: what ships does; a step of another type is named with the reason."""

import unittest

from calm_needle.core.dossier.fit import misfits, set_card
from calm_needle.core.dossier.read import read_model
from tests.support import dossiers


class Fit(unittest.TestCase):
    def test_every_step_of_what_ships_fits_its_set(self) -> None:
        for model in dossiers.all_models():
            self.assertEqual(misfits(model), [], model.key)

    def test_a_step_of_another_type_is_named(self) -> None:
        data = dossiers.data("pellow-scout")
        group = next(g for g in data["procedure"] if g["phase"] == "intermediate frequency" and len(g["steps"]) > 2)
        group["steps"][0]["set"] = {"generator": {"frequency_hz": 10.7e6, "level_v": 1e-3, "modulation": {"kind": "none"}}}
        group["steps"][1]["hazards"] = ["high-volts"]
        fm = {"kind": "FM", "deviation_hz": 22.5e3, "tone_hz": 400}
        group["steps"][2]["set"] = {"generator": {"frequency_hz": 452e3, "level_v": 1e-3, "modulation": fm}}
        whys = [m.why for m in misfits(read_model(data))]
        for words in ("10.70\u2009MHz is neither", "runs from a battery", "no detector of it hears that"):
            self.assertTrue(any(words in why for why in whys), (words, whys))

    def test_the_card_says_what_one_keeps_in_the_head(self) -> None:
        card = " ".join(set_card(dossiers.model("halvern-6b")))
        for words in ("IF 468\u2009kHz, single conversion", "medium wave, 525\u2009kHz to 1.605\u2009MHz", "isolated by a transformer"):
            self.assertIn(words, card)

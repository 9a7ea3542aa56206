import unittest

from calm_needle.core.dossier.read import read_model
from calm_needle.core.procedure.stale import Change, circuit_of, made_stale
from tests.support import dossiers, every_kind, halvern
from tests.support.halvern import model

DUNLIN = dossiers.model("dunlin-3")
ALL = ("safe start", "health", "intermediate frequency", "oscillator and dial", "front end")


class APartUnderTheIron(unittest.TestCase):
    def after(self, kind: str, stage: str) -> set[str]:
        return {s.phase for s in made_stale(DUNLIN, [Change(kind, "R11", "R11 was mended", stage)], done=ALL)}  # type: ignore[arg-type]

    def test_each_change_reaches_what_depends_on_its_stage_and_no_further(self) -> None:
        self.assertEqual(self.after("mended", "audio"), {"safe start", "health"})
        self.assertEqual(self.after("mended", "mixer"), {"safe start", "health", "intermediate frequency"})
        self.assertEqual(self.after("mended", "oscillator"), {"safe start", "health", "oscillator and dial", "front end"})
        self.assertEqual(self.after("cleaned", "aerial"), {"front end"})

    def test_where_nobody_knows_the_stage_all_of_it_is_in_doubt(self) -> None:
        self.assertEqual(self.after("mended", ""), set(ALL))

    def test_what_was_not_done_cannot_be_stale(self) -> None:
        self.assertEqual(made_stale(DUNLIN, [Change("mended", "R1", "R1 was replaced", "mixer")], done=()), [])

    def test_only_the_groups_that_stand_on_it_are_named(self) -> None:
        (stale,) = made_stale(model(), [Change("cleaned", "C30", "C30 was moved", "detector")], done=("intermediate frequency",))
        self.assertEqual(stale.groups, ("if-cores",))
        self.assertTrue(stale.why.startswith("C30 was moved, which "), stale.why)


class AnAdjusterTurned(unittest.TestCase):
    def stale(self, adjuster: str) -> dict[str, tuple[str, ...]]:
        words = f"{adjuster} was turned"
        return {s.phase: s.groups for s in made_stale(model(), [Change("turned", adjuster, words)], done=(*ALL, "verification"))}

    def test_the_oscillator_of_a_band_takes_the_front_end_of_that_band_with_it(self) -> None:
        self.assertEqual(self.stale("C20"), {"front end": ("front-mw",)})
        self.assertEqual(self.stale("T5"), {"front end": ("front-lw",)})

    def test_the_if_strip_takes_the_dial_of_every_band_with_it(self) -> None:
        self.assertEqual(self.stale("IFT1-upper"), {"oscillator and dial": ("osc-lw", "osc-mw", "osc-sw")})

    def test_a_part_of_the_oscillator_takes_dial_and_front_end_with_it_whatever_the_dossier_lists(self) -> None:
        scout = dossiers.model("pellow-scout")  # its groups name the mixer, which makes its own oscillation
        change = Change("mended", "C11", "C11 was replaced", "oscillator")
        found = [s.phase for s in made_stale(scout, [change], done=("oscillator and dial", "front end", "intermediate frequency"))]
        self.assertEqual(found, ["oscillator and dial", "front end"])

    def test_a_front_end_trimmer_takes_nothing_with_it(self) -> None:
        self.assertEqual(self.stale("T7"), {})

    def test_circuits_are_named_by_what_is_tuned(self) -> None:
        self.assertEqual(
            [circuit_of(model(), a) for a in ("IFT1-upper", "C20", "T7", "L1")], ["IF IFT1", "oscillator MW", "signal MW", "adjuster L1"]
        )


class CoversAndReference(unittest.TestCase):
    def test_what_was_set_without_covers_is_measured_again_with_them(self) -> None:
        made_up = read_model(every_kind.dossier())
        change = Change("covers", "", "the covers went back on")
        self.assertEqual([s.groups for s in made_stale(made_up, [change], done=("intermediate frequency",))], [("everything",)])
        self.assertEqual(made_stale(model(), [change], done=ALL), [])

    def test_a_generator_found_off_frequency_puts_all_in_doubt_that_it_set(self) -> None:
        change = Change("reference", "", "the generator was found 300 Hz high")
        self.assertEqual([s.phase for s in made_stale(halvern.model(), [change], done=ALL)], list(ALL[2:]))

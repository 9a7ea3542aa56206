import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics.coupling import pair_transfer
from calm_needle.sim.instruments.hands import Hands
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.receiver.stages.pair import Pair
from calm_needle.sim.receiver.two_port import OHM, TwoPort, pad, pads, series, shunt
from tests.support import dossiers
from tests.support.properties import steady

LOSSES = st.lists(st.sampled_from([3.0, 6.0, 12.0, 20.0]), min_size=1, max_size=6)
OHMS = st.floats(1.0, 1e4)


def heat_w(network: TwoPort, *, load_ohm: float) -> tuple[float, float]:
    """Watts into it and out of it into a load, for one volt across that."""
    v2, i2 = 1.0, 1.0 / load_ohm
    v1, i1 = network.a * v2 + network.b * i2, network.c * v2 + network.d * i2
    return v1 * i1, v2 * i2


class Pads(unittest.TestCase):
    @steady
    @given(LOSSES)
    def test_matched_they_lose_what_is_written_on_them_and_stay_matched(self, thrown: list[float]) -> None:
        network = pads(thrown)
        into, out = heat_w(network, load_ohm=OHM)
        self.assertAlmostEqual(10.0 * math.log10(into / out), sum(thrown), places=6)
        self.assertAlmostEqual(network.input_ohm(load_ohm=OHM) / OHM, 1.0, places=9)
        self.assertAlmostEqual(network.output_ohm(source_ohm=OHM) / OHM, 1.0, places=9)

    @steady
    @given(st.floats(0.1, 40.0))
    def test_what_a_pad_takes_in_and_does_not_give_out_warms_its_resistors(self, loss_db: float) -> None:
        into, out = heat_w(pad(loss_db), load_ohm=OHM)
        k = 10.0 ** (loss_db / 20.0)
        arm, leg = OHM * (k - 1.0) / (k + 1.0), 2.0 * OHM * k / (k * k - 1.0)
        i2 = 1.0 / OHM
        across_leg = 1.0 + arm * i2
        i1 = i2 + across_leg / leg
        self.assertAlmostEqual((into - out) / (arm * i2**2 + across_leg**2 / leg + arm * i1**2), 1.0, places=9)

    @steady
    @given(st.lists(st.tuples(st.booleans(), OHMS), min_size=1, max_size=6), OHMS, OHMS)
    def test_a_passive_network_carries_both_ways_alike(self, parts: list[tuple[bool, float]], source_ohm: float, load_ohm: float) -> None:
        network = TwoPort(1.0, 0.0, 0.0, 1.0)
        for in_line, ohm in parts:
            network = network.then(series(ohm) if in_line else shunt(ohm))

        def current(n: TwoPort, source: float, load: float) -> float:
            """Amperes in the load for one volt behind the source."""
            return 1.0 / (n.a * load + n.b + source * (n.c * load + n.d))

        forwards, backwards = current(network, source_ohm, load_ohm), current(network.reversed(), load_ohm, source_ohm)
        self.assertAlmostEqual(forwards / backwards, 1.0, places=6)

    def test_at_a_grid_a_pad_takes_its_decibels_off(self) -> None:
        receiver = PracticeReceiver(dossiers.model("halvern-6b"), seed=1, misalign="none")
        hands = Hands(receiver, keep=lambda: None)
        hands.answer('LEAD "V1-g1"')
        receiver.feed = Input(468e3, 1e-3, 0.3)
        before = receiver.free_v()
        hands.answer("LEAD:PADS 20,6")
        self.assertEqual(hands.answer("LEAD:PADS?"), "20,6")
        self.assertAlmostEqual(20.0 * math.log10(before / receiver.free_v()), 26.0, delta=0.01)
        hands.answer("LEAD:PADS 0")
        self.assertEqual(receiver.free_v(), before)


class Reciprocity(unittest.TestCase):
    def test_a_transformer_of_the_strip_carries_both_ways_alike(self) -> None:
        receiver = PracticeReceiver(dossiers.model("corvane-r-40"), seed=4, misalign="severe")
        for stage in (s for s in receiver.chain.stages if isinstance(s, Pair)):
            one, two = stage.primary, stage.secondary
            for f in (459e3, 465e3, 470e3):
                backwards = abs(
                    pair_transfer(
                        f_hz=f, f1_hz=two.frequency_hz(), q1=two.q_factor, f2_hz=one.frequency_hz(), q2=one.q_factor, kappa=stage.kappa
                    )
                )
                self.assertAlmostEqual(stage.transfer(f, receiver.now()) / backwards, 1.0, places=9)

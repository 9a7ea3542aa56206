"""Which windings may stand as a pattern for another: those that do the same work and have about its ohms.

Two windings of the IF strip are sisters; an aerial coil and a mains transformer never are, whatever they measure.
"""

from collections.abc import Mapping, Sequence

from calm_needle.core.soundness.parts_sweep import Part

OHM_APART = 1.3  # times, up to which two windings are taken for one make by their drawn ohms
ELSEWHERE = "elsewhere"  # the sister is in another set, or in the drawer: what it reads is typed


def sisters_of(subject: str, *, windings: Sequence[Part], work_of: Mapping[str, str]) -> list[Part]:
    """Return the windings that may stand as a pattern for one, the likest first. work_of: what each does, by its part; ohms as drawn.

    Empty where the subject is none of them, or there is none like it.
    """
    own = next((w for w in windings if w.id == subject), None)
    if own is None:
        return []
    alike = [w for w in windings if w.id != subject and work_of.get(w.id) == work_of.get(subject)]
    near = [w for w in alike if 1.0 / OHM_APART <= w.nominal / own.nominal <= OHM_APART]
    return sorted(near, key=lambda w: (abs(w.nominal / own.nominal - 1.0), w.id))

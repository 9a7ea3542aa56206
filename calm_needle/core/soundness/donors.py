"""Donor stock: what kinds of part are kept, and which of them may stand in for a part of a set."""

import re
from collections.abc import Iterable
from typing import NamedTuple

from calm_needle.core.soundness.parts_sweep import Part

UNTESTED = "not tested"
TESTED = ("good", "weak", "bad", UNTESTED)
USABLE = ("good", "weak", UNTESTED)
LEAST_WORD = 3  # letters of a word that tells one part from another


class DonorKind(NamedTuple):
    """A kind of part that is kept. unit: of its value, empty where it has none; for_kinds: the kinds of a dossier's parts that it may stand
    in for; share: by how much its value may differ, 0 where it goes by its name; then: what its taking makes due (C39)."""

    name: str
    unit: str = ""
    for_kinds: tuple[str, ...] = ()
    share: float = 0.0
    then: str = ""


KINDS: dict[str, DonorKind] = {
    k.name: k
    for k in (
        DonorKind(
            "capacitor", "F", ("capacitor",), 0.2, "Its working voltage is at least that of the old one; reform an electrolytic slowly."
        ),
        DonorKind("resistor", "Ω", ("resistor", "control"), 0.1, "Its wattage is at least that of the old one."),
        DonorKind(
            "coil or transformer",
            "",
            ("winding",),
            0.0,
            "Compare terminals and ohms first. What it tunes is aligned again; a core that peaks only at its stop tells of another value.",
        ),
        DonorKind("valve", "", ("device",), 0.0, "Compare its base and its emission; stages that it works in are aligned again."),
        DonorKind(
            "tuning gang",
            "",
            ("contact",),
            0.0,
            "Compare sections, terminals and the rotor’s way. Equal sections are not yet equal to the old ones: the dial is set anew.",
        ),
        DonorKind("other"),
    )
}


class Donor(NamedTuple):
    """A part in the stock: value in SI where its kind has one; how many are left; its last test and when."""

    id: int
    kind: str
    name: str
    value: float | None
    from_what: str
    place: str
    left: int
    tested: str
    test_words: str
    tested_utc: str


def offered(part: Part, stock: Iterable[Donor], *, model_name: str) -> list[Donor]:
    """Return what of the stock may stand in for a part, the surest first: by its value, or by its name or the set that it came out of."""
    fitting = [
        d for d in stock if d.left > 0 and d.tested in USABLE and part.kind in KINDS[d.kind].for_kinds and _fits(part, d, model_name)
    ]
    return sorted(fitting, key=lambda d: (USABLE.index(d.tested), d.id))


def _fits(part: Part, donor: Donor, model_name: str) -> bool:
    share = KINDS[donor.kind].share
    if share and donor.value is not None:
        return abs(donor.value - part.nominal) <= share * part.nominal
    own, theirs = _words(f"{donor.name} {donor.from_what}"), _words(f"{part.id} {part.name} {part.can}")
    return bool(own & theirs) or _words(model_name) <= own


def _words(text: str) -> set[str]:
    """What tells parts apart in a text: words with a figure in them, and longer ones."""
    found = re.findall(r"[^\W_]+(?:-[^\W_]+)*", text.lower())
    return {w for w in found if len(w) >= LEAST_WORD or any(c.isdigit() for c in w)} - COMMON


COMMON = frozenset(
    ("the", "and", "coil", "valve", "transformer", "winding", "primary", "secondary", "capacitor", "resistor", "from", "set", "of")
)

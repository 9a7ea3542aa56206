"""The cautions: which hazard goes with which safety class and step, and what to say. Short, and never dismissed for good."""

from typing import NamedTuple

LAST_WORD = "Local codes and licensed practice have the last word."


class Caution(NamedTuple):
    """A hazard, and what to do about it."""

    id: str
    title: str
    words: str


BY_ID: dict[str, Caution] = {
    c.id: c
    for c in (
        Caution(
            "high-volts",
            "High volts inside",
            "Hundreds of volts on the rails, in the smoothing capacitors after switch-off too. One hand, insulated tools; "
            "bleed through a resistor and prove with a meter before touching.",
        ),
        Caution(
            "grid-blocking",
            "Block the direct volts",
            "Clip the generator on with the power off, through a capacitor rated for the highest volts in the set.",
        ),
        Caution(
            "live-chassis",
            "Treat the chassis as live",
            "No mains transformer, or not yet measured: isolating transformer, and no earthed gear on it before it has been measured.",
        ),
        Caution("battery", "Battery set", "Low volts. Mind the polarity, and take the battery out before soldering."),
        Caution(
            "transmitter",
            "Transmitter",
            "Rated dummy load first, bias before key, watch the clock while it is out of tune. Transmit only where licensed.",
        ),
        Caution(
            "first-power",
            "First power",
            "A limiter first, in rungs, each with a limit at which to stop. Meters clipped on before it is switched on. "
            "The output loaded, the volume down; stand clear, and never leave it alone.",
        ),
        Caution("smoke", "Smoke or a hot smell", "Off at once. Note the time. Find its origin before power returns."),
        Caution(
            "loud",
            "Load on, volume down",
            "A loudspeaker or a resistor on the output, always. Volume down before the signal comes: it may be very loud.",
        ),
        Caution("valve-out", "Pulling a valve", "Power off and discharged first; it is hot. In a series chain it opens all the heaters."),
        Caution("hot", "Hot parts", "Valves and resistors: wait, or wear a glove. Heat is judged without touching."),
        Caution(
            "soldering",
            "Flux, lead and solvents",
            "Power off and discharged. Air the room, let solvents dry before power returns, wash your hands.",
        ),
        Caution(
            "mains-rated",
            "Parts at the mains",
            "By the same safety class, and flameproof for flameproof. An old metal rectifier that fails gives off poisonous fumes.",
        ),
        Caution(
            "rectifier",
            "Old metal rectifier",
            "Never run to failure: its fumes are poisonous, so air the room. Silicon in its place gives more volts: a series "
            "resistor, worked out first, keeps the rail where it was.",
        ),
        Caution(
            "unknown-stuff",
            "Paint and powder",
            "Luminous paint, unknown residue, white ceramic of power devices: do not scrape or break it; gloves, and take advice.",
        ),
        Caution(
            "solvents",
            "Solvents and spray",
            "Power off, plug out. They burn and their vapour does too: air the room, no iron and no flame near; let all of it dry before "
            "power returns. Try it on a hidden spot first: some eat plastic, wax and printed scales.",
        ),
        Caution(
            "brittle-lugs",
            "Brittle lugs",
            "Old lugs and coil formers break when a joint is worked at. "
            "Cut the lead near the old part and hook the new one on, or heat and wait.",
        ),
        Caution(
            "heavy",
            "A heavy chassis",
            "Plug out, valves and pilot lamps out where they stand proud. "
            "Turn it over with two hands on to soft supports, never on to glass or cores.",
        ),
        Caution(
            "old-dust",
            "Old dust and residues",
            "Old dust, mouse dirt, leaked battery and capacitor: gloves and a mask, damp instead of blown, wash your hands. "
            "Asbestos sheet behind a dropper stays where it is.",
        ),
        Caution(
            "added-supply",
            "An added supply",
            "Its own fuse, an isolating transformer, its minus where the set’s own goes; "
            "no earthed gear on the set until the volts between the two are measured.",
        ),
        Caution(
            "blade",
            "A blade in a live set",
            "An insulated handle, one hand, the other in a pocket. Only a core’s hole: nothing that can slip on to a tag.",
        ),
        Caution(
            "soak",
            "Left to play",
            "Somebody stays with it, in sight and hearing. Fused, its back clear, nothing that burns near; "
            "a time at which it is switched off.",
        ),
        Caution("brittle", "Brittle cores", "The right tool, fully home. Wax is melted or picked out. Never force a core."),
    )
}
BY_SAFETY_CLASS: dict[str, tuple[str, ...]] = {
    "isolated by a transformer": ("high-volts",),
    "live chassis": ("live-chassis", "high-volts"),
    "battery": ("battery",),
    "high-voltage transmitter": ("transmitter", "high-volts"),
    "unknown": ("live-chassis", "high-volts"),
}


def cautions_for(*, safety_class: str, hazards: tuple[str, ...] = ()) -> list[Caution]:
    """Return the cautions of a safety class and of a step's hazards, the class's first, each once.

    A class that is not known is treated as live. A hazard without words of ours is shown by its own name.
    """
    wanted = [*BY_SAFETY_CLASS.get(safety_class, BY_SAFETY_CLASS["unknown"]), *hazards]
    return [BY_ID.get(h) or Caution(h, h.replace("-", " ").capitalize(), "See the dossier.") for h in dict.fromkeys(wanted)]

"""A search for a level that a hand makes: how far to turn the generator's attenuator next, and what is said to the person at it."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.procedure.advice import Advice
from calm_needle.core.quantities import format_db, format_si
from calm_needle.core.verification.definitions import Definition, State
from calm_needle.core.verification.level_for_ratio import Found, Tried, level_of, next_level

LEAST_V, MOST_V = 1e-7, 0.1  # V, what a bench generator delivers
KNOWN_DB = 0.5  # standard deviation to which a level found by hand and needle is searched
FEWEST, MOST = 3, 12  # tries
MUCH_DB, LITTLE_DB = 6.0, 2.0  # of a move of the attenuator
STATES: dict[State, str] = {"tone": "modulation on", "carrier": "modulation off", "off": "generator’s output off", "standard": ""}


class Led(NamedTuple):
    """Where a search stands. level_v: to be tried next, None when nothing more is to be tried; found: the level as far as it is known;
    done: whether it may be kept."""

    advice: Advice
    level_v: float | None
    found: Found | None
    done: bool


def led(tried: Sequence[Tried], definition: Definition, *, first_v: float) -> Led:
    """Return where a search by hand stands, from what was tried so far. first_v: where it begins (V)."""
    wanted = {"wanted_db": definition.apart_db, "slope": definition.slope}
    found = level_of(tried, **wanted) if tried else None  # type: ignore[arg-type]
    if found and found.near >= FEWEST and found.sigma_db <= KNOWN_DB:
        return Led(_here(found), None, found, done=True)
    level_v = next_level(tried, **wanted, least_v=LEAST_V, most_v=MOST_V, first_v=first_v) if len(tried) < MOST else None  # type: ignore[arg-type]
    if level_v is None:
        if found:
            return Led(_here(found), None, found, done=True)
        sentence = f"{definition.short} was not reached between {_level(LEAST_V)} and {_level(MOST_V)}."
        evidence = "Is the set tuned to the generator, and the generator where it goes in? A slip below can be taken back."
        return Led(Advice("watch", "stop", sentence, evidence), None, None, done=False)
    return Led(_turn(tried, definition, level_v, found), level_v, found, done=False)


def _turn(tried: Sequence[Tried], definition: Definition, level_v: float, found: Found | None) -> Advice:
    if not tried:
        return Advice("calm", "eye", f"Set the generator to {_level(level_v)}, and read.", "From there it is said which way, and how far.")
    move_db = 20.0 * math.log10(level_v / tried[-1].level_v)
    amount = abs(move_db)
    how = "A hair" if amount < LITTLE_DB else "A little" if amount < MUCH_DB else ""
    way = "more" if move_db > 0 else "less"
    told = f"{how} {way}" if how else way.capitalize()
    evidence = f"There it was {format_db(tried[-1].apart_db)} dB; {definition.apart_db:g} dB is wanted."
    if found:
        evidence = f"About {_level(found.level_v)} so far, ± {2.0 * found.sigma_db:.1f} dB by {found.near}: once more beside it."
    return Advice("live", "onward", f"{told}: {format_db(move_db)} dB, to {_level(level_v)}.", evidence)


def now(apart_db: float, definition: Definition) -> Advice:
    """Return what is said to a hand at the attenuator while it turns: how far apart it is now, and which way, by how much."""
    move_db = (definition.apart_db - apart_db) / definition.slope[0]
    said = f"{format_db(apart_db)} dB now, {definition.apart_db:g} dB wanted"
    if abs(move_db) <= KNOWN_DB:
        return Advice("good", "crest", "Here: read it.", said)
    way, amount = ("more" if move_db > 0.0 else "less"), abs(move_db)
    how = "A hair" if amount < LITTLE_DB else "A little" if amount < MUCH_DB else ""
    return Advice("live", "onward", f"{how} {way}." if how else f"{way.capitalize()}.", said)


def _here(found: Found) -> Advice:
    evidence = f"By {found.near} readings near it, ± {2.0 * found.sigma_db:.1f} dB by the search alone."
    return Advice("good", "crest", f"Here: {_level(found.level_v)}.", evidence)


def _level(volts: float) -> str:
    return format_si(volts, unit="V", digits=3)

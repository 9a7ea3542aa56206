"""A sensitivity out of a recording of the set's output: its SINAD, and the level at which it would be the definition's."""

import math
import sqlite3

from calm_needle.core.physics.sine_fit import sinad
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.verification.definitions import DEFINITIONS, TONE_HZ
from calm_needle.errors import FieldsRefused, FileRefused, NoAnswer, NotUnderstood, OutOfRange
from calm_needle.files.wav import parse_wav
from calm_needle.work.verification import instruments_register, measuring

TONE_SHARE = 0.15  # so far a recorded tone may be from the definition's
FARTHEST_DB = 6.0  # so far a recording's level may be from the criterion's: beyond, a decibel is not worth what it is there
DB_OF_A_NEPER, AUDIO_HZ = 4.34, 3000.0


def from_recording(conn: sqlite3.Connection, job_id: int, form: dict[str, str], content: bytes, *, name: str) -> int:
    """Keep the sensitivity that a recording (WAV) at a level shows (band, at_hz, level_v, coupling, cover), and return its id.

    The level is moved to where SINAD would be the definition's, by what a decibel there is worth; a recording too far from it is refused
    with the level to record at. Raises NotFound, FieldsRefused with every fault; nothing is kept then.
    """
    definition = DEFINITIONS["sinad"]
    faults = {}
    try:
        level_v = parse_si(form.get("level_v", ""), unit="V")
    except NotUnderstood:
        level_v = 0.0
    if level_v <= 0:
        faults["level_v"] = "Write the level that the generator stood at: 5u, 3.2 µV."
    try:
        recording = parse_wav(content, name=name)
        found = sinad(recording=recording)
    except (FileRefused, NoAnswer, OutOfRange) as fault:
        raise FieldsRefused({**faults, "recording": str(fault).removeprefix("file: ")}) from None
    if abs(found.tone_hz / TONE_HZ - 1.0) > TONE_SHARE:
        faults["recording"] = f"Its tone is at {format_si(found.tone_hz, unit='Hz')}; by this definition it is {TONE_HZ:g} Hz."
    slope, slope_sigma = definition.slope
    off_db = (found.sinad_db - definition.apart_db) / slope
    if not faults and abs(off_db) > FARTHEST_DB:
        way, wanted = ("down", -off_db) if off_db > 0 else ("up", -off_db)
        there = format_si(level_v * 10.0 ** (wanted / 20.0), unit="V", digits=2)
        faults["recording"] = (
            f"It has {found.sinad_db:.1f} dB SINAD. Turn the level {way} by about {abs(off_db):.0f} dB, to {there}, and record again."
        )
    if faults:
        raise FieldsRefused(faults)
    seconds = len(recording.samples) / recording.rate_hz
    generator = instruments_register.sure(conn, instrument="generator", quantity="level")
    sigma = math.hypot(off_db * slope_sigma / slope, DB_OF_A_NEPER / math.sqrt(AUDIO_HZ * seconds), generator.sigma)
    moved = {**form, "definition": definition.words, "level_v": repr(level_v * 10.0 ** (-off_db / 20.0))}
    heard = {"recorded_at_v": level_v, "sinad_db": found.sinad_db, "recorded_s": seconds}
    return measuring.write_down(conn, job_id, "sensitivity", moved, sigma=sigma, source="recording", heard=heard)

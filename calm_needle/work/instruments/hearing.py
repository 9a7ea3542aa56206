"""Listening at the audio input: what a page sends, what is said of it, the comparison with a voltmeter, being led by it."""

import json
import math
import sqlite3
from typing import Any, NamedTuple

from calm_needle.bench.ears import BROWSERS_OWN, TONE_HZ, Ears, Source, Told
from calm_needle.clock import SYSTEM, Clock
from calm_needle.core.physics.beat_side import LEAST_HZ, BeatAgainst, beat_against
from calm_needle.core.physics.listening import FASTEST_HZ, SLOWEST_HZ
from calm_needle.core.quantities import format_db, format_si, parse_si
from calm_needle.errors import FieldsRefused, InstrumentError, NoAnswer, NotUnderstood, OutOfRange
from calm_needle.store import bench as bench_store
from calm_needle.work.instruments.equipment import Equipment
from calm_needle.work.instruments.live_bench import LiveBench

SETTING = "ears-volts"
PRACTICE = "the practice set’s loudspeaker"
PRACTICE_LATER_S = 0.55  # it is played before it is heard
FULL_PEAK_V = 4.0  # of that loudspeaker, as a page plays it to the ears: a sine at full scale
LONGEST_LABEL, MOST_INPUTS = 80, 40
LOWEST_TONE_HZ, HIGHEST_TONE_HZ = 50.0, 3500.0
MOST_V = 1000.0
MOST_AT_ONCE_S = 0.5
MAY_BE_UNKNOWN = ("within",)  # of a carrier: how well it is known
DRIFTS_HZ = 0.5  # of a tone within what is judged at once
FLAT_TOPS = "Its tops are flat: the set, or something before this input, clips."
LEAST_SINAD_DB = 6.0  # below it, what stands at the harmonics is hiss
LOUD, TOO_QUIET = "The input is too loud, and clips: turn its level down.", "The input is quiet: turn its level up, or the volume."


def take(
    ears: Ears,
    block: bytes,
    *,
    label: str,
    rate_hz: float,
    number: int,
    processed: str = "",
    tone_hz: float | None = TONE_HZ,
    page: str = "",
) -> dict[str, Any]:
    """Take a block that a page sent, and return what to show. number: how many samples of that input came before it. processed: what the
    browser does to the sound all the same, by its names. page: which page it is.

    Raises OutOfRange for what is no block, no rate or no tone of sound.
    """
    own = tuple(words for name, words in BROWSERS_OWN.items() if name in processed.split(","))
    name = " ".join(label.split())[:LONGEST_LABEL]
    source = Source(name, rate_hz, own, PRACTICE_LATER_S) if name == PRACTICE else Source(name, rate_hz, own)
    wanted = tone_hz if tone_hz and LOWEST_TONE_HZ <= tone_hz <= HIGHEST_TONE_HZ else None
    return shown(ears.take(block, source=source, number=number, tone_hz=wanted, page=page[:LONGEST_LABEL]))


def shown(told: Told) -> dict[str, Any]:
    """Return what is known of the sound as it is shown: figures as text, the level as a number for the pointer, a state and a sentence."""
    level, heard, beat = told.level, told.heard, told.beat
    if level is None:
        return {"state": "stop", "words": told.why, "at_dbfs": None, "figures": {}}
    figures = {"tone": format_si(level.tone_hz, unit="Hz", digits=4), "level": f"{format_db(level.tone_dbfs)} dB"}
    figures["total"] = f"{format_db(level.total_dbfs)} dB"
    if told.volts is not None:
        figures["volts"] = format_si(told.volts, unit="V", digits=3)
    if heard:
        figures |= {
            "sinad": f"{heard.sinad_db:.1f} dB",
            "signal_to_noise": f"{heard.signal_to_noise_db:.1f} dB",
            "hiss": f"{format_db(heard.hiss_dbfs)} dB",
            "hum": f"{format_db(heard.hum_dbfs)} and {format_db(heard.hum_twice_dbfs)} dB",
        }
    if heard and heard.distortion_percent is not None and heard.sinad_db > LEAST_SINAD_DB:
        figures["distortion"] = f"{heard.distortion_percent:.1f} %"
    if beat:
        figures["beat"] = f"{beat.pitch_hz:.1f} Hz ± {max(beat.sure_hz, 0.1):.1f} Hz"
    if heard and heard.drift_hz >= DRIFTS_HZ:
        figures["drift"] = f"{heard.drift_hz:.1f} Hz in half a second, followed"
    flat = FLAT_TOPS if heard and heard.flat_tops else ""
    words = LOUD if level.clips else TOO_QUIET if level.quiet else told.why or flat or "Listening."
    state = "stop" if level.clips else "watch" if level.quiet or told.why or flat else "good"
    return {"state": state, "words": words, "at_dbfs": round(level.tone_dbfs, 2), "figures": figures}


def compare(conn: sqlite3.Connection, ears: Ears, form: dict[str, str]) -> None:
    """Keep a voltmeter's reading of what is heard now, so that the ears tell volts on that input. Raises FieldsRefused."""
    try:
        volts = parse_si(form.get("volts", ""), unit="V")
    except NotUnderstood as fault:
        raise FieldsRefused({"volts": str(fault)}) from None
    if not 0.0 < volts <= MOST_V:
        raise FieldsRefused({"volts": "Write what the voltmeter across the output shows now, such as 0.5 V."})
    try:
        ears.compare(volts)
    except InstrumentError as fault:
        raise FieldsRefused({"volts": str(fault)}) from None
    known = {label: full for label, full in list(ears.known.items())[-MOST_INPUTS:] if label != PRACTICE}
    bench_store.put_setting(conn, SETTING, json.dumps(known, ensure_ascii=False))


def remember(conn: sqlite3.Connection, ears: Ears) -> None:
    """Give the ears the comparisons that were kept, input by input; what a practice set's loudspeaker gives is known."""
    kept = bench_store.setting(conn, SETTING)
    ears.known = (json.loads(kept) if kept else {}) | {PRACTICE: FULL_PEAK_V / math.sqrt(2.0)}


class Sided(NamedTuple):
    """Where something runs by its beat with a carrier, that in words, and as the fields of a check of it in the register."""

    found: BeatAgainst
    words: str
    check: dict[str, str]


class Counted(NamedTuple):
    """A beat that was counted on the page: its pitch (Hz) and how sure it is (Hz)."""

    pitch_hz: float
    sure_hz: float

    @property
    def words(self) -> str:
        """The pitch as it is shown."""
        return f"{self.pitch_hz:.1f} Hz ± {self.sure_hz:.1f} Hz"


def count(ears: Ears) -> Counted:
    """Count the beat of the last two seconds. Raises FieldsRefused in words where none is."""
    try:
        heard = ears.beat()
    except InstrumentError as fault:
        raise FieldsRefused({"beat": str(fault)}) from None
    if heard is None:
        raise FieldsRefused({"beat": "No beat stands out of the hiss. Bring the two nearer together, or make them louder."})
    return Counted(heard.pitch_hz, max(heard.sure_hz, LEAST_HZ))


def against_carrier(ears: Ears, form: dict[str, str], *, clock: Clock = SYSTEM) -> Sided:
    """Count the beat once more after what makes it was raised a little, and return on which side of a known carrier it runs, and where.

    form: the carrier's frequency (known), how well it is known (within), what was counted before (pitch, sure). Raises FieldsRefused.
    """
    faults: dict[str, str] = {}
    values: dict[str, Any] = {}
    for name, usual in (("known", None), ("within", None), ("pitch", None), ("sure", LEAST_HZ)):
        try:
            text = form.get(name, "").strip()
            values[name] = usual if not text and (usual is not None or name in MAY_BE_UNKNOWN) else parse_si(text, unit="Hz")
        except NotUnderstood as fault:
            faults[name if name in ("known", "within") else "beat"] = str(fault)
    if faults:
        raise FieldsRefused(faults)
    now = count(ears)
    try:
        found = beat_against(
            known_hz=values["known"],
            pitch_hz=values["pitch"],
            raised_pitch_hz=now.pitch_hz,
            sure_hz=math.hypot(values["sure"], now.sure_hz),
            known_within_hz=values["within"],
        )
    except (NoAnswer, OutOfRange) as fault:
        said = str(fault).removeprefix("beat: ")
        raise FieldsRefused({"beat": said[:1].upper() + said[1:]}) from None
    ppm = format_si(found.apart_ppm, unit="ppm", digits=3, signed=True)
    u95 = (
        "unknown, because the carrier’s is not given"
        if found.uncertainty_hz is None
        else format_si(found.uncertainty_hz, unit="Hz", digits=2)
    )
    words = (
        f"Yours runs {found.side} the carrier: at {format_si(found.own_hz, unit='Hz', digits=9)}, "
        f"{format_si(found.apart_hz, unit='Hz', digits=5, signed=True)} from it ({ppm}); uncertainty (95 %) {u95}."
    )
    check = {
        "checked_on": clock.text()[:10],
        "against": f"{form.get('name', '').strip()[:60] or 'a carrier'}, {format_si(values['known'], unit='Hz', digits=7)}",
        "found_off": f"{found.apart_ppm:.3g} ppm",
        "uncertainty": "" if found.uncertainty_hz is None else f"{1e6 * found.uncertainty_hz / values['known']:.2g} ppm",
    }
    return Sided(found, words, check)


def loudspeaker(equipment: Equipment, *, samples: int, rate_hz: float) -> bytes:
    """Return the next samples at the practice set's loudspeaker: volts, four bytes each, the least first.

    Raises FieldsRefused where there is no practice set, OutOfRange for more than half a second, InstrumentError.
    """
    if not (0.0 < samples <= MOST_AT_ONCE_S * rate_hz and SLOWEST_HZ <= rate_hz <= FASTEST_HZ):
        raise OutOfRange(
            "samples", shown=f"{samples} at {rate_hz:g} Hz", wanted=f"at most half a second of {SLOWEST_HZ:g} to {FASTEST_HZ:g} Hz"
        )
    practice = equipment.practice
    if practice is None:
        raise FieldsRefused(
            {"": "There is no practice set on the bench, so nothing of it can be heard. Put one there on the instruments’ page."}
        )
    # Not under the bench's lock: whoever reads by ear holds it while waiting for this very sound.
    return practice.sound(samples=samples, rate_hz=rate_hz)


def be_led(live: LiveBench, *, on: bool) -> None:
    """Let the ears be the meter at the output from now on, or no longer."""
    live.listen(on)

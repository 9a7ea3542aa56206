"""Recordings of a set's output kept with a job: as evidence that can be played beside another, and judged again to the same figures."""

import base64
import binascii
import hashlib
import io
import json
import math
import sqlite3
import wave
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

from calm_needle.bench.ears import Ears
from calm_needle.clock import now_utc, seconds
from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.heard import beat, hear
from calm_needle.core.physics.listening import FASTEST_HZ, SLOWEST_HZ
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.core.quantities import format_db, format_si
from calm_needle.errors import Fault, FieldsRefused, FileRefused, InstrumentError, NoAnswer, NotFound, OutOfRange
from calm_needle.files.wav import parse_wav
from calm_needle.store import recordings as store
from calm_needle.store import shelf
from calm_needle.store.db import transaction
from calm_needle.store.recordings import RecordingRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs.shelf import job_of

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")

LONGEST_S, SHORTEST_S = 30.0, 0.5
LENGTHS_S = (2, 5, 10, 30)  # that are offered
MOST_LETTERS_OF_A_JOB = 80_000_000  # of base64: a minute and a half at the fastest rate, ten minutes at the usual ones
PART_S = 0.5
WITH_A_READING_S = 5.0  # so old a reading may be to be the one that goes with what is heard
LONGEST_WORDS = 120
MOST_LISTED = 50
FIGURES: Mapping[str, tuple[str, str]] = {  # of what was judged: how it is called, and its unit
    "tone_hz": ("Tone", "Hz"),
    "tone_dbfs": ("Its level re full scale", "dB"),
    "sinad_db": ("SINAD", "dB"),
    "signal_to_noise_db": ("(S+N)/N", "dB"),
    "distortion_percent": ("Distortion", "%"),
    "hiss_dbfs": ("Hiss", "dB"),
    "hum_dbfs": ("Hum at the mains", "dB"),
    "hum_twice_dbfs": ("Hum at twice that", "dB"),
    "pitch_hz": ("Strongest pitch", "Hz"),
}
RATIOS = ("sinad_db", "signal_to_noise_db")  # which have no sign
COMPARED = (
    "tone_dbfs",
    "sinad_db",
    "signal_to_noise_db",
    "hiss_dbfs",
    "hum_dbfs",
    "hum_twice_dbfs",
)  # their difference says something


@dataclass(frozen=True)
class Kept:
    """A recording as it is shown: its row, how long it is, what it was taken with in words, its figures by name."""

    row: RecordingRow
    with_reading: str
    figures: dict[str, float]

    @property
    def said(self) -> list[tuple[str, str]]:
        """What was judged, in words."""
        return [(FIGURES[n][0], shown(n, self.figures[n])) for n in FIGURES if n in self.figures]


class Pair(NamedTuple):
    """Two recordings side by side: figure, first, second, difference; whether each judged again gave the same."""

    one: Kept
    two: Kept
    lines: list[tuple[str, str, str, str]]
    again: tuple[bool, bool]


@dataclass(frozen=True)
class RecordingsView:
    """The recordings of a job, the newest first, and two of them side by side."""

    job: JobRow
    kept: list[Kept]
    pair: Pair | None
    full: bool


def shown(name: str, value: float) -> str:
    """Return a figure as it is shown."""
    unit = FIGURES[name][1]
    if name in RATIOS:
        return f"{value:.1f} dB".replace("-", "−")
    return f"{format_db(value)} dB" if unit == "dB" else f"{value:.2f} %" if unit == "%" else format_si(value, unit=unit, digits=5)


def judged(samples: bytes, *, rate_hz: float, tone_hz: float | None) -> dict[str, float]:
    """Return all figures of 16-bit samples: nothing but what they hold bears on them. Without a tone in it, none."""
    recording = Recording(rate_hz, np.frombuffer(samples, dtype="<i2").astype(float) / 32768.0, "recording")
    out: dict[str, float] = {}
    with suppress(NoAnswer, OutOfRange):
        heard = hear(recording=recording, tone_hz=tone_hz)
        out |= {name: float(value) for name, value in heard._asdict().items() if name in FIGURES and value is not None}
    with suppress(NoAnswer, OutOfRange):
        out["pitch_hz"] = float(beat(recording=recording).pitch_hz)
    return {name: value for name, value in out.items() if math.isfinite(value)}


def keep_heard(conn: sqlite3.Connection, ears: Ears, form: Mapping[str, str]) -> int:
    """Keep what the ears have just heard (job, seconds, words) and return the job's id. Raises NotFound, FieldsRefused."""
    faults = {}
    job_id, length = _whole(form.get("job", "")), _whole(form.get("seconds", ""))
    if job_id is None:
        faults["job"] = "Choose the job that it belongs to."
    if length is None or not SHORTEST_S <= length <= LONGEST_S:
        faults["seconds"] = f"At most {LONGEST_S:g} seconds are kept."
    words = _words(form, faults)
    if faults or job_id is None or length is None:
        raise FieldsRefused(faults)
    job_of(conn, job_id)
    try:
        heard = ears.last(float(length))
    except InstrumentError as fault:
        raise FieldsRefused({"seconds": str(fault)}) from None
    newest = store.newest_reading(conn, job_id)
    fresh = newest is not None and 0.0 <= seconds(now_utc(conn)) - seconds(newest[1]) <= WITH_A_READING_S
    _keep(
        conn,
        job_id,
        heard.samples,
        words=words,
        label=heard.label or "audio input",
        rate_hz=heard.rate_hz,
        tone_hz=heard.tone_hz,
        reading_id=newest[0] if newest and fresh else None,
    )
    return job_id


def bring(conn: sqlite3.Connection, job_id: int, form: Mapping[str, str], content: bytes, *, name: str) -> None:
    """Keep a WAV file with a job (words): its first channel, 16 bits a sample. Raises NotFound, FieldsRefused."""
    job_of(conn, job_id)
    faults: dict[str, str] = {}
    words = _words(form, faults)
    try:
        found = parse_wav(content, name=name)
    except FileRefused as fault:
        raise FieldsRefused({**faults, "recording": str(fault)}) from None
    length_s = len(found.samples) / found.rate_hz
    if not SLOWEST_HZ <= found.rate_hz <= FASTEST_HZ:
        faults["recording"] = f"It has {found.rate_hz:g} samples a second; {SLOWEST_HZ:g} to {FASTEST_HZ:g} can be judged."
    elif not SHORTEST_S <= length_s <= LONGEST_S:
        faults["recording"] = f"It lasts {length_s:.1f} s; {SHORTEST_S:g} to {LONGEST_S:g} s are kept. Cut it to what shows it."
    if faults:
        raise FieldsRefused(faults)
    samples = np.clip(np.round(found.samples * 32768.0), -32768, 32767).astype("<i2").tobytes()
    _keep(conn, job_id, samples, words=words, label=name[:80] or "file", rate_hz=found.rate_hz, tone_hz=None, reading_id=None)


def _keep(
    conn: sqlite3.Connection,
    job_id: int,
    samples: bytes,
    *,
    words: str,
    label: str,
    rate_hz: float,
    tone_hz: float | None,
    reading_id: int | None,
) -> None:
    parts = in_parts(samples, rate_hz=rate_hz)
    if store.letters_of_job(conn, job_id) + sum(map(len, parts)) > MOST_LETTERS_OF_A_JOB:
        raise FieldsRefused({"words": "This job keeps as much sound as a job may. Delete one that proves nothing, or keep a shorter one."})
    figures = judged(samples, rate_hz=rate_hz, tone_hz=tone_hz)
    with transaction(conn):
        store.add(
            conn,
            job_id=job_id,
            reading_id=reading_id,
            words=words,
            input_label=label,
            rate_hz=rate_hz,
            tone_hz=tone_hz,
            sha256=hashlib.sha256(samples).hexdigest(),
            judged=json.dumps(figures),
            parts=parts,
            at_utc=now_utc(conn),
        )


def in_parts(samples: bytes, *, rate_hz: float) -> list[str]:
    """Return samples as base64 in parts of half a second."""
    size = 2 * max(1, int(rate_hz * PART_S))
    return [base64.b64encode(samples[i : i + size]).decode() for i in range(0, len(samples), size)]


def jobs_to_keep_for(conn: sqlite3.Connection) -> list[tuple[int, str]]:
    """Return the jobs that a recording may be kept with, each with what it is called: that of the newest run first, then the newest."""
    jobs, in_hand = shelf.newest_jobs(conn, limit=MOST_LISTED), store.job_of_newest_run(conn)
    jobs.sort(key=lambda j: j.id != in_hand)
    return [(j.id, f"{j.id}: {j.model_name} no. {j.serial}") for j in jobs]


def view(conn: sqlite3.Connection, job_id: int, *, one: int | None = None, two: int | None = None) -> RecordingsView:
    """Return the recordings of a job, and two side by side, each judged again. Raises NotFound."""
    job, kept = job_of(conn, job_id), kept_of(conn, job_id)
    pair = None
    if one is not None and two is not None:
        first, second = _find(kept, one), _find(kept, two)
        pair = Pair(first, second, _beside(first, second), (_again(conn, first), _again(conn, second)))
    return RecordingsView(job, kept[::-1], pair, store.letters_of_job(conn, job_id) >= MOST_LETTERS_OF_A_JOB)


def kept_of(conn: sqlite3.Connection, job_id: int) -> list[Kept]:
    """Return the recordings of a job, oldest first, as they are shown."""
    return [_kept(conn, row) for row in store.of_job(conn, job_id)]


def _kept(conn: sqlite3.Connection, row: RecordingRow) -> Kept:
    words = ""
    if row.reading_id is not None:
        value, unit, f_hz, level_v = store.reading(conn, row.reading_id)
        read = f"{format_db(value)} dB" if unit == "dB" else format_si(value, unit=unit, digits=3)
        fed = [format_si(f_hz, unit="Hz", digits=6)] if f_hz else []
        fed += [format_si(level_v, unit="V", digits=3)] if level_v else []
        words = f"{read} read, generator at {', '.join(fed)}" if fed else f"{read} read"
    return Kept(row, words, figures_of(row))


def figures_of(row: RecordingRow) -> dict[str, float]:
    """Return the figures that were judged when it was kept."""
    return {str(n): float(v) for n, v in json.loads(row.judged).items() if n in FIGURES}


def _beside(one: Kept, two: Kept) -> list[tuple[str, str, str, str]]:
    lines = []
    for name, (title, _) in FIGURES.items():
        a, b = one.figures.get(name), two.figures.get(name)
        if a is not None or b is not None:
            apart = f"{b - a:+.1f} dB".replace("-", "−") if name in COMPARED and a is not None and b is not None else ""
            lines.append((title, "–" if a is None else shown(name, a), "–" if b is None else shown(name, b), apart))
    return lines


def _again(conn: sqlite3.Connection, kept: Kept) -> bool:
    """Whether judging what is kept gives the same figures, to the last digit."""
    return judged(samples_of(conn, kept.row), rate_hz=kept.row.rate_hz, tone_hz=kept.row.tone_hz) == kept.figures


def samples_of(conn: sqlite3.Connection, row: RecordingRow) -> bytes:
    """Return the samples of a recording."""
    return b"".join(base64.b64decode(part) for part in store.parts_of(conn, row.id))


def wav_of(conn: sqlite3.Connection, job_id: int, recording_id: int) -> bytes:
    """Return a recording as a WAV file. Raises NotFound."""
    row = _row(conn, job_id, recording_id)
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(round(row.rate_hz))
        file.writeframes(samples_of(conn, row))
    return out.getvalue()


def delete(conn: sqlite3.Connection, job_id: int, recording_id: int) -> None:
    """Delete a recording. Raises NotFound."""
    _row(conn, job_id, recording_id)
    with transaction(conn):
        store.delete(conn, recording_id)


def faults_of(columns: Sequence[str], rows: Sequence[Sequence[Any]], parts: Mapping[int, Sequence[str]]) -> list[Fault]:
    """Return what is wrong with the recordings of a job's file. parts: of each recording, by its number in the file, its samples."""
    faults = []
    if sum(len(p) for some in parts.values() for p in some) > MOST_LETTERS_OF_A_JOB:
        return [Fault("tables.recording_part", "there is more sound in it than a job may keep")]
    for number, values in enumerate(rows, start=1):
        row, at = dict(zip(columns, values, strict=True)), f"tables.recording[{number - 1}]"
        try:
            samples = b"".join(base64.b64decode(p, validate=True) for p in parts.get(number, ()))
        except (binascii.Error, ValueError):
            faults.append(Fault(at, "its samples are no base64"))
            continue
        rate_hz, figures = float(row["rate_hz"]), row["judged"]
        if not SLOWEST_HZ <= rate_hz <= FASTEST_HZ:
            faults.append(Fault(f"{at}.rate_hz", f"it is between {SLOWEST_HZ:g} and {FASTEST_HZ:g}"))
        elif len(samples) % 2 or not 0 < len(samples) <= 2 * math.ceil(LONGEST_S * rate_hz):
            faults.append(Fault(at, f"it holds {len(samples)} bytes of samples; at most {LONGEST_S:g} s of 16 bits each are kept"))
        elif hashlib.sha256(samples).hexdigest() != row["sha256"]:
            faults.append(Fault(f"{at}.sha256", "its samples are not those that were kept: they have another digest"))
        if not isinstance(figures, dict) or not all(
            n in FIGURES and isinstance(v, (int, float)) and not isinstance(v, bool) for n, v in figures.items()
        ):
            faults.append(Fault(f"{at}.judged", "its figures are no figures of a recording"))
        if len(str(row["words"])) > LONGEST_WORDS or len(str(row["input"])) > LONGEST_WORDS:
            faults.append(Fault(at, f"its words have at most {LONGEST_WORDS} letters"))
    return faults


def _row(conn: sqlite3.Connection, job_id: int, recording_id: int) -> RecordingRow:
    job_of(conn, job_id)
    found = next((r for r in store.of_job(conn, job_id) if r.id == recording_id), None)
    if found is None:
        raise NotFound("recording of this job", recording_id)
    return found


def _find(kept: Sequence[Kept], recording_id: int) -> Kept:
    found = next((k for k in kept if k.row.id == recording_id), None)
    if found is None:
        raise NotFound("recording of this job", recording_id)
    return found


def _words(form: Mapping[str, str], faults: dict[str, str]) -> str:
    words = " ".join(form.get("words", "").split())
    if not words:
        faults["words"] = "Say what it is: before, IFT2 peaked, with the filter in."
    elif len(words) > LONGEST_WORDS:
        faults["words"] = f"In at most {LONGEST_WORDS} letters."
    return words


def _whole(text: str) -> int | None:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 12 else None

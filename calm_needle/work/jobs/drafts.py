"""What was half typed and is offered back when the page is opened again."""

import json
import sqlite3
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.errors import FieldsRefused
from calm_needle.store import drafts as store
from calm_needle.work.jobs.shelf import job_of

LONGEST_FORM, LONGEST_WORDS, MOST_FIELDS, MOST_DRAFTS = 200, 2000, 40, 200


class Draft(NamedTuple):
    """A form by the key its page gives it, what stood in its fields, and when."""

    form: str
    fields: dict[str, str]
    at_utc: str


def keep(conn: sqlite3.Connection, job_id: int, *, form: str, fields: object) -> None:
    """Keep what is half typed; an empty form is let go. Raises NotFound, FieldsRefused."""
    job_of(conn, job_id)
    if not form or len(form) > LONGEST_FORM or not isinstance(fields, dict) or len(fields) > MOST_FIELDS:
        raise FieldsRefused({"form": "That is no draft."})
    typed = {str(k)[:60]: str(v)[:LONGEST_WORDS] for k, v in fields.items() if str(v).strip()}
    if not typed:
        store.forget_draft(conn, job_id=job_id, form=form)
        return
    if len(store.drafts_of_job(conn, job_id)) >= MOST_DRAFTS:
        raise FieldsRefused({"form": "There are too many drafts; keep or let go of some."})
    store.put_draft(conn, job_id=job_id, form=form, fields=json.dumps(typed, ensure_ascii=False), at_utc=now_utc(conn))


def forget(conn: sqlite3.Connection, job_id: int, form: str) -> None:
    """Let a draft go."""
    store.forget_draft(conn, job_id=job_id, form=form)


def of_job(conn: sqlite3.Connection, job_id: int) -> list[Draft]:
    """Return the drafts of a job, newest first. Raises NotFound."""
    job_of(conn, job_id)
    return [Draft(d.form, json.loads(d.fields), d.at_utc) for d in store.drafts_of_job(conn, job_id)]

"""Doing what was sent once: a double click, a retry, a page that was sent again get the answer of the first."""

import hashlib
from collections.abc import Iterable

from calm_needle.clock import clock_of, now_utc
from calm_needle.errors import SentTwice
from calm_needle.store import act_tokens
from calm_needle.work.workshop import Workshop

LONGEST_S, LOOK_S = 60.0, 0.05  # that somebody waits for the first to be done; and how often it is looked


def token_of(once: str, path: str, fields: Iterable[tuple[str, str]]) -> str:
    """Return the key of what was sent: by the form's own key, where it went, and all that stood in it. Another content is another act."""
    content = hashlib.sha256(repr((once, path, sorted(fields))).encode())
    return content.hexdigest()


def claim(workshop: Workshop, token: str) -> str | None:
    """Claim what was sent; None where it is the first time, else where the first answer led.

    Raises SentTwice where the first has no answer: it is being done still, or the program ended over it.
    """
    with workshop.store() as conn:
        if act_tokens.claim(conn, token, at_utc=now_utc(conn)):
            return None
        clock = clock_of(conn)
    waited_s = 0.0
    while waited_s < LONGEST_S:
        with workshop.store() as conn:
            found = act_tokens.answer(conn, token)
            if found:
                return found
            if found is None and act_tokens.claim(conn, token, at_utc=now_utc(conn)):
                return None  # the first was refused, and this is the next
        clock.wait(LOOK_S)
        waited_s += LOOK_S
    raise SentTwice()


def done(workshop: Workshop, token: str, answer: str) -> None:
    """Keep where the answer led; empty where nothing came of it, and it may be sent again."""
    with workshop.store() as conn:
        if answer:
            act_tokens.keep_answer(conn, token, answer)
        else:
            act_tokens.give_back(conn, token)

"""What was sent once, by the one-time key of its form and what stood in it."""

import sqlite3


def claim(conn: sqlite3.Connection, token: str, *, at_utc: str) -> bool:
    """Claim a key; return whether it is the first time."""
    row = conn.execute(
        "INSERT INTO act_token (token, at_utc) VALUES (:token, :at_utc) ON CONFLICT DO NOTHING RETURNING token",
        {"token": token, "at_utc": at_utc},
    ).fetchone()
    return row is not None


def answer(conn: sqlite3.Connection, token: str) -> str | None:
    """Return where the answer to a claimed key led, empty for one without an answer; None for a key that nobody has claimed."""
    row = conn.execute("SELECT answer FROM act_token WHERE token = :token", {"token": token}).fetchone()
    return None if row is None else str(row[0])


def keep_answer(conn: sqlite3.Connection, token: str, answer: str) -> None:
    """Keep where the answer to a claimed key led."""
    conn.execute("UPDATE act_token SET answer = :answer WHERE token = :token", {"token": token, "answer": answer})


def give_back(conn: sqlite3.Connection, token: str) -> None:
    """Forget a key of which nothing came: what was refused may be sent again."""
    conn.execute("DELETE FROM act_token WHERE token = :token", {"token": token})


def forget_before(conn: sqlite3.Connection, at_utc: str) -> None:
    """Forget the keys of pages that nobody has open any more."""
    conn.execute("DELETE FROM act_token WHERE at_utc < :at_utc", {"at_utc": at_utc})

"""Requests that nobody means: every route of the map, with numbers, words and files that do not belong there. Seeded."""

import io
import random
import re
from collections import Counter
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import quote

from flask import Flask
from flask.testing import FlaskClient

SCREENS = Path(__file__).parents[2] / "calm_needle/web"
NUMBERS = ("0", "-1", "3", "²", "٣", "9" * 5000, str(2**63), str(2**64 + 1), "1e999", "NaN", "1_0", "0x10", "3.5", " 3", "+3", "")
WORDS = (
    "",
    " ",
    "x",
    "\x00",
    "a\x00b",
    "\ud800",
    "é" * 3000,
    "<script>alert(1)</script>",
    "'; DROP TABLE run; --",
    "{{ 7*7 }}",
    "../../etc/passwd",
    "\t//elsewhere.example/",
    "//elsewhere.example",
    "/\\elsewhere",
    "\r\nSet-Cookie: x=1",
    "💡" * 50,
    "%s%n",
    "1" * 100_000,
    "intermediate frequency",
    "instruments",
    "typed",
    "yes",
    "halvern-6b",
    "resonance",
    "468k",
    "412m",
)
JSONS = (
    "null",
    "[]",
    "{}",
    "[[1]]",
    '[[1e308,"x"]]',
    '{"form": {}, "fields": []}',
    '{"fields": {"a": {"b": 1}}}',
    "[" * 4000,
    "1e400",
    '"x"',
    "[[NaN, Infinity], [1, 2], [3, 4]]",
    "[[1,2],[1,2],[1,2],[1,2]]",
    '{"form": "f", "fields": {"\\ud800": "\\u0000"}}',
)
FILES = (
    b"",
    b"\x00" * 50,
    b"{}",
    b"\xff\xd8\xff\xe0rubbish",
    b"\x89PNG\r\n\x1a\nrubbish",
    b"RIFF\x00\x00\x00\x00WAVEfmt ",
    b'{"key": "\\ud800"}',
    b"a,b\n1,2\n",
)
KEYS = ("halvern-6b", "dunlin-3", "resonance", "tracking", "sinad", "coupled-pair", "bench", "shared", "needle", "drafts", "app.css")
# What starts processes, or asks for a host by name.
LEFT_OUT = ("instruments.stand_ins",)


class Outcome(NamedTuple):
    """How many requests got which status, and those that were answered by a failure of ours."""

    statuses: Counter[int]
    failures: list[str]


def throw(app: Flask, *, requests: int, seed: int) -> Outcome:
    """Send so many requests to an application; a bench page's stream is opened and let go."""
    rng = random.Random(seed)
    rules = [r for r in app.url_map.iter_rules() if r.endpoint not in LEFT_OUT]
    fields = _field_names()
    client = app.test_client()
    token = _token(client)
    statuses: Counter[int] = Counter()
    failures: list[str] = []
    for number in range(requests):
        rule = rules[number % len(rules)]
        method = (
            "POST"
            if "POST" in (rule.methods or ()) and rng.random() < 0.8
            else rng.choice(sorted((rule.methods or {"GET"}) & {"GET", "POST", "HEAD"}) or ["GET"])
        )
        path = re.sub(r"<(?:(\w+):)?(\w+)>", lambda m: _part(rng, m[1] or ""), rule.rule)
        options: dict[str, Any] = {"headers": {"Accept": rng.choice(("text/html", "application/json", "*/*;q=\x01", ""))}}
        if method == "POST":
            options |= _body(rng, fields, token)
        if rng.random() < 0.4:
            path += "?" + "&".join(
                f"{rng.choice(fields)}={quote(_word(rng)[:3000], errors='surrogatepass')}" for _ in range(rng.randint(1, 3))
            )
        answer = client.open(path, method=method, **options)
        statuses[answer.status_code] += 1
        if answer.status_code == 500 or (answer.status_code >= 400 and "Content-Security-Policy" not in answer.headers):
            failures.append(f"{answer.status_code} {method} {path[:200]} {str(options.get('data', options.get('json', '')))[:300]}")
        answer.close()
    return Outcome(statuses, failures)


def _part(rng: random.Random, converter: str) -> str:
    """A part of a path: what fits now and then, else what does not."""
    if converter == "int":
        there = rng.choice(("1", "2", "3", "4", "5", "6"))
        return there if rng.random() < 0.7 else quote(rng.choice(NUMBERS) or "0", errors="surrogatepass")
    if rng.random() < 0.6:
        return rng.choice(KEYS)
    return quote((_word(rng) or "x")[:2000], safe="", errors="surrogatepass")


def _word(rng: random.Random) -> str:
    return rng.choice(rng.choice((WORDS, NUMBERS, JSONS)))


def _body(rng: random.Random, fields: list[str], token: str) -> dict[str, Any]:
    if rng.random() < 0.15:
        return {"data": rng.choice(JSONS), "content_type": "application/json", "headers": {"X-CSRFToken": token}}
    data: dict[str, Any] = {name: _word(rng) for name in rng.sample(fields, rng.randint(0, 6))}
    # A test client cannot write half a character; a browser's form can, percent-coded.
    data = {k: v.encode("utf-8", "replace").decode() for k, v in data.items()}
    data["csrf_token"] = token
    if rng.random() < 0.25:
        data[rng.choice(("file", "photographs", "dossier"))] = (
            io.BytesIO(rng.choice(FILES)),
            rng.choice(("x.json", "x.jpg", "x.wav", "x.csv", "x" * 300)),
        )
    return {"data": data}


def _token(client: FlaskClient) -> str:
    page = client.get("/").get_data(as_text=True)
    found = re.search(r'name="csrf-token" content="([^"]+)"', page)
    assert found
    return found[1]


def _field_names() -> list[str]:
    """Every field that a page sends or a view reads."""
    names: set[str] = set()
    for file in (*SCREENS.rglob("*.html"), *SCREENS.rglob("*.py")):
        text = file.read_text(encoding="utf-8")
        names |= set(re.findall(r'name="([a-z_]{2,20})"', text)) | set(re.findall(r'(?:form|args)\.get\("([a-z_]{1,20})"', text))
    return sorted(names)

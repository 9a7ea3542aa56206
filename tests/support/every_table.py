"""Makes a data folder of this version with something in every table, through what the pages call: open runs, drafts and watches among it.

python -m tests.support.every_table NAME        writes tests/old_data/NAME.tar.xz, for what comes later
"""

import io
import json
import re
import sqlite3
import sys
import tarfile
import tempfile
from contextlib import closing
from pathlib import Path

from PIL import Image

from calm_needle.clock import clock_of
from calm_needle.store import bench, db, histories, runs, shelf
from tests.support.guided import Guided
from tests.support.inside_bench import InsideBench
from tests.support.listening import listen_to_the_practice_set
from tests.support.old_folder import KEPT
from tests.support.to_certificate import ToTheCertificate

HALVERN, TYPED, BOAT_HOUSE, DUNLIN, STANNARD, DIAL = 2, 3, 4, 5, 6, 9


class EveryTable(ToTheCertificate):
    """One busy week of a workshop."""

    job_id = DUNLIN

    def runTest(self) -> None:  # noqa: N802
        self.before_alignment()
        self.at_the_bench()
        self.after_alignment()
        self.about_the_dial()
        self.beside_it()
        self.sent(f"/jobs/{TYPED}/certificate", reason="for the open day")

    def before_alignment(self) -> None:
        self.climb_to_full()
        entry = self.one("SELECT max(id) FROM start_entry WHERE kind = 'rail'")
        self.sent(f"/jobs/{DUNLIN}/start/strike", entry=entry, reason="the wrong range", seen=self.seen("start"))
        self.page("bands").press("Read medium wave")
        self.switch_off()
        self.sent(
            f"/jobs/{STANNARD}/bands",
            **{"generator-BC": "dead", "why-BC": "no generator yet: no band oscillator heard either", "coupling": "dummy aerial"},
        )
        self.sweep("R11", "C14b-i")
        self.change("R11", "V3 cathode 6.1 V, was 3.3 V")
        self.sent(f"/jobs/{STANNARD}/waiver", reason="only the strip's frequency is wanted")
        self.sent(f"/jobs/{DUNLIN}/notes", kind="suspicion", what="IFT2 open", because="no volts", test="ohms")
        kept = self.one("SELECT max(id) FROM intake_entry")
        self.sent(f"/jobs/{DUNLIN}/notes/{kept}/end", outcome="confirmed", words="ohms: 1.2 MΩ")
        self.job_id = STANNARD
        self.sweep("IFT1-p", "IFT2-p")
        guided = Guided(self)
        guided.begin("Wind a coil anew")
        guided.keep(end_found="no")
        guided.keep("sister_l_h", "c_found_f", "f_found_hz")  # and left open
        self.job_id = BOAT_HOUSE
        self.sweep("L5")
        spliced = Guided(self)
        spliced.begin("A fine wire spliced")
        spliced.keep(bridge_m="0.1 mm", place="at the tag", tries="2")
        spliced.page.press("Give it up", words="it breaks again")
        self.job_id = DUNLIN

    def at_the_bench(self) -> None:
        where = self.post(f"/jobs/{TYPED}/runs", phase="intermediate frequency").headers["Location"]
        typed = InsideBench(self, int(where.rsplit("/", 1)[1]))
        typed.press("Enter")
        for text in ("0.41", "0.43", "0.44"):
            typed.type_reading(text)
        self.sent(f"{where}/note", here=typed.desk.here, words="the hum is gone")
        self.sent(f"{where}/strike", here=typed.desk.here, reading=str(typed.reading_id), reason="misread")
        bench = self.begin(HALVERN)  # by instruments, and left in the middle
        bench.press("Enter")
        bench.wait_for_reading_after(0)
        listen_to_the_practice_set(self.workshop)
        self.workshop.clock.wait(4.0)
        self.sent("/ears/keep", job=str(HALVERN), words="hum before it warms", seconds="3")

    def after_alignment(self) -> None:
        verify = f"/jobs/{TYPED}/verify"
        form = {"band": "MW", "definition": "s-plus-n", "coupling": "dummy aerial", "cover": "on"}
        page = self.get(verify)
        assert page.status_code == 200
        (name,) = {str(o) for o in self.options(verify, "definition") if "noise" in str(o).lower()} or {""}
        form["definition"] = name or next(iter(self.options(verify, "definition")))
        for level in ("9u", "11u"):
            self.sent(f"{verify}/write/sensitivity", **form, level_v=level)
        self.sent(f"{verify}/{self.one('SELECT max(id) FROM measurement')}/strike", reason="the wrong band")
        self.sent(f"{verify}/watch", fault="it crackles")
        self.sent(f"{verify}/watch/1", kind="event")
        self.sent(f"{verify}/beside", band="MW", reference="Halvern 6B no. 1", aerial="the long wire")
        search = self.post(f"{verify}/search", **form).headers["Location"]
        self.sent(search, level_v="14u", high="159m", low="50m")

    def about_the_dial(self) -> None:
        dial = f"/jobs/{DIAL}/dial"
        self.sent(f"{dial}/typed", band="MW", lines="600k 1068k\n1M 1468k")
        self.sent(f"{dial}/images/typed", band="MW", signal="9u", image="1.2m")
        self.sent(f"{dial}/gang", band="MW", sections="550k 449p 449p 468p\n700k 260p 259p 277p\n1400k 39.5p 39.4p 46p")
        self.sent(f"{dial}/carriers", name="a carrier", frequency="909k", uncertainty="1", known_on="2026-01-05")
        self.sent(f"{dial}/carriers/{self.one('SELECT max(id) FROM carrier')}/withdraw")

    def beside_it(self) -> None:
        picture = io.BytesIO()
        Image.new("RGB", (64, 40), (90, 80, 255)).save(picture, "JPEG")
        photographs = f"/jobs/{DUNLIN}/photographs"
        self.sent(photographs, picture=(io.BytesIO(picture.getvalue()), "can.jpg"), caption="the can")
        number = self.one("SELECT max(id) FROM photograph")
        for label in ("red, to tag 2", "black"):
            self.sent(f"{photographs}/{number}/pins", kind="lead", label=label, x="0.3", y="0.4")
        self.sent(f"{photographs}/{number}/pins/1/out")
        self.sent(f"{photographs}/{number}/chosen", chosen="yes")
        self.sent(f"/jobs/{STANNARD}/map", label="IFT2-p", side="above", x_mm="60", y_mm="200", remarks="waxed")
        page = self.page("start").doc.xpath("//form[contains(@action, '/start/point')]")
        stage, source = (next(o for o in page[0].inputs[name].value_options if o) for name in ("stage", "source"))
        self.sent(f"/jobs/{DUNLIN}/start/point", stage=stage, name="V9 anode", volts="120", source=source, seen=self.seen("start"))
        draft = {"form": "change", "fields": {"remarks": "from the drawer, 1 %"}}
        answer = self.client.post(f"/jobs/{DUNLIN}/drafts", json=draft, headers={"X-CSRFToken": self.token})
        assert answer.status_code == 204, answer.get_data(as_text=True)
        (source, *_) = (o for o in self.options("/reckon/resonance", "from") if "9" in o)
        self.sent("/reckon/resonance/keep", **{"from": source, "l_h": "1m", "c_f": "100p", "kind": "finding"})
        register = {"checked_on": "2026-01-05", "against": "a power meter", "uncertainty": "0.2", "due_on": "2099-03-31"}
        self.sent("/instruments/register/generator/level", **register)
        with self.workshop.store() as conn:
            at_utc = clock_of(conn).text()
            bench.put_instrument(
                conn, kind="counter", resource="TCPIP::127.0.0.1::9::SOCKET", identity="Tern Rock,CT-8,1,1", stand_in=False, at_utc=at_utc
            )
            model = next(iter(shelf.models(conn)))
            histories.add_rehearsed(conn, dossier_id=model.dossier_id, phase="intermediate frequency", seed=1, minutes=11.5, at_utc=at_utc)

    # How it is done.

    def sent(self, path: str, **form: object) -> None:
        answer = self.post(path, **form)
        told = " ".join(re.sub("<[^>]*>", " ", answer.get_data(as_text=True)).split())
        assert answer.status_code in (200, 303), f"{path} {form}: {answer.status_code} {told[:2000]}"

    def seen(self, name: str) -> str:
        return str(next(iter(self.page(name).doc.xpath("//input[@name='seen']/@value")), ""))

    def options(self, path: str, name: str) -> list[str]:
        from tests.support.pages import Pages

        return [o for o in Pages(self).open(path).doc.xpath(f"//select[@name='{name}']")[0].value_options if o]

    def one(self, sql: str) -> int:
        with self.workshop.store() as conn:
            return int(conn.execute(sql).fetchone()[0])


def empty_tables(conn: sqlite3.Connection) -> list[str]:
    """The tables without a row."""
    names = [str(row[0]) for row in conn.execute("SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%'")]
    return [n for n in names if not conn.execute(f"SELECT 1 FROM [{n}] LIMIT 1").fetchone()]


def said_of_it(conn: sqlite3.Connection) -> dict[str, object]:
    """What is said of the folder beside it: rows a table, runs in hand."""
    names = [str(row[0]) for row in conn.execute("SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%'")]
    counted = {n: int(conn.execute(f"SELECT count(*) FROM [{n}]").fetchone()[0]) for n in names}
    jobs = [row.id for row in shelf.newest_jobs(conn, limit=100)]
    in_hand = sorted(r.id for j in jobs for r in runs.runs_of_job(conn, j) if r.id not in runs.finished_runs(conn, j))
    return {"schema": conn.execute("PRAGMA user_version").fetchone()[0], "rows": counted, "in_hand": in_hand}


def main(name: str) -> int:
    week = EveryTable()
    week.setUp()
    try:
        week.runTest()
        folder = Path(week.workshop.folder)
        with closing(db.connect(folder / db.FILE_NAME)) as conn:
            lacking = empty_tables(conn)
            said = json.dumps(said_of_it(conn), indent=1, sort_keys=True)
    finally:
        week.workshop.close()
    print(f"empty: {lacking}")
    with tempfile.TemporaryDirectory() as beside:
        account = Path(beside) / "as-it-was.json"
        account.write_text(said)
        with tarfile.open(KEPT / f"{name}.tar.xz", "w:xz") as out:
            out.add(account, "as-it-was.json")
            for file in sorted(folder.rglob("*")):
                if file.is_file() and file.name not in ("lock", "secret") and not file.name.endswith(("-wal", "-shm")):
                    out.add(file, str(file.relative_to(folder)))
    week.doCleanups()
    return 1 if lacking else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))

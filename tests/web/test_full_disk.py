"""A full disk: a clear word, nothing half done, and the work goes on once there is room."""

from tests.support.client import PageTest


class FullDisk(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.run_id = self.begin_typed_run()
        self.post(f"/bench/{self.run_id}/readings", here=self.here(self.run_id), reading="88m")

    def fill(self, full: bool) -> None:
        """Let the database grow no further, or again: what SQLite then says is what it says of a full disk."""
        with self.workshop.desk(self.run_id).book() as book:
            pages = book._conn.execute("PRAGMA page_count").fetchone()[0]
            book._conn.execute(f"PRAGMA max_page_count = {pages if full else 2**30}")
        with self.workshop.store() as conn:
            conn.execute(f"PRAGMA max_page_count = {pages if full else 2**30}")

    def type_until_refused(self) -> str:
        for i in range(3000):
            answer = self.post(f"/bench/{self.run_id}/readings", json=True, here=self.here(self.run_id), reading=f"{88 + i / 1000:.3f}m")
            if answer.status_code != 200:
                self.assertEqual(answer.status_code, 503)
                assert answer.json
                self.kept = i + 1
                return str(answer.json["words"])
        raise AssertionError("it never got full")

    def test_what_was_acknowledged_is_kept_the_rest_is_refused_in_words_and_room_mends_it(self) -> None:
        self.fill(True)
        self.assertIn("The disk is full, so this was not kept; everything kept before is whole.", self.type_until_refused())
        page = self.post("/sets", model="halvern-6b", serial="99999", remarks="x" * 400)
        if page.status_code != 303:  # room enough in the last page for a row or two
            self.assertIn("The disk is full", page.get_data(as_text=True))
        with self.workshop.store() as conn:
            self.assertEqual(conn.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            typed = conn.execute("SELECT count(*) FROM reading WHERE kind = 'typed' AND run_id = ?", (self.run_id,)).fetchone()[0]
        self.assertEqual(typed, self.kept)
        self.fill(False)
        answer = self.post(f"/bench/{self.run_id}/readings", json=True, here=self.here(self.run_id), reading="91m")
        self.assertEqual(answer.status_code, 200)

"""What must not be possible from outside, and what an error looks like."""

from unittest import mock

from tests.support.client import OLDER_RUN, TYPED_JOB, PageTest

PAGES = ("/", "/instruments", "/models/halvern-6b", f"/jobs/{TYPED_JOB}", f"/runs/{OLDER_RUN}/record", "/reckon", "/reckon/drift")


class Headers(PageTest):
    def test_every_page_forbids_scripts_styles_and_frames_from_elsewhere(self) -> None:
        for path in (*PAGES, "/nowhere"):
            headers = self.get(path).headers
            policy = headers["Content-Security-Policy"]
            self.assertNotIn("unsafe", policy)
            for wanted in ("default-src 'none'", "script-src 'self'", "frame-ancestors 'none'", "form-action 'self'", "base-uri 'none'"):
                self.assertIn(wanted, policy)
            self.assertEqual(headers["X-Content-Type-Options"], "nosniff")
            self.assertEqual(headers["Cross-Origin-Resource-Policy"], "same-origin")

    def test_the_cookie_stays_here_and_out_of_reach_of_scripts(self) -> None:
        cookie = self.get("/").headers["Set-Cookie"]
        self.assertIn("HttpOnly", cookie)
        self.assertIn("SameSite=Strict", cookie)

    def test_what_may_be_kept_for_ever_has_its_content_in_its_address(self) -> None:
        page = self.get("/").get_data(as_text=True)
        sheet = page.split('rel="stylesheet" href="')[1].split('"')[0]
        self.assertIn("immutable", self.get(sheet).headers["Cache-Control"])
        self.assertEqual(self.get("/").headers["Cache-Control"], "no-store")

    def test_no_page_asks_anything_of_another_host(self) -> None:
        for path in PAGES:
            page = self.get(path).get_data(as_text=True)
            self.assertNotRegex(page.replace("http://www.w3.org/", ""), r"(src|href|action)=.?(https?:)?//")


class AnotherSite(PageTest):
    def test_a_form_without_our_token_changes_nothing(self) -> None:
        for path in (
            "/sets",
            "/jobs",
            "/models",
            "/theme",
            "/instruments",
            f"/jobs/{TYPED_JOB}/runs",
            "/bench/1/take",
            "/bench/1/turn",
            "/reckon/gain",
            "/reckon/gain/keep",
        ):
            answer = self.client.post(path, data={"csrf_token": "made up"})
            self.assertEqual(answer.status_code, 403, path)
            answer.close()

    def test_a_name_that_was_pointed_at_us_is_not_answered(self) -> None:
        for host in ("evil.example", "evil.example:8123", "127.0.0.1.evil.example", "[::2]"):
            answer = self.get("/", headers={"Host": host})
            self.assertEqual(answer.status_code, 421, host)
            self.assertNotIn("csrf", answer.get_data(as_text=True))
        for host in ("127.0.0.1:8123", "localhost", "localhost:80"):
            self.assertEqual(self.get("/", headers={"Host": host}).status_code, 200, host)

    def test_choosing_colours_leads_nowhere_else(self) -> None:
        for back in ("https://evil.example", "//evil.example", "/\\evil.example", "\\\\evil.example"):
            self.assertEqual(self.post("/theme", theme="lamp", back=back).headers["Location"], "/")
        self.assertEqual(self.post("/theme", theme="lamp", back="/instruments").headers["Location"], "/instruments")
        self.assertIn('data-theme="lamp"', self.get("/").get_data(as_text=True))

    def test_scripts_of_screens_and_nothing_else_are_handed_out(self) -> None:
        self.assertEqual(self.get("/js/bench/bench.js").status_code, 200)
        for path in ("/js/bench/views.py", "/js/bench/page.html", "/js/bench/..%2f..%2fapp.js", "/js/../app.js", "/static/../app.py"):
            self.assertEqual(self.get(path).status_code, 404, path)


class Failures(PageTest):
    def test_what_is_not_here_is_a_page_that_says_so(self) -> None:
        for path in ("/nowhere", "/jobs/999", "/models/kettle", "/bench/999", "/runs/999/record"):
            answer = self.get(path)
            self.assertEqual(answer.status_code, 404, path)
            self.assertIn("<h1", answer.get_data(as_text=True))

    def test_too_large_is_refused(self) -> None:
        answer = self.client.post("/models", data=b"a=" + b"x" * 21_000_000, content_type="application/x-www-form-urlencoded")
        self.assertEqual(answer.status_code, 413)

    def test_our_own_mistake_has_a_number_and_tells_nothing_of_the_code(self) -> None:
        slipped = {"shelf.page": lambda: 1 / 0}
        with self.assertLogs("calm_needle", "ERROR") as log, mock.patch.dict(self.client.application.view_functions, slipped):
            answer = self.get("/")
        self.assertEqual(answer.status_code, 500)
        number = log.output[0].split("unforeseen failure ")[1].split("\n")[0]
        text = answer.get_data(as_text=True)
        self.assertIn(number, text)
        self.assertNotIn("ZeroDivision", text)

    def test_a_script_gets_its_answer_as_json(self) -> None:
        answer = self.post("/bench/999/take", json=True)
        self.assertEqual((answer.status_code, answer.mimetype), (404, "application/json"))
        assert answer.json
        self.assertIn("There is no run 999 here", answer.json["words"])

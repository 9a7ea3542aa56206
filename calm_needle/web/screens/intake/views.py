"""Intake: what is asked when a set comes in."""

from calm_needle.web.entry_screen import entry_screen
from calm_needle.work.soundness import must_pass

screen = entry_screen("intake", lambda conn, job_id: {"must_pass": must_pass.tests(conn, job_id)})

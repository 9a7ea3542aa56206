"""The pace of the tests: at a practice set nobody waits for what settles; its time is let go by."""

from calm_needle.work.clock import Pace

HURRIED = Pace(skips=True)

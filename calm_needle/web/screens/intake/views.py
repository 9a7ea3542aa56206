"""Intake: what is asked when a set comes in."""

from calm_needle.web.entry_screen import entry_screen

screen = entry_screen("intake")

"""Notes of the bench: what is seen, suspected, predicted, taken off."""

from calm_needle.web.entry_screen import entry_screen

screen = entry_screen("notes")

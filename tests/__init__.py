"""The tests, in the folders of calm_needle; `python -m tests` runs them all, doctests included."""

from tests.support import properties as properties  # loads its settings for every test

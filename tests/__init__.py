"""The tests, in the folders of calm_needle; `python -m tests` runs them all, doctests included."""

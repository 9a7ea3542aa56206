"""The tests, in the folders of calm_needle. `./run test` shares them among processes; `python -m unittest` runs them all in one."""

from tests.support import properties as properties  # loads its settings for every test

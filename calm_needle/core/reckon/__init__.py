"""The table of calculators and what answers from it."""

"""The calculators by the part of the work they are needed in: keys, results, words and pictures; no formula of their own."""

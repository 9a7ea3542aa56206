"""The practice receiver, one module per stage: what comes out for what goes in.

Computed, not scripted; the seed and the passing time are passed in, so the same seed gives the same readings.
"""

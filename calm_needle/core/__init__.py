"""Pure functions and frozen dataclasses: the physics and the judgements.

No clock, no file, no wire, no hidden randomness in here; imports core and errors only.
"""

"""The far side of the wire: the computed receiver and the stand-in instruments that read it.

Imports core and errors. Never imports bench: the two meet only over SCPI.
"""

"""Guided pieces of work: an expert's way through a fault or a repair, stage by stage, each judged from what was read."""

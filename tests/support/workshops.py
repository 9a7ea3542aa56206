"""A workshop for a test: its folder, its clock, and the stand-in instruments inside the process."""

from pathlib import Path

from calm_needle.clock import Clock
from calm_needle.work.workshop import Workshop
from tests.support.inside import InsideStandIns
from tests.support.virtual_clock import VirtualClock


def workshop_in(folder: Path, *, clock: Clock | None = None) -> Workshop:
    """Return a workshop on a clock on which nothing takes time, where none is given."""
    clock = clock or VirtualClock()
    return Workshop(folder, clock=clock, stand_ins=InsideStandIns(clock=clock))

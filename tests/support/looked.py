"""What a person answers who has looked a set over before first power, and found everything right."""

from calm_needle.core.soundness.safe_start import AT_BATTERY, AT_MAINS

LOOKED = {f"look-{look.id}": "yes" for look in (*AT_MAINS, *AT_BATTERY)}

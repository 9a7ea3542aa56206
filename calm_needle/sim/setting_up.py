"""How long a hand takes to set up a step: by what has to be set anew for it, whoever says so, the program or the book."""

from collections.abc import Mapping

from calm_needle.core.dossier.model import Model, SetUp
from calm_needle.core.procedure.set_up import SettingKind, settings

LOOKING_S = 4.0  # to read what is wanted, and to see that it stands
SETTING_S: Mapping[SettingKind, float] = {
    "frequency": 5.0,
    "level": 3.0,
    "modulation": 3.0,
    "lead": 12.0,
    "band": 3.0,
    "dial": 8.0,
    "tuning": 8.0,
    "control": 3.0,
    "watched": 10.0,
    "cover": 15.0,
}
COME_FROM_S = 6.0  # to take the pointer to a side first


def setting_up_s(new: SetUp, old: SetUp | None, *, model: Model) -> float:
    """Return the seconds that a hand takes. old: what stood before; None at the beginning, when everything is to be set."""
    anew = [s for s in settings(new, old, model=model) if s.changed or old is None]
    return LOOKING_S + sum(SETTING_S[s.kind] + (COME_FROM_S if s.come_from else 0.0) for s in anew)

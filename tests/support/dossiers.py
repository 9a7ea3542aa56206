"""The demo world's dossiers for tests, by key."""

import json
from functools import cache
from importlib import resources

from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.read import read_model


@cache
def model(key: str) -> Model:
    return read_model(json.loads(resources.files("calm_needle.demo").joinpath(f"dossiers/{key}.json").read_bytes()))

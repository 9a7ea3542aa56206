"""The demo world's dossiers for tests, by key."""

import json
from functools import cache
from importlib import resources

from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.read import read_model


@cache
def model(key: str) -> Model:
    return read_model(json.loads(resources.files("calm_needle.demo").joinpath(f"dossiers/{key}.json").read_bytes()))


def all_models() -> list[Model]:
    """Return every dossier that ships with the demo world, by their keys."""
    folder = resources.files("calm_needle.demo").joinpath("dossiers")
    return [model(f.name.removesuffix(".json")) for f in sorted(folder.iterdir(), key=lambda f: f.name) if f.name.endswith(".json")]

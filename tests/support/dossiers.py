"""The demo world's dossiers for tests, by key."""

import json
from functools import cache
from importlib import resources
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.read import read_model


@cache
def model(key: str) -> Model:
    return read_model(json.loads(resources.files("calm_needle.demo").joinpath(f"dossiers/{key}.json").read_bytes()))


def all_models() -> list[Model]:
    """Return every dossier that ships with the demo world, by their keys."""
    folder = resources.files("calm_needle.demo").joinpath("dossiers")
    return [model(f.name.removesuffix(".json")) for f in sorted(folder.iterdir(), key=lambda f: f.name) if f.name.endswith(".json")]


def data(key: str) -> dict[str, Any]:
    """Return the data of a dossier of the demo world, to do with as one likes."""
    return dict(json.loads(resources.files("calm_needle.demo").joinpath(f"dossiers/{key}.json").read_bytes()))

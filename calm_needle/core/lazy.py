"""Libraries that take long to load, loaded when something first needs them: the first page needs none of them."""

import importlib
from types import ModuleType
from typing import Any


class Lazy:
    """Stands for a module until the first of its names is asked for."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._module: ModuleType | None = None

    def __getattr__(self, attribute: str) -> Any:
        if self._module is None:
            self._module = importlib.import_module(self._name)
        return getattr(self._module, attribute)

"""Envelt: decide which features to use, and how to prepare them, before any model."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .core.finding import Finding
    from .errors import EnveltError
    from .study import Study
    from .view import View

__version__ = "0.1.0"
__all__ = ["EnveltError", "Finding", "Study", "View", "__version__"]

_HOMES = {"EnveltError": ".errors", "Finding": ".core.finding", "Study": ".study", "View": ".view"}


def __getattr__(name: str) -> Any:
    """Import the public names when they are first used, so that importing the package stays quick."""
    if name not in _HOMES:
        raise AttributeError(f"module 'envelt' has no attribute {name!r}")
    from importlib import import_module

    return getattr(import_module(_HOMES[name], __name__), name)


def __dir__() -> list[str]:
    return sorted(__all__)

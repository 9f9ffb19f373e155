"""Envelt: decide which features to use, and how to prepare them, before any model."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from .version import __version__

if TYPE_CHECKING:
    from .core.finding import Finding
    from .errors import EnveltError, LaterRowsWarning
    from .prepare.preparation import Preparation
    from .study import Study
    from .view import View
    from .views.against import AgainstView
    from .views.balance import BalanceView
    from .views.contingency import ContingencyView
    from .views.distribution import DistributionView, SheetView
    from .views.embed import EmbedView
    from .views.glance import GlanceView
    from .views.inventory import InventoryView
    from .views.pairwise import PairwiseView
    from .views.prepare import PrepareView
    from .views.rank import RankView
    from .views.relations import RelationsView
    from .views.rows import RowsView
    from .views.transforms import TransformsSheetView, TransformsView

__all__ = [
    "AgainstView",
    "BalanceView",
    "ContingencyView",
    "DistributionView",
    "EmbedView",
    "EnveltError",
    "Finding",
    "GlanceView",
    "InventoryView",
    "LaterRowsWarning",
    "PairwiseView",
    "Preparation",
    "PrepareView",
    "RankView",
    "RelationsView",
    "RowsView",
    "SheetView",
    "Study",
    "TransformsSheetView",
    "TransformsView",
    "View",
    "__version__",
]

_HOMES = {
    "AgainstView": ".views.against",
    "BalanceView": ".views.balance",
    "ContingencyView": ".views.contingency",
    "DistributionView": ".views.distribution",
    "EmbedView": ".views.embed",
    "EnveltError": ".errors",
    "Finding": ".core.finding",
    "GlanceView": ".views.glance",
    "InventoryView": ".views.inventory",
    "LaterRowsWarning": ".errors",
    "PairwiseView": ".views.pairwise",
    "Preparation": ".prepare.preparation",
    "PrepareView": ".views.prepare",
    "RankView": ".views.rank",
    "RelationsView": ".views.relations",
    "RowsView": ".views.rows",
    "SheetView": ".views.distribution",
    "Study": ".study",
    "TransformsSheetView": ".views.transforms",
    "TransformsView": ".views.transforms",
    "View": ".view",
}


def __getattr__(name: str) -> Any:
    """Import the public names when they are first used, so that importing the package stays quick."""
    if name not in _HOMES:
        raise AttributeError(f"module 'envelt' has no attribute {name!r}")
    from importlib import import_module

    return getattr(import_module(_HOMES[name], __name__), name)


def __dir__() -> list[str]:
    return sorted(__all__)

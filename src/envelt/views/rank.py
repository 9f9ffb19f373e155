"""All candidates, by what each alone says."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd

from ..core.rank.rank import Ranking
from ..view import View
from .captions import PLAIN, Captions


def rank_view(result: Ranking, about: tuple[str, ...], names: Captions = PLAIN) -> View:
    """One row a candidate, best first."""
    rows = result.candidates
    table = pd.DataFrame(
        {
            "kind": [c.kind for c in rows],
            "held_out_share": [c.held_out.share for c in rows],
            "low": [c.held_out.low for c in rows],
            "high": [c.held_out.high for c in rows],
            "auc": [c.held_out.auc for c in rows],
            "p": [c.p for c in rows],
            "q": [c.q for c in rows],
            "missing_share": [c.missing_share for c in rows],
            "advice": [c.advice for c in rows],
        },
        index=pd.Index([c.name for c in rows], name="candidate"),
    )
    tables = {"table": table}
    if result.unit is not None:
        over_rows = np.array([result.unit.share_over_rows[c.name] for c in rows])
        change = table["held_out_share"].to_numpy() - over_rows
        tables["units"] = pd.DataFrame(
            {"share_over_rows": over_rows, "held_out_share": table["held_out_share"], "change": change},
            index=table.index,
        )

    def draw(view: View) -> Any:
        from ..draw.rank import draw_rank

        drawn = replace(result, candidates=tuple(replace(c, name=names(c.name)) for c in result.candidates))
        return draw_rank(names.of(drawn), view.title, " · ".join(view.about))

    title = f"What each candidate alone says about {names(result.outcome.name)}"
    values = {"rows": result.rows, "unknown": result.unknown}
    brief = tuple(c for c in table.columns if c != "p" and not (c == "auc" and table["auc"].isna().all()))
    return View("rank", title, about, tables, result.findings, draw, values, brief, names.given)

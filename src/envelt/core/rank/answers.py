"""What `rank` answers."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from ..columns.outcome import Outcome
from ..columns.table import Table
from ..kept import Remade
from ..parallel import Slowly
from ..stats.heldout import HeldOutRows
from ..stats.sampling import Sampling
from .rank import Ranking, rank_candidates


@dataclass(frozen=True)
class RankAnswers(Remade):
    """Every candidate scored alone, when it is asked for; fields as in `rank_candidates`."""

    table: Table
    outcome: Outcome
    candidates: list[str]
    sampling: Sampling
    held: HeldOutRows
    kept: str | None
    in_time: bool
    seed: int
    slowly: Slowly

    @cached_property
    def ranking(self) -> Ranking:
        """The candidates, best first."""
        with self.slowly("Ranking") as report:
            return rank_candidates(
                self.table, self.outcome, self.candidates, sampling=self.sampling, held=self.held, kept=self.kept,
                in_time=self.in_time, seed=self.seed, progress=report,
            )  # fmt: skip

"""What a careful colleague would say of a map."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.table import CategoryColumn, Column
from ..finding import Finding, marked
from ..stats.crossing import Crossing
from ..stats.sampling import Sampling
from ..words import plural
from .classes import Separation, Suspects
from .quality import Quality

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


def _gains(found: Separation) -> Floats:
    """Return how far each class keeps to itself, 0 as by chance and 1 wholly; NaN where that is not sure."""
    gain = (found.full - found.chance) / np.maximum(1 - found.chance, 1e-12)
    error = np.sqrt(found.chance * (1 - found.chance) / np.maximum(found.cases, 1))
    sure = (found.full - found.chance > T.APART_SURE * error) & (found.n >= T.APART_ROWS)
    return np.where(sure, gain, np.nan)


def said_of_separation(by: str, levels: tuple[str, ...], found: Separation) -> list[Finding]:
    """Say which classes keep to themselves, or that none does."""
    gain = _gains(found)
    apart = [k for k in range(len(levels)) if gain[k] >= T.APART]
    evidence = {
        levels[k]: {"neighbours": float(found.full[k]), "chance": float(found.chance[k])} for k in range(len(levels))
    }  # fmt: skip
    if apart:
        told = ", ".join(f"{levels[k]} {found.full[k]:.0%} (chance {found.chance[k]:.0%})" for k in apart[:4])
        return [
            Finding(
                "classes-separate", "note", (by,),
                f"Classes of {marked(by)} keep to themselves: of their rows' neighbours of the same class {told}.",
                "These columns tell them apart together, even where none does alone.", evidence,
            )
        ]  # fmt: skip
    if not any(gain >= T.APART_AT_ALL):
        return [
            Finding(
                "no-separation", "note", (by,),
                f"Classes of {marked(by)} do not separate: the neighbours of a row are of its class about as often as "
                "chance would have it.",
                "Gaps on the map are no gaps between classes; other columns, or ratios of these, may tell more.",
                evidence,
            )
        ]  # fmt: skip
    return []


def kept_apart(found: Separation) -> list[int]:
    """Return the classes that keep to themselves."""
    return np.flatnonzero(np.nan_to_num(_gains(found)) >= T.APART).tolist()


def said_of_suspects(
    by: str, levels: tuple[str, ...], found: Suspects, separation: Separation, labels: list[str]
) -> list[Finding]:
    """Say which rows sit among another class, of classes that keep to themselves: of others every row does."""
    apart = np.nan_to_num(_gains(separation)) >= T.APART
    found = found.of(apart[found.own] if len(found.rows) else np.zeros(0, bool))
    n = len(found.rows)
    if not n:
        return []
    first = ", ".join(
        f"row {labels[r]} ({levels[a]} among {levels[b]})"
        for r, a, b in zip(found.rows[:3].tolist(), found.own[:3].tolist(), found.theirs[:3].tolist(), strict=True)
    )
    return [
        Finding(
            "rows-among-others", "note", (by,),
            f"{plural(n, 'row')} {'has' if n == 1 else 'have'} mostly neighbours of another class of {marked(by)}: "
            f"{first}{', …' if n > 3 else ''}.",
            "Look at them: a slip in the class, or a case of its own kind. They are in .suspects.",
            {"rows": [labels[r] for r in found.rows[:50].tolist()], "count": n},
        )
    ]  # fmt: skip


def said_of_quality(quality: Quality) -> list[Finding]:
    """Say that a map should not be trusted."""
    trust, recall = quality.trustworthiness.value, quality.neighbour_recall.value
    if recall >= (T.RECALLED if trust >= T.TRUSTED else T.RECALLED_OF_DOUBTFUL):
        return []
    return [
        Finding(
            "map-misleads", "caution", (),
            f"This map should not be trusted row by row: trustworthiness {trust:.2f}, and {recall:.0%} of a row's "
            "nearest rows are nearest on it.",
            "Read groups of it at most, and check each in the columns; try another method, or fewer columns.",
            {"trustworthiness": trust, "neighbour_recall": recall},
        )
    ]  # fmt: skip


def said_of_pieces(
    pieces: Ints,
    columns: list[Column],
    codes: Ints | None,
    by: str,
    levels: tuple[str, ...],
    apart: list[int],
    sampling: Sampling,
) -> list[Finding]:
    """Say which column explains the pieces of a map, and which class lies in several, of those that keep apart."""
    count = int(pieces.max(initial=-1)) + 1
    if count < 2:
        return []
    found = []
    inside = pieces >= 0
    best: tuple[float, str] = (0.0, "")
    for column in columns:
        if not isinstance(column, CategoryColumn) or column.kind in ("identifier", "text", "constant"):
            continue
        use = inside & (column.codes >= 0)
        v = Crossing.of(pieces[use], column.codes[use], (count, len(column.levels)), sampling.take(use)).cramers_v()
        best = max(best, (float(np.nan_to_num(v.estimate)), column.name))
    if best[0] >= T.EXPLAINS:
        found.append(
            Finding(
                "pieces-by-column", "note", (best[1],),
                f"The map falls into {count} pieces, and {marked(best[1])} says which a row lies in (V {best[0]:.2f}).",
                "What parts the pieces is that column, or what goes with it.", {"column": best[1], "v": best[0],
                                                                               "pieces": count},
            )
        )  # fmt: skip
    if codes is not None:
        for k, level in ((k, levels[k]) for k in apart):
            mine = pieces[(codes == k) & inside]
            shares = np.bincount(mine, minlength=count) / max(int((codes == k).sum()), 1)
            large = int(np.sum(shares >= T.PIECE_OF_CLASS))
            if large > 1 and len(mine) >= T.APART_ROWS:
                found.append(
                    Finding(
                        "class-in-pieces", "note", (by,),
                        f"{marked(by)} = {level} lies in {large} pieces of the map, each with over "
                        f"{T.PIECE_OF_CLASS:.0%} of it.",
                        "The class may be of several kinds: describe them apart.", {"level": level, "pieces": large},
                    )
                )  # fmt: skip
    return found


def said_of_inputs(outcome: str | None, identifiers: list[str]) -> list[Finding]:
    """Say that the map was told what it should show."""
    found = []
    if outcome is not None:
        found.append(
            Finding(
                "outcome-among-inputs", "caution", (outcome,),
                f"The map is made of {marked(outcome)} too: that its classes separate says nothing.",
                "Leave the outcome out of the columns.", {},
            )
        )  # fmt: skip
    if identifiers:
        found.append(
            Finding(
                "identifier-among-inputs", "caution", tuple(identifiers),
                f"{', '.join(map(marked, identifiers))} {'names' if len(identifiers) == 1 else 'name'} cases: a map of "
                "it shows which row is which.",
                "Leave it out of the columns.", {},
            )
        )  # fmt: skip
    return found

"""A map of many columns in two, and how far it can be trusted."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..core.columns.raw import RawNumbers, RawTimes
from ..core.columns.table import MICROSECONDS_A_DAY
from ..core.embed.answers import MapAnswers
from ..core.embed.embed import placed
from ..core.embed.pca import elbow
from ..core.embed.quality import MEASURES, agreement, laid_over, quality_of
from ..core.finding import Finding
from ..declared import tabled, valued
from ..errors import OptionError
from ..prepare.intake import working_of
from ..view import View
from ..write.digits import count, label, percent, places, significant
from ..write.shown import EVERY
from .answers.embed import embed_answer
from .captions import Captions

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

MOST_SUSPECTS = 10
MOST_COMPONENTS = 10


class EmbedView(View):
    """Rows in two dimensions."""

    step = "embed"

    def __init__(
        self, answers: MapAnswers, about: tuple[str, ...], title: str, names: Captions, panels: bool
    ) -> None:  # fmt: skip
        super().__init__(title, names.given)
        self._answers, self._about, self._names, self._panels = answers, about, names, panels

    @tabled({"x": places, "y": places}, folded=0)
    def table(self) -> pd.DataFrame:
        """One row a row: x, y, and its class (or number) where a column colours them; the row labels are the index."""
        groups, at = self._answers.groups, self._answers.map.at
        out = pd.DataFrame({"x": at[:, 0], "y": at[:, 1]}, index=self._answers.rows.copy())
        if groups.codes is not None:
            named = np.array([*groups.levels, None], dtype=object)
            out["class"] = named[groups.codes]
        elif groups.numbers is not None:
            out["class"] = groups.numbers
        return out

    @tabled({EVERY: places}, needed=True)
    def quality(self) -> pd.DataFrame:
        """Per measure: map, its standard error from sampling, and pca, the same of the first two components."""
        mine, plain = self._answers.quality, self._answers.of_pca
        return pd.DataFrame(
            {
                "map": [getattr(mine, m).value for m in MEASURES],
                "error": [getattr(mine, m).error for m in MEASURES],
                "pca": [getattr(plain, m).value for m in MEASURES],
            },
            index=pd.Index(list(MEASURES), name="measure"),
        )

    @tabled(
        {"n": count, "full_space": percent, "on_map": percent, "chance": percent},
        there=lambda view: view._answers.has_classes, needed=True,
    )  # fmt: skip
    def separation(self) -> pd.DataFrame:
        """Per class: n, the share of neighbours of the same class in full_space and on_map, and by chance."""
        found = self._answers.separation
        return pd.DataFrame(
            {"n": found.n, "full_space": found.full, "on_map": found.on_map, "chance": found.chance},
            index=pd.Index(list(self._answers.groups.levels), name="class"),
        )

    @tabled(
        {"row": label, "share": percent, "distance": places}, folded=MOST_SUSPECTS,
        there=lambda view: view._answers.has_classes,
    )  # fmt: skip
    def suspects(self) -> pd.DataFrame:
        """Rows among another class, the surest first: row, class, neighbours_class, share of them, distance.

        The distance is that to the neighbours over that of the middle row: above 1 the row lies apart.
        """
        found, levels = self._answers.suspects, np.array(self._answers.groups.levels, dtype=object)
        return pd.DataFrame(
            {
                "row": self._answers.rows[found.rows],
                "class": levels[found.own],
                "neighbours_class": levels[found.theirs],
                "share": found.share,
                "distance": found.distance,
            }
        )

    @tabled(folded=0)
    def settings(self) -> pd.DataFrame:
        """What was chosen, and why."""
        chosen = self._answers.map.settings
        return pd.DataFrame({"chosen": list(chosen.values())}, index=pd.Index(list(chosen), name="setting"))

    @tabled({EVERY: percent}, there=lambda view: view._answers.method == "pca", folded=MOST_COMPONENTS)
    def variance(self) -> pd.DataFrame:
        """Per component: the share of the variance, and cumulated; of principal components."""
        share = self._answers.map.components.explained
        places_of = pd.RangeIndex(1, len(share) + 1, name="component")
        return pd.DataFrame({"share": share, "cumulated": np.cumsum(share)}, index=places_of)

    @tabled({EVERY: places}, there=lambda view: view._answers.method == "pca", folded=MOST_COMPONENTS)
    def loadings(self) -> pd.DataFrame:
        """Per column of the matrix, the largest of the first axis first: its weight in each component."""
        made = self._answers.map.components
        names = [n for e in self._answers.encoders for n in e.names]
        first = min(len(made.loadings), 5)
        frame = pd.DataFrame(
            made.loadings[:first].T, index=pd.Index(names, name="column"),
            columns=[f"component {i + 1}" for i in range(first)],
        )  # fmt: skip
        return frame.iloc[np.argsort(-np.abs(made.loadings[0]), kind="stable")]

    @tabled({"step": count, EVERY: places}, there=lambda view: bool(view._answers.map.frames))
    def frames(self) -> pd.DataFrame:
        """How the map formed: step, trustworthiness and neighbour_recall, on up to 300 rows; with frames."""
        r = self._answers
        rows = []
        for step, at in r.map.frames:
            found = quality_of(r.map.values, at, r.k, most=300)
            rows.append((step, found.trustworthiness.value, found.neighbour_recall.value))
        return pd.DataFrame(rows, columns=["step", "trustworthiness", "neighbour_recall"])

    @valued
    def method(self) -> str:
        """Of the three: neighbours, pca, mds."""
        return self._answers.method

    def place(self, table: Any) -> pd.DataFrame:
        """Return where new rows lie on the map, which is not moved: x and y under the rows' labels.

        Parameters
        ----------
        table
            A data frame, a path, anything the reader reads, with the columns of the map; a column that is gone is an
            error, a value that is missing is the mean.

        Raises
        ------
        OptionError, UnknownColumnError
        """
        at = working_of(table)
        if not len(at):
            raise OptionError("There is no row to place.")
        parts = []
        for encoder in self._answers.encoders:
            raw = at.raw(encoder.name)
            if encoder.levels or encoder.ranks:
                words = at.words(encoder.name)
                named = np.array([*words.words, None], dtype=object)
                parts.append(encoder.of(None, list(named[words.codes])))
            elif isinstance(raw, RawTimes):
                parts.append(encoder.of(np.where(raw.absent, np.nan, raw.values / MICROSECONDS_A_DAY), None))
            elif isinstance(raw, RawNumbers):
                parts.append(encoder.of(raw.values, None))
            else:
                raise OptionError(f"{encoder.name!r} held numbers on the map, and holds text here.")
        where = placed(self._answers.map, np.concatenate(parts, axis=1))
        return pd.DataFrame({"x": where[:, 0], "y": where[:, 1]}, index=at.rows)

    def agreement(self, other: EmbedView) -> float:
        """Return how far two maps of the same rows agree: their Procrustes correlation, 1 where they are one.

        Raises
        ------
        OptionError
            They are of other rows.
        """
        return self._laid(other)[0]

    def moved(self, other: EmbedView, most: int = 20) -> pd.DataFrame:
        """Return the rows that lie elsewhere on another map once it is laid over this one: row and distance.

        The distance is in deviations of this map.

        Raises
        ------
        OptionError
            The maps are of other rows.
        """
        away = self._laid(other)[1]
        order = np.argsort(-away, kind="stable")[:most]
        return pd.DataFrame({"row": self._answers.rows[order], "distance": away[order]})

    def beside(self, other: EmbedView) -> Figure:
        """Return a picture of two maps of the same rows, the other laid over this one, the rows that moved ringed.

        Raises
        ------
        OptionError
            The maps are of other rows.
        """
        from ..draw.embed import draw_beside
        from ..draw.parts.canvas import Page

        fit, away = self._laid(other)
        here, there = self._answers.map.at, other._answers.map.at
        page = Page(f"Two maps of the same rows agree at {places(fit, 2)}", self._line())
        titles = (f"this one ({self._answers.method})", f"the other ({other._answers.method})")
        far = np.argsort(-away, kind="stable")[:30]
        return draw_beside(here, laid_over(here, there)[1], titles, self._answers.groups, far, fit, page)

    def _laid(self, other: EmbedView) -> tuple[float, NDArray[np.float64]]:
        if not isinstance(other, EmbedView) or not self._answers.rows.equals(other._answers.rows):
            raise OptionError("Two maps are compared row by row: make the other of the same rows.")
        return agreement(self._answers.map.at, other._answers.map.at)

    def _lines(self) -> tuple[str, ...]:
        r = self._answers
        q = r.quality
        trust = f"{significant(q.trustworthiness.value, 3)}"
        lines = [
            *self._about,
            f"trustworthiness {trust}, {percent(q.neighbour_recall.value)} of the {r.k} nearest rows are nearest on it",
        ]
        if self._answers.method == "pca":
            made = r.map.components
            turns = elbow(made.explained)
            lines.append(
                f"two axes hold {percent(float(made.explained[:2].sum()))} of the variance; it levels off after "
                f"{turns} components"
            )
        return tuple(lines)

    def _line(self) -> str:
        return " · ".join(self._about)

    def _answer(self) -> str:
        return embed_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.embed import draw_components, draw_frames, draw_map

        r = self._answers
        groups = r.groups._replace(name=None if r.groups.name is None else self._names(r.groups.name))
        ringed = r.suspects.rows if r.has_classes else np.zeros(0, np.int64)
        if r.map.frames:
            return draw_frames(list(r.map.frames), type(self).frames.of(self), groups, page)
        if self._answers.method == "pca":
            return draw_components(
                r.map.at, groups, ringed, r.map.components.explained, type(self).loadings.of(self), page,
            )  # fmt: skip
        q = r.quality
        told = (
            f"Trustworthiness {places(q.trustworthiness.value, 2)}, {percent(q.neighbour_recall.value)} of the {r.k} "
            "nearest rows kept."
        )
        return draw_map(r.map.at, groups, ringed, page, told, self._answers.method, self._panels)

"""Operations that make columns: what is usual in a group, and the parts of a date."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ..core.columns.labels import time_label
from ..core.columns.over_rows import group_mean
from ..core.columns.raw import RawColumn, RawNumbers
from ..core.columns.table import MICROSECONDS_A_DAY
from ..errors import OptionError, entry
from .keys import by_group, group_codes
from .numbers import present, refuse_nothing
from .operation import NAME, Bound, Operation, Option, Options, State, Training, list_of, no_way_back, one_of
from .working import Working

PARTS = ("year", "month", "weekday", "hour", "days_since")
LIST_OF_PARTS = {**list_of(one_of(*PARTS)), "minItems": 1, "uniqueItems": True}


class GroupFeature(Operation):
    """What is usual in a row's group, or how far the row lies from it."""

    name = "group_feature"
    says = "Add a column: the mean of a number in the row's group, learned on training rows, or the distance from it."
    OPTIONS: ClassVar[Options] = {
        "by": Option({**list_of(NAME), "minItems": 1}, [], "the columns that make the groups"),
        "give": Option(one_of("mean", "difference"), "mean", "the mean, or the number less it"),
        "to": Option({"type": "string"}, "", "the new column's name; made from the others where not given"),
    }
    most_columns = 1

    def check(self) -> None:
        """Refuse groups that no column makes."""
        if not self["by"]:
            raise OptionError(f"group_feature: name the columns that make the groups, {entry('by')}.")

    @property
    def inputs(self) -> tuple[str, ...]:
        """The columns it reads."""
        return (*self.columns, *self["by"])

    @property
    def made(self) -> str:
        """The new column's name."""
        of = f"{self.columns[0]} by {', '.join(self['by'])}"
        return str(self["to"]) or (f"mean {of}" if self["give"] == "mean" else f"{of}, difference")

    def learn(self, at: Working, training: Training) -> State:
        """Learn the mean of every group, and of all rows."""
        values = at.numbers(self.columns[0], "group_feature")
        there = present(values)
        refuse_nothing("group_feature", self.columns[0], there)
        codes, labels = group_codes(at, self["by"])
        means = group_mean(values, codes, np.ones(len(values)), len(labels)).tolist()
        return {
            "base": float(np.mean(there)),
            "groups": {label: mean for label, mean in zip(labels, means, strict=True) if not np.isnan(mean)},
        }

    def bind(self, state: State) -> Bound:
        """Add the column."""
        column, by, difference = self.columns[0], list(self["by"]), self["give"] == "difference"
        groups, base = state["groups"], state["base"]

        def table(at: Working) -> None:
            usual = by_group(at, by, groups, base)
            at.free([self.made])
            at.set(self.made, RawNumbers(at.numbers(column, "group_feature") - usual if difference else usual))

        return Bound(table, no_way_back(self, "it was made from other columns", [self.made]))


class PartsOfDate(Operation):
    """The year, month, weekday, hour of a date, and the days since one."""

    name = "parts_of_date"
    says = "Put a date's parts in its place, as numbers; weekday is 1 on Monday."
    OPTIONS: ClassVar[Options] = {
        "parts": Option(LIST_OF_PARTS, ["year", "month", "days_since"], "which"),
        "since": Option({"type": "string"}, "", "the day days_since counts from; the first of the training rows' days"),
        "keep": Option({"type": "boolean"}, False, "keep the date itself too"),
    }  # fmt: skip

    def learn(self, at: Working, training: Training) -> State:
        """Learn the first day."""
        return {c: {"since": self._since(at, c)} for c in self.columns}

    def _since(self, at: Working, name: str) -> int:
        if self["since"]:
            try:
                return int(np.datetime64(self["since"], "us").astype(np.int64))
            except ValueError:
                raise OptionError(
                    f"parts_of_date: since must be a day such as 2024-09-30, not {self['since']!r}."
                ) from None
        times = at.times(name, "parts_of_date")
        there = times.values[~times.absent]
        refuse_nothing("parts_of_date", name, there.astype(np.float64))
        return int(there.min()) // MICROSECONDS_A_DAY * MICROSECONDS_A_DAY

    def bind(self, state: State) -> Bound:
        """Take the date apart."""
        parts, keep = list(self["parts"]), self["keep"]

        def table(at: Working) -> None:
            for name in self.columns:
                times = at.times(name, "parts_of_date")
                made: dict[str, RawColumn] = {name: times} if keep else {}
                for part in parts:
                    values = part_of_date(times.values, part, state[name]["since"])
                    made[f"{name}_{part}"] = RawNumbers(np.where(times.absent, np.nan, values))
                at.instead(name, made)

        def back(name: str, values: Any) -> tuple[str, Any] | None:
            for column in self.columns:
                if name == f"{column}_days_since":
                    days = np.asarray(values, np.float64) * MICROSECONDS_A_DAY + state[column]["since"]
                    return column, np.array([None if v != v else time_label(round(v)) for v in days], dtype=object)
            return refuse(name, values)

        refuse = no_way_back(
            self, "a part of a date is not the date", [f"{c}_{p}" for c in self.columns for p in parts]
        )
        return Bound(table, back)


def part_of_date(micro: NDArray[np.int64], part: str, since: int = 0) -> NDArray[np.float64]:
    """Return a part of times given as microseconds since 1970: its year, month, weekday, hour, or days since a time."""
    if part == "days_since":
        return np.asarray((micro - since) / MICROSECONDS_A_DAY, np.float64)
    if part == "hour":
        return np.asarray(micro // 3_600_000_000 % 24, np.float64)
    days = micro // MICROSECONDS_A_DAY
    if part == "weekday":
        return np.asarray((days + 3) % 7 + 1, np.float64)  # 1970-01-01 was a Thursday
    months = days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
    return np.asarray(months // 12 + 1970 if part == "year" else months % 12 + 1, np.float64)

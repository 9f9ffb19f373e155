"""What a person decided: the outcome and the rows, and of columns kinds, labels, units, ranges, levels, recipes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ...errors import OptionError, did_you_mean, pointing
from ..asked import each_once, finite_number, listed, text
from .kinds import check_kind
from .labels import number_label


@dataclass(frozen=True)
class ColumnPlan:
    """Decisions about one column.

    Parameters
    ----------
    kind
        Its kind; empty where it is detected.
    label
        What to call it in tables and pictures.
    unit
        Its unit of measure.
    range
        The smallest and largest value that is possible.
    labels
        What to call its levels, by how they stand in the data.
    order
        Its levels in order, by how they stand in the data or by their labels.
    missing
        Marks that stand for a missing value, beside those of the whole table.
    usual
        Whether "NA" and the like stand for it too, where the column holds texts.
    """

    kind: str = ""
    label: str = ""
    unit: str = ""
    range: tuple[float, float] | None = None
    labels: Mapping[str, str] = field(default_factory=dict)
    order: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    usual: bool = True


@dataclass(frozen=True)
class DerivedPlan:
    """How a column is made: by one of three recipes.

    Parameters
    ----------
    expression
        An expression of columns.
    cut, at, names
        A numeric column, the points to cut it at, and the names of the parts, one more than points; a value
        equal to a point goes right.
    regroup, into
        A category column, and for each new level the old ones it joins; what is not named stays.
    """

    expression: str = ""
    cut: str = ""
    at: tuple[float, ...] = ()
    names: tuple[str, ...] = ()
    regroup: str = ""
    into: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class StudyPlan:
    """Decisions about a table.

    Parameters
    ----------
    outcome, event, unit
        The outcome, the level rates speak of, and the column that says which rows are one case.
    counts
        The column that says how many rows each row stands for.
    missing
        Marks that stand for a missing value in every column.
    usual
        Whether "NA" and the like stand for it in columns of texts; not where a person gave an empty list of marks.
    ignore
        Columns that are not read.
    where
        Expressions by which rows are kept, one after another.
    seed
        Of everything random.
    columns, derived
        Decisions about single columns, and how new ones are made.
    """

    outcome: str | None = None
    event: str | None = None
    unit: str | None = None
    counts: str | None = None
    missing: tuple[str, ...] = ()
    usual: bool = True
    ignore: tuple[str, ...] = ()
    where: tuple[str, ...] = ()
    seed: int = 0
    columns: Mapping[str, ColumnPlan] = field(default_factory=dict)
    derived: Mapping[str, DerivedPlan] = field(default_factory=dict)


COLUMN_KEYS = ("kind", "label", "unit", "range", "labels", "order", "missing")
DERIVED_KEYS = ("expression", "cut", "at", "names", "regroup", "into")


def column_plan(name: str, given: Mapping[str, Any]) -> ColumnPlan:
    """Check what was given for a column.

    Raises
    ------
    OptionError, UnknownKindError
        With the key, what was expected and what was found.
    """
    if not isinstance(given, Mapping):
        raise OptionError(
            f"Decisions about column {name!r} must be a dict such as {{'kind': 'nominal'}}, not {given!r}."
        )
    _known(f"column {name!r}", given, COLUMN_KEYS)
    texts = {k: text(given[k], f"{k} of column {name!r}") for k in ("kind", "label", "unit") if k in given}
    if texts.get("kind"):
        check_kind(texts["kind"])
    valid = None
    if "range" in given:
        valid = _range(name, given["range"])
    labels = given.get("labels", {})
    if not isinstance(labels, Mapping):
        raise OptionError(f"labels of column {name!r} must be a table of value = label, not {labels!r}.")
    order = listed(given.get("order", ()), f"order of column {name!r}")
    each_once(map(str, order), f"order of column {name!r}")
    return ColumnPlan(
        **texts,
        range=valid,
        labels={str(k): text(v, f"label of {k!r} in column {name!r}") for k, v in labels.items()},
        order=tuple(str(o) for o in order),
        missing=marks(f"missing of column {name!r}", given.get("missing", ())),
        usual=says_usual(given.get("missing")),
    )


def marks(what: str, given: Any) -> tuple[str, ...]:
    """Return the marks that stand for a missing value, as text.

    Raises
    ------
    OptionError
    """
    if isinstance(given, str):
        return (given,)
    found = listed(given, what)
    for mark in found:
        if isinstance(mark, bool) or not isinstance(mark, (str, int, float)):
            raise OptionError(f"The {what} must be texts or numbers, not {mark!r}.")
    return tuple(m if isinstance(m, str) else number_label(m) for m in found)


def says_usual(given: Any) -> bool:
    """Say whether the usual marks hold: not where no mark at all was given in so many words."""
    return given is None or any(m != "" for m in marks("marks for missing", given))


def derived_plan(name: str, given: Mapping[str, Any]) -> DerivedPlan:
    """Check the recipe of a derived column.

    Raises
    ------
    OptionError
    """
    _known(f"derived column {name!r}", given, DERIVED_KEYS)
    recipes = [k for k in ("expression", "cut", "regroup") if given.get(k)]
    if len(recipes) != 1:
        raise OptionError(f"Derived column {name!r} needs one of expression, cut or regroup, and has {len(recipes)}.")
    texts = {k: text(given[k], f"{k} of {name!r}") for k in recipes}
    if recipes == ["cut"]:
        at = tuple(finite_number(a, f"at of {name!r}") for a in listed(given.get("at", ()), f"at of {name!r}"))
        names = tuple(str(n) for n in listed(given.get("names", ()), f"names of {name!r}"))
        if not at or list(at) != sorted(set(at)):
            raise OptionError(f"The cut points of {name!r} must rise, each above the one before, not {list(at)}.")
        if len(names) != len(at) + 1 or len(set(names)) < len(names):
            raise OptionError(f"{name!r} is cut at {len(at)} points and needs {len(at) + 1} different names.")
        return DerivedPlan(cut=texts["cut"], at=at, names=names)
    if recipes == ["regroup"]:
        into = given.get("into", {})
        if not isinstance(into, Mapping) or not into:
            raise OptionError(f"into of {name!r} must be a table of new level = [old levels].")
        groups = {str(k): tuple(str(o) for o in listed(v, f"into of {name!r}")) for k, v in into.items()}
        each_once((old for olds in groups.values() for old in olds), f"into of {name!r}")
        return DerivedPlan(regroup=texts["regroup"], into=groups)
    return DerivedPlan(expression=texts["expression"])


def _known(where: str, given: Mapping[str, Any], keys: tuple[str, ...]) -> None:
    for key in given:
        if key not in keys:
            with pointing(key):
                raise OptionError(f"Unknown key {key!r} in {where}.{did_you_mean(key, keys)}")


def _range(name: str, value: Any) -> tuple[float, float]:
    ends = [finite_number(v, f"range of column {name!r}") for v in listed(value, f"range of column {name!r}")]
    if len(ends) != 2 or ends[0] >= ends[1]:
        raise OptionError(f"The range of column {name!r} must be two rising numbers, not {value!r}.")
    return ends[0], ends[1]

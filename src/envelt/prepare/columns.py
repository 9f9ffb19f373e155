"""Operations on whole columns: dropping, renaming, retyping, relabelling, replacing values, deriving new ones."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ..core.columns.derive import derive, origins, over_other_rows
from ..core.columns.labels import number_label
from ..core.columns.marks import without_marks
from ..core.columns.plan import derived_plan
from ..core.columns.raw import RawColumn, RawNumbers, RawTimes, RawWords
from ..core.columns.readings import FORMS, dates_as, number_form, numbers_as, read_dates, whole_days
from ..core.columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ..core.finding import Finding
from ..core.words import plural
from ..errors import OptionError, PreparationError, entry
from .keys import renamed
from .operation import (
    NAME,
    NUMBER,
    Bound,
    Operation,
    Option,
    Options,
    State,
    Training,
    list_of,
    no_way_back,
    one_of,
    refuse_unseen,
    say_unseen,
)
from .working import Working, as_words

WHOLE_DAYS = ("%Y%m%d", "%y%m%d")


class Drop(Operation):
    """Columns are left out."""

    name = "drop"
    says = "Leave columns out."

    def bind(self, state: State) -> Bound:
        """Drop; a column that is gone already is no error."""

        def table(at: Working) -> None:
            for name in self.columns:
                at.drop(name)

        return Bound(table)


class Rename(Operation):
    """A column gets another name."""

    name = "rename"
    says = "Give a column another name."
    OPTIONS: ClassVar[Options] = {"to": Option(NAME, "", "the new name")}
    most_columns = 1

    def check(self) -> None:
        """Refuse a missing name."""
        if not self["to"]:
            raise OptionError("rename: say the new name, to='…'.")

    def bind(self, state: State) -> Bound:
        """Rename, and back."""
        old, new = self.columns[0], self["to"]

        def table(at: Working) -> None:
            raw = at.source(old) if old in at else at.raw(old)
            at.instead(old, {new: raw})

        return Bound(table, lambda name, values: (old, values) if name == new else None)


class Retype(Operation):
    """Columns are read as numbers, as levels or as dates, marks for missing aside."""

    name = "retype"
    main = "to"
    says = "Read columns as numbers, levels or dates; marks become missing."
    OPTIONS: ClassVar[Options] = {
        "to": Option(one_of("number", "category", "date"), "number", "what the columns are read as"),
        "marks": Option(list_of({"type": ["string", "number"]}), [], "texts or numbers that stand for missing"),
        "form": Option(
            {"type": "string"},
            "",
            "how numbers or dates are written, where it is not learned: "
            f"{', '.join(FORMS)}; ISO8601, quarter, week, or as %d.%m.%Y",
        ),
        "unreadable": Option(one_of("missing", "error"), "missing", "what becomes of a text that cannot be read so"),
        "fold": Option({"type": "boolean"}, False, "levels that differ by case or by space at their ends are one"),
    }

    def check(self) -> None:
        """Refuse to fold what are no levels, and a form that is none."""
        form, to = self["form"], self["to"]
        if self["fold"] and to != "category":
            raise OptionError(f"retype: only levels are folded, {entry('to', 'category')}.")
        known = {"number": form in FORMS, "date": form in ("ISO8601", "quarter", "week") or "%" in form}
        if form and not known.get(to, False):
            raise OptionError(f"retype: {form!r} is no form of a {to}.")

    def learn(self, at: Working, training: Training) -> State:
        """Learn in which form numbers or dates are written, and how folded levels are spelt."""
        return {c: self._form(c, self._unmarked(at.raw(c))) for c in self.columns}

    def _unmarked(self, raw: RawColumn) -> RawColumn:
        return without_marks(raw, (m if isinstance(m, str) else number_label(m) for m in self["marks"]))

    def _form(self, name: str, raw: RawColumn) -> State:
        to = self["to"]
        if self["form"]:
            return {"form": self["form"]}
        if to == "number" and isinstance(raw, RawWords):
            return {"form": number_form(raw.words)}
        if to == "date" and isinstance(raw, RawWords):
            return {"form": _date_form(raw.words)}
        if to == "date" and isinstance(raw, RawNumbers):
            days = whole_days("date", raw.values[~np.isnan(raw.values)])
            if days is None:
                raise PreparationError(f"retype: the numbers of {name!r} are no days such as 20240930.")
            return {"form": days.form}
        return {"spelt": _spelt(as_words(raw))} if self["fold"] else {}

    def bind(self, state: State) -> Bound:
        """Read as learned."""

        def table(at: Working) -> None:
            for name in self.columns:
                at.set(name, self._read(at, name, self._unmarked(at.raw(name)), state[name]))

        return Bound(table, lambda name, values: (name, values) if name in self.columns else None)

    def _read(self, at: Working, name: str, raw: RawColumn, learned: State) -> RawColumn:
        to, form, spelt = self["to"], learned.get("form", ""), learned.get("spelt")
        if to == "category":
            return as_words(raw) if spelt is None else _folded(as_words(raw), spelt)
        if to == "number":
            if isinstance(raw, RawTimes):
                raise PreparationError(f"retype: {name!r} holds dates; parts_of_date makes numbers of them.")
            if isinstance(raw, RawNumbers):
                return raw
            values = numbers_as(raw.words, form or number_form(raw.words))
            bad = np.isnan(values)
            self._say_unreadable(at, name, raw, bad)
            return RawNumbers(np.append(values, np.nan)[raw.codes])
        if isinstance(raw, RawTimes):
            return raw
        words = raw if isinstance(raw, RawWords) else as_words(raw)
        texts = [_day_text(float(w), form) if isinstance(raw, RawNumbers) else w for w in words.words]
        read, absent = dates_as(texts, form or _date_form(texts))
        self._say_unreadable(at, name, words, absent)
        gone = np.append(absent, True)[words.codes]
        return read.of(np.where(gone, -1, words.codes))

    def _checked(self, name: str, values: NDArray[np.float64]) -> NDArray[np.float64]:
        if np.isnan(values).any() and self["unreadable"] == "error":
            raise PreparationError(f"retype: {name!r} holds a text that is no {self['to']}.")
        return values

    def _say_unreadable(self, at: Working, name: str, words: RawWords, bad: NDArray[np.bool_]) -> None:
        if not bad.any():
            return
        shown = [words.words[i] for i in np.flatnonzero(bad)[:3]]
        rows = int(np.append(bad, False)[words.codes].sum())
        said = f"{plural(rows, 'row')} of {name} cannot be read as a {self['to']}: {', '.join(map(repr, shown))}"
        if self["unreadable"] == "error":
            raise PreparationError(f"{said}. Mend them, or declare {entry('unreadable', 'missing')}.")
        if rows:
            at.found.append(
                Finding(
                    "unreadable-values", "caution", (name,), f"{said}; taken as missing.",
                    "If they are marks for missing, name them; else mend them.", {"texts": shown, "rows": rows},
                )
            )  # fmt: skip


def _date_form(words: list[str]) -> str:
    read = read_dates(words)
    return "ISO8601" if read is None else read.form


def _spelt(words: RawWords) -> dict[str, str]:
    """Return how each folded level is spelt in most rows."""
    counts = np.bincount(words.codes[words.codes >= 0], minlength=len(words.words))
    order = np.argsort(counts, kind="stable")
    return {words.words[i].strip().casefold(): words.words[i] for i in order.tolist()}


def _folded(words: RawWords, spelt: Mapping[str, str]) -> RawWords:
    return renamed(words, [spelt.get(w.strip().casefold(), w) for w in words.words])


def _day_text(value: Any, form: str) -> str:
    if form in WHOLE_DAYS and isinstance(value, (int, float)):
        return f"{int(value):06d}"
    return str(value)


class Relabel(Operation):
    """Levels get other names."""

    name = "relabel"
    says = "Give the levels of a column other names."
    OPTIONS: ClassVar[Options] = {
        "labels": Option({"type": "object", "additionalProperties": {"type": "string"}}, {},
                         "the new name of each level, by how it stands in the data"),
        "unseen": Option(one_of("keep", "missing", "error"), "keep", "what becomes of other levels"),
    }  # fmt: skip
    most_columns = 1

    def bind(self, state: State) -> Bound:
        """Relabel; and back where no two levels share a name."""
        name, labels, unseen = self.columns[0], dict(self["labels"]), self["unseen"]
        named = set(labels.values())

        def new(level: str) -> str | None:
            return labels.get(level, level if unseen == "keep" or level in named else None)

        def table(at: Working) -> None:
            words = at.words(name)
            texts = [new(w) for w in words.words]
            lost = [w for w, t in zip(words.words, texts, strict=True) if t is None]
            if lost and unseen == "error":
                raise refuse_unseen("relabel", name, lost)
            made = renamed(words, texts)
            if lost:
                say_unseen(at, name, lost, int((made.codes < 0).sum() - (words.codes < 0).sum()), "missing")
            at.written[name] = {v: k for k, v in labels.items()}
            at.set(name, made)

        return Bound(table, lambda at, values: (name, _unlabelled(name, labels, values)) if at == name else None)


def _unlabelled(name: str, labels: Mapping[str, str], values: Any) -> Any:
    """Return levels as they stood before they were relabelled."""
    old = {v: k for k, v in labels.items()}
    if len(old) < len(labels):
        raise PreparationError(f"{name!r} has no way back through relabel: two levels share a name.")
    return np.array([old.get(v, v) for v in values], dtype=object)


class Replace(Operation):
    """Single values become others, or missing."""

    name = "replace"
    says = "Turn single values into others, or into missing: sentinels, spellings."
    OPTIONS: ClassVar[Options] = {
        "values": Option({"type": "object", "additionalProperties": {"type": ["string", "number", "null"]}}, {},
                         "what each becomes, by how it stands in the data; null for missing"),
    }  # fmt: skip

    def check(self) -> None:
        """Refuse to replace nothing."""
        if not self["values"]:
            raise OptionError("replace: say what becomes of which value, values={…}.")

    def bind(self, state: State) -> Bound:
        """Replace."""
        values: Mapping[str, Any] = self["values"]
        as_numbers = [(float(k), v) for k, v in values.items() if _is_number(k) and not isinstance(v, str)]
        by_number = {k: float("nan") if v is None else float(v) for k, v in as_numbers}

        def table(at: Working) -> None:
            for name in self.columns:
                raw = at.raw(name)
                if isinstance(raw, RawNumbers):
                    out = raw.values.copy()
                    for old, new in by_number.items():
                        out[raw.values == old] = new
                    at.set(name, RawNumbers(out))
                else:
                    at.set(name, _replaced(as_words(raw) if isinstance(raw, RawTimes) else raw, values, raw))

        return Bound(table, lambda name, v: (name, v) if name in self.columns else None)


def _is_number(text: str) -> bool:
    try:
        return bool(np.isfinite(float(text)))
    except ValueError:
        return False


def _replaced(words: RawWords, values: Mapping[str, Any], raw: RawColumn) -> RawColumn:
    new = [values.get(w, w) for w in words.words]
    if isinstance(raw, RawTimes):
        stamps = np.array([*(0 if v is None else np.datetime64(str(v), "us").astype(np.int64) for v in new), 0])
        gone = np.array([*(v is None for v in new), True])[words.codes]
        return RawTimes(stamps[words.codes], gone)
    return renamed(words, [v if v is None or isinstance(v, str) else number_label(v) for v in new])


class Derive(Operation):
    """A new column from others."""

    name = "derive"
    says = "Make a column: by an expression, by cutting a number, or by joining levels."
    OPTIONS: ClassVar[Options] = {
        "expression": Option({"type": "string"}, "", "of columns; the language of `Study.derive`"),
        "cut": Option({"type": "string"}, "", "a number to cut"),
        "at": Option(list_of(NUMBER), [], "the points to cut it at"),
        "names": Option(list_of(NAME), [], "of the parts"),
        "regroup": Option({"type": "string"}, "", "a column whose levels are joined"),
        "into": Option({"type": "object", "additionalProperties": list_of(NAME)}, {}, "the levels each new one joins"),
    }
    most_columns = 1

    def check(self) -> None:
        """Refuse what is not one whole recipe."""
        self._plan = derived_plan(self.columns[0], {k: v for k, v in self.options.items() if v})
        if over_other_rows(self._plan):
            raise OptionError(
                f"derive: {self._plan.expression!r} speaks of the rows around a row, and would be something else among "
                'later rows. group_feature learns the mean of groups on training rows: {"operation": "group_feature", '
                '"columns": ["x"], "by": ["g"]}.'
            )
        self._origins = tuple(sorted(origins(self._plan)))

    @property
    def inputs(self) -> tuple[str, ...]:
        """The columns it is made from."""
        return self._origins

    def learn(self, at: Working, training: Training) -> State:
        """Learn the levels that the recipe may name: in later rows one may not occur."""
        return {"levels": {c: list(raw.words) for c in self._origins if isinstance(raw := at.raw(c), RawWords)}}

    def bind(self, state: State) -> Bound:
        """Make the column."""

        def table(at: Working) -> None:
            at.free(self.columns)
            columns = {c: _encoded(at, c, state["levels"].get(c, [])) for c in self._origins}
            at.set(self.columns[0], derive(Table(columns, at.rows), self._plan))

        return Bound(table, no_way_back(self, "it was made from other columns"))


def _encoded(at: Working, name: str, levels: list[str]) -> Column:
    raw = at.raw(name)
    head: dict[str, Any] = {"name": name, "reason": "", "declared": True}
    if isinstance(raw, RawNumbers):
        return NumericColumn(**head, kind="continuous", values=raw.values)
    if isinstance(raw, RawTimes):
        return TimeColumn(**head, kind="datetime", values=raw.values, absent=raw.absent)
    known = tuple(dict.fromkeys((*levels, *raw.words)))
    at_level = {w: k for k, w in enumerate(known)}
    place = np.array([*(at_level[w] for w in raw.words), -1], np.int32)
    written = at.written.get(name, {})
    return CategoryColumn(
        **head, kind="ordinal" if raw.order else "nominal", codes=place[raw.codes], levels=known, ordered=raw.order,
        written=tuple(written.get(level, level) for level in known),
    )  # fmt: skip

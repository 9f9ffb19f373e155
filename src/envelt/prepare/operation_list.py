"""The operations of a preparation in their order, each with its reason, and how they are to be taken."""

from __future__ import annotations

import textwrap
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Self

from ..core.asked import whole_number
from ..core.words import plural
from ..errors import OptionError, did_you_mean
from .fitted import Fitted
from .operation import Operation
from .operations import operation_of

if TYPE_CHECKING:
    import pandas as pd

RETURNS = ("pandas", "polars", "arrow")
ABSENT = ("error", "missing")
PARAMETERS = ("operations", "outcome", "event", "unit", "seed", "absent", "returns")


@dataclass(frozen=True)
class PreparationSuggestion:
    """What could be done and is not, since it is for a person to say.

    Parameters
    ----------
    operation, columns
        That could be added.
    says
        A sentence with what it would cost.
    finding
        The code of the finding that led to it.
    """

    operation: str
    columns: tuple[str, ...]
    says: str
    finding: str = ""

    def to_dict(self) -> dict[str, Any]:
        """Return it JSON-ready."""
        return {"operation": self.operation, "columns": list(self.columns), "says": self.says, "finding": self.finding}


def _refuse_from(operations: Iterable[Operation], outcome: Collection[str]) -> None:
    for place, operation in enumerate(operations, start=1):
        read = [n for n in operation.inputs if n in outcome]
        if read and operation.name != "drop":
            raise OptionError(
                f"Operation {place}, {operation.name}, reads {read[0]!r}, which is the outcome or made from it: what "
                "is made of it would tell a model what it is to find out. Leave it out; encode(using='rate') learns "
                "from the outcome out of fold."
            )


class OperationList:
    """Operations in order, checked, with what they are to be fitted and applied by; `Preparation` fits them."""

    def __init__(
        self,
        operations: Sequence[Operation | Mapping[str, Any]] = (),
        *,
        outcome: str | None = None,
        event: str | None = None,
        unit: str | None = None,
        seed: int = 0,
        absent: str = "error",
        returns: str | None = None,
    ) -> None:
        self.operations = operations
        self.outcome, self.event, self.unit = outcome, event, unit
        self.seed, self.absent, self.returns = seed, absent, returns
        self._suggestions: tuple[PreparationSuggestion, ...] = ()
        self._fitted: Fitted | None = None
        self._checked: tuple[tuple[Any, ...], tuple[Operation, ...]] | None = None

    @property
    def _steps(self) -> tuple[Operation, ...]:
        """The operations, checked when they are first needed: pipelines make and change estimators without a check."""
        given = tuple(getattr(self, n) for n in PARAMETERS)
        if self._checked is None or any(a is not b for a, b in zip(self._checked[0], given, strict=True)):
            self._checked = given, self._check()
        return self._checked[1]

    def _check(self) -> tuple[Operation, ...]:
        if isinstance(self.operations, (str, Mapping)) or not isinstance(self.operations, Iterable):
            raise OptionError(f"Operations come as a list, not as {type(self.operations).__name__}.")
        for what, value, known in (("absent", self.absent, ABSENT), ("returns", self.returns, RETURNS)):
            if value not in known and not (what == "returns" and value is None):
                raise OptionError(f"No {what} {value!r}.{did_you_mean(str(value), known)}")
        if isinstance(self.seed, bool) or not isinstance(self.seed, int) or not 0 <= self.seed < 2**63:
            raise OptionError(f"The seed must be a whole number from 0 to 2^63 − 1, not {self.seed!r}.")
        steps = tuple(operation_of(o) for o in self.operations)
        if self.outcome is not None:
            _refuse_from(steps, {self.outcome})
        return steps

    def refuse_from(self, outcome: Collection[str]) -> None:
        """Refuse operations that read the outcome, or what is made from it: a feature would know what it is to tell.

        Only `encode` learns from it, by itself and out of fold.

        Raises
        ------
        OptionError
        """
        _refuse_from(self._steps, outcome)

    def then(self, operation: str, *columns: str, reason: str = "", finding: str = "", **options: Any) -> Self:
        """Return a preparation with one more operation, not fitted.

        Parameters
        ----------
        operation
            One of drop, rename, retype, relabel, derive, replace, fill, clip, reexpress, bin, merge_rare,
            group_feature, parts_of_date, rescale, encode; docs/preparation.md lists their options.
        *columns
            It works on; of derive, the new column.
        reason, finding
            Why, and the code of the finding that led to it.
        **options
            What the operation takes besides columns; an option it does not know is refused by name.

        Raises
        ------
        OptionError
        """
        made = operation_of(
            {"operation": operation, "columns": list(columns), "reason": reason, "finding": finding, **options}
        )
        longer = self._with(operations=(*self._steps, made))
        longer._steps  # noqa: B018 - what cannot be is refused here, not when it is fitted
        return longer

    def without(self, *places: int) -> Self:
        """Return a preparation without the operations at these places, counted from 1, not fitted.

        Raises
        ------
        OptionError
        """
        for place in places:
            whole_number(place, 1, "place of an operation")
            if not 1 <= place <= len(self._steps):
                raise OptionError(f"There are {plural(len(self._steps), 'operation')}: none is number {place}.")
        return self._with(operations=tuple(o for i, o in enumerate(self._steps, 1) if i not in places))

    def suggesting(self, suggestions: Iterable[PreparationSuggestion]) -> Self:
        """Return the same with what else a person could do, not fitted."""
        made = self._with()
        made._suggestions = tuple(suggestions)
        return made

    @property
    def suggestions(self) -> tuple[PreparationSuggestion, ...]:
        """What could be done too and is not, since it is for a person to say; each with what it would cost."""
        return self._suggestions

    def _with(self, **changes: Any) -> Self:
        made = type(self)(**{**{n: getattr(self, n) for n in PARAMETERS}, **changes})
        made._suggestions = self._suggestions
        return made

    def __len__(self) -> int:
        return len(self._steps)

    def __iter__(self) -> Iterator[Operation]:
        return iter(self._steps)

    @property
    def table(self) -> pd.DataFrame:
        """One row an operation: operation, columns, options, reason, finding."""
        import pandas as pd

        return pd.DataFrame(
            {
                "operation": [o.name for o in self._steps],
                "columns": [list(o.columns) for o in self._steps],
                "options": [o.in_words() for o in self._steps],
                "reason": [o.reason for o in self._steps],
                "finding": [o.finding for o in self._steps],
            },
            index=pd.RangeIndex(1, len(self._steps) + 1, name="place"),
        )

    def _headline(self) -> str:
        head = f"Preparation of {plural(len(self._steps), 'operation')}"
        if self._fitted is None:
            return f"{head}, not fitted"
        f = self._fitted
        return f"{head}, fitted on {plural(f.rows, 'row')}: {len(f.columns)} columns in, {len(f.features)} features out"

    def __repr__(self) -> str:
        lines = [self._headline()]
        for i, o in enumerate(self._steps, 1):
            names = ", ".join(o.columns[:6]) + (f", … ({len(o.columns)})" if len(o.columns) > 6 else "")
            what = f"{i:3d}  {o.name}: {names}" + (f"; {o.in_words()}" if o.in_words() else "")
            lines += textwrap.wrap(
                what, 100, subsequent_indent="       ", max_lines=3, placeholder=" …", break_on_hyphens=False
            )
            if o.reason:
                code = f" [{o.finding}]" if o.finding else ""
                lines += textwrap.wrap(f"because {o.reason}{code}", 93, initial_indent=" " * 7,
                                       subsequent_indent=" " * 7, break_on_hyphens=False)  # fmt: skip
        if self.suggestions:
            lines += ["", "For you to say:"]
            for s in self.suggestions:
                lines += textwrap.wrap(s.says, 93, initial_indent="   ?   ", subsequent_indent=" " * 7,
                                       break_on_hyphens=False)  # fmt: skip
        return "\n".join(lines)

    def _repr_html_(self) -> str:
        from ..write.html import fragment
        from ..write.shown import ShownTable

        frame = self.table.assign(columns=[", ".join(o.columns) for o in self._steps])
        return fragment(self._headline(), (), {"table": ShownTable(frame)}, ())

"""What a view declares: tables and values, each made when it is first read, with types that an editor knows."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Protocol, TypeVar, overload

from .errors import did_you_mean
from .write.shown import Writer

if TYPE_CHECKING:
    import pandas as pd

T = TypeVar("T")


class Declaring(Protocol):
    """What declares tables and values: a view."""

    step: ClassVar[str]
    _made: dict[str, Any]

    @property
    def tables(self) -> Mapping[str, Any]:
        """The tables by name."""
        ...

    @property
    def values(self) -> Mapping[str, Any]:
        """Single values by name."""
        ...


class TableOf:
    """A table that a view declares: made when it is first read, and the caller's own each time.

    Parameters
    ----------
    make
        Makes it from the view; its docstring is the table's.
    written
        How cells of a column are written, by the column's name; what is not named is written by its numbers.
    there
        Says whether this view has the table; always by default.
    folded
        How many rows a person sees, of a long one; none with 0.
    needed
        Whether the step's question needs it, so that the terminal shows it unasked; by default the main table is.
    few
        The columns that the question needs; all by default.
    gaps
        Whether rows without a number are shown.
    spare
        Columns that are left out where a terminal is too narrow, the least needed first.
    heads
        What to write over columns whose name does not say it.
    """

    def __init__(
        self,
        make: Callable[[Any], pd.DataFrame],
        written: Mapping[str, Writer],
        there: Callable[[Any], bool] | None,
        folded: Callable[[Any], int | None] | int | None,
        needed: Callable[[Any], bool] | bool | None,
        few: Callable[[Any], tuple[str, ...]] | tuple[str, ...],
        gaps: bool,
        spare: tuple[str, ...],
        heads: Mapping[str, str],
    ) -> None:
        self._make, self.written, self._there, self._folded = make, dict(written), there, folded
        self._needed, self._few = needed, few
        self.gaps, self.spare, self.heads, self.name = gaps, spare, dict(heads), ""
        self.__doc__ = make.__doc__

    def __set_name__(self, owner: type[Declaring], name: str) -> None:
        self.name = name

    @overload
    def __get__(self, view: None, owner: type[Declaring]) -> TableOf: ...
    @overload
    def __get__(self, view: Declaring, owner: type[Declaring]) -> pd.DataFrame: ...
    def __get__(self, view: Declaring | None, owner: type[Declaring]) -> TableOf | pd.DataFrame:
        if view is None:
            return self
        if not self.there(view):
            raise AttributeError(f"This {view.step} view has no {self.name!r}.{did_you_mean(self.name, view.tables)}")
        return self.of(view).copy()

    def of(self, view: Declaring) -> pd.DataFrame:
        """Return the table that the view itself uses, made once."""
        made = view._made
        if self.name not in made:
            made[self.name] = self._make(view)
        table: pd.DataFrame = made[self.name]
        return table

    def there(self, view: Declaring) -> bool:
        """Say whether a view has this table."""
        return self._there is None or self._there(view)

    def folded(self, view: Declaring) -> int | None:
        """Return how many rows of the table a person sees; all where nothing is said."""
        return self._folded(view) if callable(self._folded) else self._folded

    def needed(self, view: Declaring) -> bool:
        """Say whether the terminal shows the table unasked."""
        if self._needed is None:
            return self.name == "table"
        return self._needed(view) if callable(self._needed) else self._needed

    def few(self, view: Declaring) -> tuple[str, ...]:
        """Return the columns that the step's question needs; none where all are."""
        return self._few(view) if callable(self._few) else self._few


def tabled(
    written: Mapping[str, Writer] | None = None,
    *,
    there: Callable[[Any], bool] | None = None,
    folded: Callable[[Any], int | None] | int | None = None,
    needed: Callable[[Any], bool] | bool | None = None,
    few: Callable[[Any], tuple[str, ...]] | tuple[str, ...] = (),
    gaps: bool = True,
    spare: tuple[str, ...] = (),
    heads: Mapping[str, str] | None = None,
) -> Callable[[Callable[[Any], pd.DataFrame]], TableOf]:
    """Declare a table of a view; see `TableOf`."""
    return lambda make: TableOf(make, written or {}, there, folded, needed, few, gaps, spare, heads or {})


class ValueOf(Generic[T]):
    """A single value that a view declares, made when it is first read."""

    def __init__(self, make: Callable[[Any], T], there: Callable[[Any], bool] | None) -> None:
        self._make, self._there, self.name = make, there, ""
        self.__doc__ = make.__doc__

    def __set_name__(self, owner: type[Declaring], name: str) -> None:
        self.name = name

    @overload
    def __get__(self, view: None, owner: type[Declaring]) -> ValueOf[T]: ...
    @overload
    def __get__(self, view: Declaring, owner: type[Declaring]) -> T: ...
    def __get__(self, view: Declaring | None, owner: type[Declaring]) -> ValueOf[T] | T:
        if view is None:
            return self
        if not self.there(view):
            raise AttributeError(f"This {view.step} view has no {self.name!r}.{did_you_mean(self.name, view.values)}")
        if self.name not in view._made:
            view._made[self.name] = self._make(view)
        value: T = view._made[self.name]
        return value

    def there(self, view: Declaring) -> bool:
        """Say whether a view has this value."""
        return self._there is None or self._there(view)


def valued(make: Callable[[Any], T]) -> ValueOf[T]:
    """Declare a value of a view."""
    return ValueOf(make, None)


def valued_if(there: Callable[[Any], bool]) -> Callable[[Callable[[Any], T]], ValueOf[T]]:
    """Declare a value that some of a class of views have."""
    return lambda make: ValueOf(make, there)


class Named(Mapping[str, T]):
    """What a view declares, by name, each made when it is first asked for."""

    def __init__(self, view: Declaring, declared: Mapping[str, Any]) -> None:
        self._view, self._declared = view, declared

    def __getitem__(self, name: str) -> T:
        if name not in self._declared:
            raise KeyError(name)
        made: T = getattr(self._view, name)
        return made

    def __iter__(self) -> Iterator[str]:
        return iter(self._declared)

    def __len__(self) -> int:
        return len(self._declared)

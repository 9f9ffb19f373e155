"""A view: what a step returns, to be read, drawn and saved."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar, Protocol, TypeVar

from .core.finding import Finding
from .declared import Named, TableOf, ValueOf, tabled
from .errors import OptionError, OutputError, did_you_mean
from .write.shown import ShownTable, Writer

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from .draw.parts.canvas import Page
    from .write.terminal import Screen

PICTURES = ("png", "svg", "pdf")
DOCUMENTS = ("html", "md", "csv", "json")

T = TypeVar("T")


def check_extension(path: str | Path) -> str:
    """Return a path's extension if a view can be saved so.

    Raises
    ------
    OutputError
    """
    extension = Path(path).suffix.lower().removeprefix(".")
    if extension not in PICTURES + DOCUMENTS:
        hint = did_you_mean(extension, PICTURES + DOCUMENTS)
        raise OutputError(
            f"Cannot tell from {str(path)!r} what to write.{hint if 'mean' in hint else ''} "
            f"End it in one of: {', '.join(f'.{e}' for e in PICTURES + DOCUMENTS)}."
        )
    return extension


class Doubt(Protocol):
    """What may make findings doubtful, as rows that are not independent do."""

    def left(self, found: tuple[Finding, ...]) -> tuple[Finding, ...]:
        """Return the findings that hold all the same."""


class View:
    """The result of a step: what it says is computed when it is first read.

    Parameters
    ----------
    title
        What is shown.
    captions
        What to call columns of the data where a person sees them, by name.
    """

    step: ClassVar[str] = ""
    ordered: ClassVar[tuple[str, ...]] = ("table",)
    """The tables whose rows are in the order that a person asked for."""
    brief: ClassVar[tuple[str, ...]] = ()
    """The columns of the main table that a person sees, in that order; all by default. The rest are in ``table``."""

    def __init__(self, title: str, captions: Mapping[str, str] | None = None) -> None:
        self.title = title
        self._captions = dict(captions or {})
        self._made: dict[str, Any] = {}
        self.doubt: Doubt | None = None

    @tabled()
    def table(self) -> pd.DataFrame:
        """The main table."""
        raise NotImplementedError

    def _lines(self) -> tuple[str, ...]:
        """Return lines on what it was computed from: rows, missing, the subset, the event."""
        return ()

    def _answer(self) -> str:
        """Return one or two sentences that a person would repeat."""
        raise NotImplementedError

    def _line(self) -> str:
        """Return the line under the title of the picture."""
        return " · ".join(self.about)

    def _found(self) -> tuple[Finding, ...]:
        """Return what is worth a person's attention."""
        return ()

    def _picture(self, page: Page) -> Figure:
        """Draw the picture on a page of this title, or in the axes it has."""
        raise NotImplementedError

    def _order(self) -> Sequence[int] | None:
        """Return the rows of the main table, and of those beside it, in the order a person sees them.

        As they are by default.
        """
        return None

    @cached_property
    def about(self) -> tuple[str, ...]:
        """Lines on what it was computed from: rows, missing, the subset, the event."""
        return self._lines()

    @cached_property
    def answer(self) -> str:
        """One or two sentences that a person would repeat to a colleague, made of the numbers in the tables."""
        return self._answer()

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What is worth a person's attention, the gravest first."""
        found = self.found if self.doubt is None else self.doubt.left(self.found)
        return tuple(f.showing_rows().labelled(self._captions) for f in found)

    @cached_property
    def found(self) -> tuple[Finding, ...]:
        """The same before any doubt, columns under their names in the data."""
        return self._found()

    @classmethod
    def _declared(cls, kind: type[T]) -> dict[str, T]:
        """Return what the class and its parents declare, in that order; a later word wins in its place."""
        found: dict[str, T] = {}
        for owner in reversed(cls.__mro__):
            found |= {name: thing for name, thing in vars(owner).items() if isinstance(thing, kind)}
        return found

    def _tables(self) -> dict[str, TableOf]:
        return {name: t for name, t in self._declared(TableOf).items() if t.there(self)}

    @property
    def tables(self) -> Mapping[str, pd.DataFrame]:
        """The tables by name; the first, ``table``, is the main one."""
        return Named(self, self._tables())

    @property
    def values(self) -> Mapping[str, Any]:
        """Single values by name."""
        return Named(self, {name: v for name, v in self._declared(ValueOf).items() if v.there(self)})

    if not TYPE_CHECKING:  # an unknown name gets a hint; mypy refuses it

        def __getattr__(self, name: str) -> Any:
            if name.startswith("_"):
                raise AttributeError(name)
            there = [*self._tables(), *self.values]
            raise AttributeError(f"This {self.step} view has no {name!r}.{did_you_mean(name, there)}")

    @property
    def shown(self) -> dict[str, ShownTable]:
        """The tables as a person sees them: the main one in brief, columns of the data under their labels."""
        return self._shown(self._seen)

    @property
    def needed(self) -> dict[str, ShownTable]:
        """Of these the ones that the step's question needs, which the terminal shows unasked."""
        return self._shown({name: t for name, t in self._seen.items() if t.needed(self)})

    @property
    def _seen(self) -> dict[str, TableOf]:
        return {name: t for name, t in self._tables().items() if t.folded(self) != 0}

    def _shown(self, tables: Mapping[str, TableOf]) -> dict[str, ShownTable]:
        seen = {}
        for name, declared in tables.items():
            folded = declared.folded(self)
            frame = declared.of(self)
            if name == "table":
                frame = frame[list(self._brief()) or list(frame.columns)]
            if name in self.ordered:
                order = self._order()
                frame = frame if order is None else frame.iloc[list(order)]
            frame = frame if folded is None else frame.head(folded)
            if not declared.gaps:  # what these data cannot give is in the table, and need not be read
                frame = frame.dropna(how="all")
            if name == "table" or len(frame):
                few = tuple(c for c in declared.few(self) if c in frame.columns)
                seen[name] = ShownTable(
                    self._captioned(frame), self._written(declared), declared.spare, declared.heads, few
                )
        return seen

    def _brief(self) -> tuple[str, ...]:
        return self.brief

    def _written(self, declared: TableOf) -> Mapping[str, Writer]:
        """Return how the cells of a table are written."""
        return declared.written

    def _captioned(self, frame: pd.DataFrame) -> pd.DataFrame:
        if not self._captions:
            return frame
        frame = frame.rename_axis(
            index=lambda n: n if n is None else " × ".join(self._captions.get(p, p) for p in str(n).split(" × "))
        )
        if frame.index.name in ("column", "candidate"):
            frame = frame.rename(index=self._captions)
        return frame

    def draw(self, ax: Axes | None = None) -> Figure:
        """Return the picture as a Matplotlib figure, 1280 × 800 pixels.

        Parameters
        ----------
        ax
            Axes to draw into, where the picture has one panel: they get its title, and the figure is theirs.

        Raises
        ------
        OptionError
            The picture has several panels.
        """
        from .draw.parts.canvas import Page
        from .draw.parts.readable import make_readable

        if ax is not None and not hasattr(ax, "get_position"):
            raise OptionError(
                f"A picture is drawn into Matplotlib axes, not into {ax!r}: figure.add_subplot() makes them."
            )
        figure = self._picture(Page(self.title, self._line(), ax, self.answer))
        make_readable(figure if ax is None else ax)
        return figure

    def picture(self) -> tuple[bytes, str]:
        """Return the picture as a PNG, and what it shows in words; drawn once."""
        return self._drawn

    @cached_property
    def _drawn(self) -> tuple[bytes, str]:
        figure = self.draw()
        return _figure_bytes(figure, "png"), str(getattr(figure, "alternative", ""))

    def to_dict(self) -> dict[str, Any]:
        """Return the view as JSON-ready data: native scalars, NaN as null."""
        from .write.plain import plain, records

        values = dict(self.values)
        return {
            "step": self.step,
            "title": self.title,
            "answer": self.answer,
            "about": list(self.about),
            **({"values": plain(values)} if values else {}),
            "tables": {name: records(t.of(self)) for name, t in self._tables().items()},
            "findings": [plain(f.to_dict()) for f in self.findings],
        }

    def save(self, path: str | Path, *, guard_formulas: bool = False) -> None:
        """Write the view by the path's extension: png, svg, pdf, html, md, csv or json.

        A csv holds the main table, numbers to six digits; html and md hold all tables and the findings, json all at
        full precision.

        Parameters
        ----------
        guard_formulas
            In a csv, put ``'`` before text that a spreadsheet would run as a formula (it begins with = + - or @);
            numbers are left as they are.

        Raises
        ------
        OutputError
            The extension is unknown or the file cannot be written; then none is left behind.
        """
        from .write.files import check_writable, path_given, write_bytes

        path = path_given(path)
        extension = check_extension(path)
        check_writable(path)
        if extension in PICTURES:
            picture = self.picture()[0] if extension == "png" else _figure_bytes(self.draw(), extension)
            write_bytes(path, picture)
        else:
            write_bytes(path, self._document(extension, guard_formulas).encode("utf-8"))

    def _document(self, extension: str, guard_formulas: bool) -> str:
        if extension == "csv":
            from .write.csv import table_csv
            from .write.digits import pasted

            return table_csv(self.table, pasted, guard_formulas)
        if extension == "json":
            import json

            return json.dumps(self.to_dict(), indent=1, ensure_ascii=False, allow_nan=False) + "\n"
        if extension == "md":
            from .write.markdown import view_markdown

            return view_markdown(self.title, self.answer, self.about, self.shown, self.findings)
        from .write.html import Section, embedded, page

        section = Section(self.title, (), self.shown, self.findings, embedded(*self.picture()))
        return page(self.title, (self.answer, *self.about), [section], f"Made with Envelt: {self.step}.")

    def __str__(self) -> str:
        return self.in_words()

    def in_words(self, width: int = 120, everything: bool = False) -> str:
        """Return the view as text: its answer, findings and the tables that its question needs, in 40 lines or so.

        Parameters
        ----------
        width
            Of a line, in letters.
        everything
            All tables and findings instead.
        """
        from .write.terminal import IN_PYTHON, view_text

        return view_text(self.on_screen(everything), IN_PYTHON, width)

    def on_screen(self, everything: bool = False) -> Screen:
        """Return what a terminal tells of the view: all of it, or what its question needs."""
        from .write.terminal import Screen

        tables = self.shown if everything else self.needed
        rest = () if everything else tuple(name for name in self._seen if name not in tables)
        return Screen(self.title, self.answer, self.about, tables, self.findings, rest, everything, everything)

    def __repr__(self) -> str:
        rows, columns = self.table.shape
        return f"<{type(self).__name__}: {self.title} ({rows} × {columns}, {len(self.findings)} findings)>"

    def _repr_html_(self) -> str:
        from .write.html import fragment

        return fragment(self.title, self.about, self.shown, self.findings, self.answer)


def _figure_bytes(figure: Figure, extension: str) -> bytes:
    """Return a figure as a file, with its title and text alternative in the file's own metadata."""
    import io

    from .draw.parts.readable import cleaned

    title, alternative = (cleaned(str(getattr(figure, name, ""))) for name in ("title", "alternative"))
    metadata: dict[str, Any] = {
        "Title": title,
        ("Subject" if extension == "pdf" else "Description"): alternative,
    }
    if extension == "svg":
        metadata["Date"] = None
    out = io.BytesIO()
    figure.savefig(out, format=extension, metadata=metadata)
    return out.getvalue()

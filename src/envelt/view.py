"""A view: what a step returns, to be read, drawn and saved."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .core.finding import Finding
from .errors import OutputError, did_you_mean

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

PICTURES = ("png", "svg", "pdf")
DOCUMENTS = ("html", "md", "csv", "json")
WITHOUT_GAPS = ("tests", "effects")


class Tables(Mapping[str, "pd.DataFrame"]):
    """Data frames by name; one given as a function is made when it is first asked for."""

    def __init__(self, given: Mapping[str, pd.DataFrame | Callable[[], pd.DataFrame]]) -> None:
        self._given = dict(given)

    def __getitem__(self, name: str) -> pd.DataFrame:
        table = self._given[name]
        if callable(table):
            table = self._given[name] = table()
        return table

    def __iter__(self) -> Iterator[str]:
        return iter(self._given)

    def __len__(self) -> int:
        return len(self._given)


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


class View:
    """The result of a step.

    Parameters
    ----------
    step
        The name of the step.
    title
        What is shown.
    about
        Lines on what it was computed from: rows, missing, the subset, the event.
    tables
        Data frames by name, or functions that make them; the first, ``table``, is the main one. Each is an attribute
        of the view.
    findings
        What is worth a person's attention.
    draw
        Makes the picture.
    values
        Single numbers by name, each an attribute of the view.
    brief
        The columns of the main table that are shown where room is scarce, in that order; all by default.
    captions
        What to call columns of the data where a person sees them, by name.
    order
        The rows of the main table in the order a person sees them.
    folded
        Of long tables, how many rows a person sees; none of a table with 0.
    aside
        Tables left out in the terminal, where the picture or a file says more.
    """

    def __init__(
        self,
        step: str,
        title: str,
        about: tuple[str, ...],
        tables: Mapping[str, pd.DataFrame | Callable[[], pd.DataFrame]],
        findings: tuple[Finding, ...],
        draw: Callable[[View], Figure],
        values: Mapping[str, Any] | None = None,
        brief: tuple[str, ...] = (),
        captions: Mapping[str, str] | None = None,
        order: Sequence[int] | None = None,
        folded: Mapping[str, int] | None = None,
        aside: Sequence[str] = (),
    ) -> None:
        self.step, self.title, self.about = step, title, about
        self.tables = Tables(tables)
        self.values = dict(values or {})
        self._draw, self._brief, self._captions = draw, brief, dict(captions or {})
        self._order, self._folded, self._aside = order, dict(folded or {}), tuple(aside)
        self.findings = tuple(f.labelled(self._captions) for f in findings)
        self._picture: tuple[bytes, str] | None = None

    @property
    def table(self) -> pd.DataFrame:
        """The main table."""
        return self.tables["table"]

    def sorted_by(self, order: Sequence[int]) -> None:
        """Show the rows of the main table in this order."""
        self._order = order

    def fold(self, table: str, rows: int) -> None:
        """Show only so many rows of a table."""
        self._folded[table] = rows

    @property
    def shown(self) -> dict[str, pd.DataFrame]:
        """The tables as a person sees them: the main one in brief, columns of the data under their labels."""
        main = self.table[list(self._brief) or list(self.table.columns)]
        main = main if self._order is None else main.iloc[list(self._order)]
        seen = {name: t.head(self._folded.get(name, len(t))) for name, t in {**self.tables, "table": main}.items()}
        for name in WITHOUT_GAPS:  # what these data cannot give is in the table, and need not be read
            if name in seen:
                seen[name] = seen[name].dropna(how="all")
        return {name: self._captioned(t) for name, t in seen.items() if name == "table" or len(t)}

    @property
    def in_terminal(self) -> dict[str, pd.DataFrame]:
        """The tables as a person sees them where room is scarce."""
        return {name: t for name, t in self.shown.items() if name not in self._aside}

    def _captioned(self, table: pd.DataFrame) -> pd.DataFrame:
        if not self._captions:
            return table
        table = table.rename_axis(index=lambda n: self._captions.get(n, n))
        if table.index.name in ("column", "candidate"):
            table = table.rename(index=self._captions)
        return table

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_") or "tables" not in self.__dict__:
            raise AttributeError(name)
        for group in (self.tables, self.values):
            if name in group:
                return group[name]
        there = [*self.tables, *self.values]
        raise AttributeError(f"This {self.step} view has no {name!r}.{did_you_mean(name, there)}")

    def __dir__(self) -> list[str]:
        return [*super().__dir__(), *self.tables, *self.values]

    def draw(self) -> Figure:
        """Return the picture as a Matplotlib figure, 1280 × 800 pixels."""
        return self._draw(self)

    def picture(self) -> tuple[bytes, str]:
        """Return the picture as a PNG, and what it shows in words; drawn once."""
        if self._picture is None:
            figure = self.draw()
            self._picture = _figure_bytes(figure, "png"), str(getattr(figure, "alternative", ""))
        return self._picture

    def to_dict(self) -> dict[str, Any]:
        """Return the view as JSON-ready data: native scalars, NaN as null."""
        from .write.plain import plain, records

        return {
            "step": self.step,
            "title": self.title,
            "about": list(self.about),
            **({"values": plain(self.values)} if self.values else {}),
            "tables": {name: records(frame) for name, frame in self.tables.items()},
            "findings": [plain(f.to_dict()) for f in self.findings],
        }

    def save(self, path: str | Path) -> None:
        """Write the view by the path's extension: png, svg, pdf, html, md, csv or json.

        A csv holds the main table, numbers to six digits; html and md hold all tables and the findings, json all at
        full precision.

        Raises
        ------
        OutputError
            The extension is unknown or the file cannot be written; then none is left behind.
        """
        from .write.files import check_writable, write_bytes

        extension = check_extension(path)
        path = Path(path)
        check_writable(path)
        if extension in PICTURES:
            picture = self.picture()[0] if extension == "png" else _figure_bytes(self.draw(), extension)
            write_bytes(path, picture)
        else:
            write_bytes(path, self._document(extension).encode("utf-8"))

    def _document(self, extension: str) -> str:
        if extension == "csv":
            from .write.digits import pasted

            return str(self.table.to_csv(float_format=pasted))
        if extension == "json":
            import json

            return json.dumps(self.to_dict(), indent=1, ensure_ascii=False, allow_nan=False) + "\n"
        if extension == "md":
            from .write.markdown import view_markdown

            return view_markdown(self.title, self.about, self.shown, self.findings)
        from .write.html import Section, embedded, page

        section = Section(self.title, (), self.shown, self.findings, embedded(*self.picture()))
        return page(self.title, self.about, [section], f"Made with Envelt: {self.step}.")

    def __str__(self) -> str:
        from .write.terminal import view_text

        return view_text(self.title, self.about, self.in_terminal, self.findings)

    def __repr__(self) -> str:
        rows, columns = self.table.shape
        return f"<View {self.step}: {self.title} ({rows} × {columns}, {len(self.findings)} findings)>"

    def _repr_html_(self) -> str:
        from .write.html import fragment

        return fragment(self.title, self.about, self.shown, self.findings)


def _figure_bytes(figure: Figure, extension: str) -> bytes:
    """Return a figure as a file, with its title and text alternative in the file's own metadata."""
    import io

    title, alternative = str(getattr(figure, "title", "")), str(getattr(figure, "alternative", ""))
    metadata: dict[str, Any] = {
        "Title": title,
        ("Subject" if extension == "pdf" else "Description"): alternative,
    }
    if extension == "svg":
        metadata["Date"] = None
    out = io.BytesIO()
    figure.savefig(out, format=extension, metadata=metadata)
    return out.getvalue()

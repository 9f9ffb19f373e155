"""The report: a study as one self-contained page, in the order of the work."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from ..core.against.asked import EVERY_LEVEL
from ..core.columns.table import NumericColumn, TimeColumn
from ..core.distribution.look import Look
from ..core.finding import failed_finding
from ..core.parallel import Progress
from ..core.words import plural
from ..errors import OptionError, OutputError
from ..version import __version__
from ..view import View
from ..views.rank import RankView
from ..write.files import check_writable, write_bytes
from ..write.html import Section, embedded, page
from ..write.progress import slow_progress
from .against import set_against, show_glance
from .balance import show_balance
from .context import Context
from .distribution import show_sheet
from .inventory import take_inventory
from .rank import show_rank
from .relations import RelationsOptions, show_relations
from .transforms import show_transforms_sheet

LEADING = 8
"""Candidates shown one by one."""
MOST_TOGETHER = 120
"""Candidates related with each other and transformed: pairs grow with the square, and no page holds them."""


def write_report(context: Context, path: Path) -> Path:
    """Write the page.

    Raises
    ------
    OutcomeError, OutputError
    """
    if path.suffix.lower() not in (".html", ".htm"):
        raise OutputError(f"A report is an HTML page: end {str(path)!r} in .html.")
    check_writable(path)
    with slow_progress("Report") as progress:
        steps = LEADING + 7
        progress(0, steps, "columns")
        inventory, balance = take_inventory(context, 0), show_balance(context, ())
        progress(1, steps, "distributions")
        sheet = show_sheet(context, "skewness")
        progress(2, steps, "ranking")
        ranking = show_rank(context)
        progress(3, steps, "all candidates")
        glance = show_glance(context)
        sections = [
            _section(inventory, "What the columns are", "columns", folded=("table",)),
            _section(balance, "The outcome", "outcome"),
            _section(sheet, "How the columns are distributed", "distributions", folded=("table",)),
            _section(ranking, "The ranking", "ranking", folded=("table", "units")),
            _section(glance, "All candidates at a glance", "glance", folded=("table",)),
            *_together(context, _best(context, ranking), progress, steps),
            *_transforms(context, _best(context, ranking), progress, steps),
            Section("Leading candidates against the outcome", _leading_line(ranking), {}, (), anchor="candidates"),
        ]
        for i, name in enumerate(leading(ranking)):
            progress(6 + i, steps, name)
            sections.append(_candidate(context, name, f"candidate-{i + 1}"))
    title = f"What says something about {context.known_outcome.name}"
    footer = f"Envelt {__version__}, {datetime.now():%Y-%m-%d}. Seed {context.seed}. Data: {context.source_name}."
    write_bytes(path, page(title, _lead((inventory, balance, ranking)), sections, footer).encode("utf-8"))
    return path


def _candidate(context: Context, name: str, anchor: str) -> Section:
    """Return the section of one candidate; where it cannot be made, what happened, so that the page is there."""
    try:
        view = set_against(context, name, (), EVERY_LEVEL, Look())
        return _section(view, view.title, anchor, level=3, folded=_folded(view))
    except Exception as error:  # noqa: BLE001 - one candidate must not take the page along
        failed = failed_finding(name, f"{type(error).__name__}: {error}")
        return Section(f"{name} against the outcome", (), {}, (failed,), level=3, anchor=anchor)


def _best(context: Context, ranking: RankView) -> tuple[str, ...]:
    """Return the best-ranked candidates where there are more than a page can hold; none, which is all, elsewhere."""
    names = [str(n) for n in ranking.table.index]
    return tuple(names[:MOST_TOGETHER]) if len(names) > MOST_TOGETHER else ()


def _together(context: Context, names: tuple[str, ...], progress: Progress, steps: int) -> list[Section]:
    """Return the section on how columns go together; none where there are not two to relate."""
    progress(4, steps, "relations")

    def made() -> Section:
        named = [context.table[n] for n in names]
        apart = ("identifier", "text", "constant")
        related = [c.name for c in named if not (isinstance(c, TimeColumn) or c.kind in apart)]
        chosen = (*related, context.known_outcome.name) if names else ()
        view = show_relations(context, RelationsOptions(chosen))
        section = _section(view, view.title, "relations", folded=("pairs", "with_outcome", *_folded(view)))
        return _said(section, names, context)

    return _if_it_can("How the columns go together", "relations", made)


def _said(section: Section, names: tuple[str, ...], context: Context) -> Section:
    """Return a section that says of how many candidates it is, where not of all."""
    if not names:
        return section
    of = f"the {len(names)} best-ranked of {plural(len(context.candidates), 'candidate')}; the step by itself takes all"
    return replace(section, about=(*section.about, of))


def _transforms(context: Context, names: tuple[str, ...], progress: Progress, steps: int) -> list[Section]:
    """Return the section on transforms; none where there is no number."""
    progress(5, steps, "transforms")

    def made() -> Section:
        numbers = tuple(n for n in names if isinstance(context.table[n], NumericColumn))
        if names and not numbers:
            raise OptionError("None of the best-ranked is a number.")
        view = show_transforms_sheet(context, numbers)
        section = _section(view, "Transforms, or none", "transforms", folded=_folded(view))
        return _said(section, names, context)

    return _if_it_can("Transforms, or none", "transforms", made)


def _if_it_can(title: str, anchor: str, made: Callable[[], Section]) -> list[Section]:
    """Return a section; none where the data has nothing for it, and what happened where it cannot be made."""
    try:
        return [made()]
    except OptionError:
        return []
    except Exception as error:  # noqa: BLE001 - likewise
        said = f"This part could not be made, by a fault of Envelt's: {type(error).__name__}: {error}"
        return [Section(title, (said,), {}, (), anchor=anchor)]


def leading(ranking: RankView) -> list[str]:
    """Return the candidates to show: those that carry something, best first, identifiers aside."""
    table = ranking.table
    shown = table[(table["low"] > 0) & ~table["kind"].isin(["identifier", "constant", "text"])]
    return [str(n) for n in shown.index[:LEADING]]


def _leading_line(ranking: RankView) -> tuple[str, ...]:
    names = leading(ranking)
    if not names:
        return ("No candidate's held-out share has an interval above 0: none is shown.",)
    return (f"The {len(names)} best whose interval of the held-out share lies above 0.",)


def _folded(view: View) -> tuple[str, ...]:
    return tuple(n for n, frame in view.tables.items() if len(frame) > 12)


def _section(view: View, title: str, anchor: str, level: int = 2, folded: tuple[str, ...] = ()) -> Section:
    return Section(
        title,
        view.about,
        view.shown,
        view.findings,
        embedded(*view.picture()),
        folded=folded,
        level=level,
        anchor=anchor,
        answer=view.answer,
    )


def _lead(views: Sequence[View]) -> tuple[str, ...]:
    """Return the paragraph of answers that the page opens with."""
    return (" ".join(view.answer for view in views),)

"""Views and the report as HTML: one file, nothing fetched, every text escaped."""

from __future__ import annotations

import base64
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any

from ..core.finding import Finding, counted, folded
from .digits import as_text, numeric_columns
from .shown import ShownTable

if TYPE_CHECKING:
    from jinja2 import Environment


@dataclass(frozen=True)
class Section:
    """A part of a page: a view, with its picture where it has one.

    Parameters
    ----------
    answer
        One or two sentences that lead.
    picture
        A PNG as a data URI, and its text alternative.
    folded
        Names of tables shown only when opened.
    """

    title: str
    about: tuple[str, ...]
    tables: dict[str, ShownTable]
    findings: tuple[Finding, ...]
    picture: tuple[str, str] | None = None
    folded: tuple[str, ...] = ()
    level: int = 2
    anchor: str = ""
    answer: str = ""


@cache
def _environment() -> Environment:
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("envelt.write"), autoescape=True, undefined=StrictUndefined, trim_blocks=True
    )
    environment.globals |= {"written": _written, "folded": folded, "counted": counted}
    return environment


def _written(shown: ShownTable) -> dict[str, Any]:
    text = as_text(shown)
    right = numeric_columns(shown.frame)
    return {
        "head": list(zip(text.columns, right, strict=True)),
        "rows": [list(zip(row, right, strict=True)) for row in text.itertuples(index=False)],
    }


def embedded(png: bytes, alternative: str) -> tuple[str, str]:
    """Return a picture as a data URI, with its text alternative."""
    return "data:image/png;base64," + base64.b64encode(png).decode("ascii"), alternative


def fragment(
    title: str, about: Iterable[str], tables: dict[str, ShownTable], findings: Iterable[Finding], answer: str = ""
) -> str:
    """Return a view as an HTML fragment, as notebooks show it."""
    section = Section(title, tuple(about), tables, tuple(findings), answer=answer)
    return _environment().get_template("fragment.html").render(section=section)


def page(title: str, lead: Iterable[str], sections: list[Section], footer: str) -> str:
    """Return a whole page, self-contained.

    Parameters
    ----------
    lead
        Lines under the title.
    footer
        What made it, and when.
    """
    template = _environment().get_template("page.html")
    return template.render(title=title, lead=list(lead), sections=sections, footer=footer)

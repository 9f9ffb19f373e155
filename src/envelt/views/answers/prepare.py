"""What a preparation did, in a sentence or two."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...core.words import plural

if TYPE_CHECKING:
    from ..prepare import PrepareView


def prepare_answer(view: PrepareView) -> str:
    """Return the answer: what came out of how much, whether anything is missing, and what is otherwise."""
    result = view._result
    rows, made = result.frame.shape
    left = "none of them missing a value" if not view.missing else f"{plural(view.missing, 'value')} missing"
    said = f"{plural(result.columns_in, 'column')} of {plural(rows, 'row')} became {plural(made, 'feature')}, {left}"
    loud = [f for f in view.findings if f.weight != "note"]
    return f"{said}. {loud[0].statement}" if loud else f"{said}."

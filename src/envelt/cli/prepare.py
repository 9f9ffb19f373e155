"""The command that proposes, fits and applies a preparation."""

from __future__ import annotations

import sys
from pathlib import Path

from ..errors import OptionError
from .options import Given


def run_prepare(
    given: Given,
    propose: Path | None,
    using: Path | None,
    fit: bool,
    keep: list[str],
    out: list[Path],
    for_model: str,
    again: bool,
) -> None:
    """Propose a preparation, or apply one and say what changed.

    Raises
    ------
    OptionError, PreparationError, OutputError
    """
    if propose is None and using is None:
        raise OptionError("Say --propose FILE to have a preparation written, or --using FILE to apply one.")
    if propose is not None and (using is not None or fit or out):
        raise OptionError("--propose only writes a preparation: correct it, then apply it with --using.")
    given.spare_the_data([*out, *([propose] if propose is not None else [])])
    if propose is not None:
        _propose(given, propose, for_model, again)
    elif using is not None:
        _apply(given, using, fit, keep, out, again)


def _propose(given: Given, path: Path, for_model: str, again: bool) -> None:
    from ..write.files import check_writable

    if path.exists() and not again:
        raise OptionError(f"There is a file {path} already, perhaps corrected by hand: write over it by --again.")
    check_writable(path)
    proposed = given.study().preparation(for_model=for_model)
    proposed.save(path)
    print(proposed)
    print(f"Wrote {path}: correct it, then try: envelt prepare {given.data} --using {path} --fit", file=sys.stderr)


def _apply(given: Given, using: Path, fit: bool, keep: list[str], out: list[Path], again: bool) -> None:
    from ..data.write import check_table_path
    from ..prepare.preparation import Preparation
    from ..write.files import check_writable

    for path in out:
        check_table_path(path)
    if fit:
        check_writable(using)
    preparation = Preparation.load(using)
    if fit and preparation.is_fitted and not again:
        told = f"{using} is fitted already: leave out --fit to apply it, or learn anew from these rows by --again."
        raise OptionError(told)
    view = given.study().prepare(preparation, fit=fit, keep=keep)
    for path in out:
        view.write(path)
    if fit:
        view.preparation.save(using)
    given.give([view])
    for path in (*out, *([using] if fit else [])):
        print(f"Wrote {path}", file=sys.stderr)

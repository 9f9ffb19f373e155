"""The study file: what a person decided about a table, as TOML. It is data; nothing in it is run."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

from ..core.columns.plan import ColumnPlan, DerivedPlan, StudyPlan, column_plan, derived_plan, marks, says_usual
from ..errors import EnveltError, FileMissingError, StudyFileError, did_you_mean, pointing

STUDY_KEYS = ("data", "outcome", "event", "unit", "counts", "missing", "ignore", "where", "seed")
SECTIONS = ("study", "columns", "derived")
P = TypeVar("P", ColumnPlan, DerivedPlan)


@dataclass(frozen=True)
class StudyFile:
    """A study file, checked but for the names of columns."""

    path: Path
    data: str | list[str]
    plan: StudyPlan = field(default_factory=StudyPlan)
    notes: tuple[str, ...] = ()


def is_study_file(data: Any) -> bool:
    """Say whether a path names a study file."""
    return isinstance(data, (str, Path)) and str(data).lower().endswith(".toml")


def read_study_file(path: Path) -> StudyFile:
    """Read and check a study file.

    Raises
    ------
    FileMissingError, StudyFileError
        With the line and, for an unknown key, the nearest name.
    """
    if not _is_there(path):
        raise FileMissingError(
            f"There is no study file {str(path)!r}. Write one with: envelt begin DATA --outcome NAME"
        )
    try:
        text = path.read_text("utf-8-sig")
        given = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, OSError) as error:
        raise StudyFileError(f"{str(path)!r} is not a study file: {error}.") from error
    except RecursionError as error:
        raise StudyFileError(f"{str(path)!r} is not a study file: lists or tables nested too deep.") from error
    try:
        return _checked(path, given)
    except EnveltError as error:
        line = _line(text, error.at)
        raise StudyFileError(f"{path}{f', line {line}' if line else ''}: {error}") from error


def _is_there(path: Path) -> bool:
    try:
        return path.is_file()
    except (OSError, ValueError):  # a folder that may not be entered, a name that no file can have
        return False


def line_at(path: Path, at: tuple[str, ...]) -> int | None:
    """Return the line, from 1, at which a place of a study file stands; nothing where it is not there."""
    return _line(path.read_text("utf-8-sig"), at) if at else None


def _line(text: str, at: tuple[str, ...]) -> int | None:
    """Return the least number of lines that hold the place, or as much of it as there is."""
    lines = text.splitlines()
    while at and not _holds(lines, len(lines), at):
        at = at[:-1]
    if not at:
        return None
    low, high = 0, len(lines)  # the first lines below ``low`` do not hold it
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if _holds(lines, middle, at) else (middle + 1, high)
    return low


def _holds(lines: list[str], first: int, at: tuple[str, ...]) -> bool:
    """Say whether the first lines, up to where a value they end within is whole, hold a place."""
    for upto in range(first, len(lines) + 1):
        try:
            found: Any = tomllib.loads("\n".join(lines[:upto]))
        except tomllib.TOMLDecodeError:
            continue
        for key in at:
            if not isinstance(found, dict) or key not in found:
                return False
            found = found[key]
        return True
    return False


def _checked(path: Path, given: dict[str, Any]) -> StudyFile:
    _known("the file", given, SECTIONS)
    study = _table("study", given.get("study", {}))
    columns = {n: _plan("columns", n, c, column_plan) for n, c in _table("columns", given.get("columns", {})).items()}
    derived = {n: _plan("derived", n, c, derived_plan) for n, c in _table("derived", given.get("derived", {})).items()}
    with pointing("study"):
        _known("[study]", study, STUDY_KEYS)
        roles = ("outcome", "event", "unit", "counts", "where")
        texts = {k: _typed(k, study[k], str, "text") for k in roles if k in study}
        data, notes = _data(path, study.get("data"))
        ignore = _typed("ignore", study.get("ignore", []), list, "a list of columns")
        seed = _typed("seed", study.get("seed", 0), int, "a whole number")
        with pointing("missing"):
            missing = marks("marks for missing", study.get("missing", []))
            usual = says_usual(study.get("missing"))
    where = (texts.pop("where"),) if "where" in texts else ()
    plan = StudyPlan(
        **texts, missing=missing, usual=usual, ignore=tuple(str(i) for i in ignore), where=where, seed=seed,
        columns=columns, derived=derived,
    )  # fmt: skip
    return StudyFile(path, data, plan, notes)


def _plan(section: str, name: str, given: Any, checked: Callable[[str, Mapping[str, Any]], P]) -> P:
    with pointing(section, name):
        return checked(name, _table(f"{section}.{name}", given))


def _data(path: Path, data: Any) -> tuple[str | list[str], tuple[str, ...]]:
    """Return the paths of the data, from the study file's folder on, and a note where they leave it."""
    if data is None:
        raise StudyFileError("[study] has no 'data': name the file, such as data = \"hives.csv\".")
    if data == "demo":
        return "demo", ()
    listed = [data] if isinstance(data, str) else _typed("data", data, list, "a path or a list of paths")
    folder = path.parent
    paths = [str(folder / _typed("data", d, str, "a path")) for d in listed]
    outside = [d for d, p in zip(listed, paths, strict=True) if not Path(p).resolve().is_relative_to(folder.resolve())]
    notes = (f"{outside[0]} lies outside the folder of {path.name}",) if outside else ()
    return (paths[0] if isinstance(data, str) else paths), notes


def _known(where: str, given: Mapping[str, Any], keys: tuple[str, ...]) -> None:
    for key in given:
        if key not in keys:
            with pointing(key):
                raise StudyFileError(f"Unknown key {key!r} in {where}.{did_you_mean(key, keys)}")


def _table(name: str, value: Any) -> dict[str, Any]:
    if not isinstance(value, dict):
        with pointing(*name.split(".")) if "." not in name else pointing():
            raise StudyFileError(f"{name.rpartition('.')[2]!r} must be a table, [{name}], not {value!r}.")
    return value


def _typed(key: str, value: Any, wanted: type, what: str) -> Any:
    if not isinstance(value, wanted) or isinstance(value, bool):
        with pointing(key):
            raise StudyFileError(f"{key!r} must be {what}, not {value!r}.")
    return value

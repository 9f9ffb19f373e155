"""Numbers with as many digits as they deserve."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
import pandas as pd

from .shown import EVERY, ShownTable

MINUS = "−"


def count(value: float) -> str:
    """Return a whole number with thousands separators."""
    return f"{int(value):,}".replace("-", MINUS)


def percent(value: float) -> str:
    """Return a share as a percentage: one decimal, none needed at 0 and 1."""
    if value in (0.0, 1.0):
        return f"{value:.0%}"
    return f"{value:.1%}" if abs(value) >= 0.0005 else "<0.1%" if value > 0 else f"{value:.1%}".replace("-", MINUS)


def probability(value: float) -> str:
    """Return a p or q value: three decimals, and no claim below one in a thousand."""
    return "<0.001" if value < 0.001 else f"{value:.3f}"


def places(value: float, digits: int = 3) -> str:
    """Return a number with fixed decimals and a true minus sign."""
    text = f"{value:.{digits}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def significant(value: float, digits: int = 4) -> str:
    """Return a number with four significant digits: from 10,000 with separators, from ten million with an exponent.

    Below that it may be a year.
    """
    if value == 0:
        return "0"
    if math.isinf(value):
        return "∞" if value > 0 else f"{MINUS}∞"
    if 1000 <= abs(value) < (1e7 if value % 1 else 1e12):
        return (f"{value:,.0f}" if abs(value) >= 9999.5 else f"{value:.0f}").replace("-", MINUS)
    text = f"{value:.{digits}g}"
    if "e" in text:
        mantissa, exponent = text.split("e")
        text = f"{mantissa}e{int(exponent)}"
    elif "." not in text and abs(value) < 1000 and value != int(value):
        text = f"{value:.1f}" if abs(value) < 1000 else text
    return text.replace("-", MINUS)


def pasted(value: float) -> str:
    """Return a number for a spreadsheet: six significant digits, two decimals at most of what has more before them."""
    if value % 1 == 0 and abs(value) < 2**53:
        return str(int(value))
    return f"{value:.2f}" if 1e4 <= abs(value) < 1e15 else f"{value:.6g}"


def in_line(values: Iterable[Any]) -> Callable[[float], str]:
    """Return how the numbers of one column are written: with as many decimals as four digits of the largest need.

    Decimals that no number uses are left out; where the smallest would lose its digits each number has its own.
    """
    sizes = [abs(float(v)) for v in values if v is not None and math.isfinite(float(v)) and float(v) != 0]
    if not sizes:
        return significant
    decimals = max(0, 3 - math.floor(math.log10(max(sizes))))
    if max(sizes) >= 1000 or min(sizes) < 10.0 ** (1 - decimals) or decimals > 6:
        return significant
    while decimals and all(abs(round(v, decimals) - round(v, decimals - 1)) < 10.0 ** (-decimals - 3) for v in sizes):
        decimals -= 1
    return lambda value: places(value, decimals)


def day_label(days: float) -> str:
    """Return days since 1970-01-01 as a date."""
    return str(np.datetime64(math.floor(days), "D"))


def measured(value: float) -> str:
    """Return an effect or a statistic: three decimals below 1, four significant digits above."""
    if value == 0 or 0.0005 <= abs(value) < 1:
        return places(value)
    return significant(value, 2 if abs(value) < 1 else 4)


def label(value: object) -> str:
    """Return a name, which it is even where it looks like a number."""
    return str(value)


_DIRECTION = (0x61C, 0x200B, 0x200E, 0x200F, 0x2028, 0x2029, *range(0x202A, 0x202F), *range(0x2060, 0x206A), 0xFEFF)
_CONTROL = {i: 0x2400 + i for i in range(32)} | {127: 0x2421} | dict.fromkeys((*range(128, 160), *_DIRECTION), 0xFFFD)


def visible(text: str) -> str:
    """Return a text so that space at its ends, being empty, and control characters can be seen."""
    text = marks(text)
    return text if text and text == text.strip() else f"'{text}'"


def marks(text: str) -> str:
    """Return a text with marks for characters that control (␛ for escape), turn its direction, or do not show."""
    return text if text.isprintable() else text.translate(_CONTROL)


def cell(value: Any, write: Callable[[Any], str]) -> str:
    """Return one cell as text; what is missing is a dash."""
    if value is None or value is pd.NaT or value is pd.NA or (isinstance(value, float) and math.isnan(value)):
        return "–"
    if isinstance(value, (list, tuple)):
        return ", ".join(visible(str(v)) for v in value)
    if isinstance(value, pd.Timestamp):
        return value.strftime("%Y-%m-%d" if value == value.normalize() else "%Y-%m-%d %H:%M")
    if isinstance(value, str):
        return visible(value)
    if isinstance(value, bool):
        return str(value)
    if isinstance(value, int) or (hasattr(value, "dtype") and value.dtype.kind in "iu"):
        return count(value)
    return write(float(value))


def as_text(shown: ShownTable) -> pd.DataFrame:
    """Return a table with every cell written for reading, the index as its first column."""
    frame = shown.frame
    heads, written, ours = [], [], list(frame.columns.names) == [None]  # not levels of a column
    for i, name in enumerate(str(c) for c in flat(frame).columns):
        write = shown.written.get(name, shown.written.get(EVERY))
        if write is None:
            write = (
                in_line(frame.iloc[:, i].dropna()) if pd.api.types.is_float_dtype(frame.dtypes.iloc[i]) else significant
            )
        heads.append(shown.heads.get(name, name.replace("_", " ") if ours and name.islower() else name))
        cells = frame.iloc[:, i].tolist()
        written.append([write(v) for v in cells] if write is label else [cell(v, write) for v in cells])
    # two levels may be written alike
    out = pd.DataFrame(dict(enumerate(written)), dtype=object).set_axis(heads, axis=1)
    if isinstance(frame.index, pd.MultiIndex):
        head = " × ".join(str(n) for n in frame.index.names)
        out.insert(0, head, [", ".join(visible(str(part)) for part in at) for at in frame.index])
    elif not is_numbered(frame):
        out.insert(0, str(frame.index.name or ""), [visible(str(i)) for i in frame.index], allow_duplicates=True)
    return out


def flat(frame: pd.DataFrame) -> pd.DataFrame:
    """Return a table with one line of heads; over levels of several columns "fed = yes, band = low"."""
    of = frame.columns.names
    if len(of) == 1:
        return frame
    heads = [", ".join(f"{n} = {v}" for n, v in zip(of, at, strict=True)) for at in frame.columns]
    return frame.set_axis(heads, axis=1)


def is_numbered(frame: pd.DataFrame) -> bool:
    """Say whether the index is only a running number, which nobody needs to read."""
    return isinstance(frame.index, pd.RangeIndex) and frame.index.name is None


def numeric_columns(frame: pd.DataFrame) -> list[bool]:
    """Say for each column, the index first where it is shown, whether it is set flush right."""
    return [False] * (not is_numbered(frame)) + [
        pd.api.types.is_numeric_dtype(t) or pd.api.types.is_datetime64_any_dtype(t) for t in frame.dtypes
    ]

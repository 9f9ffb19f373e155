"""Numbers and dates kept as text, read when every text of a column can be read the same way.

Only the distinct texts are looked at, never the rows.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..words import plural
from .raw import EXACT, RawTimes
from .zones import zone_of

CURRENCY = "€$£¥₹₽₩¢"
_PLAIN = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_COMMA_GROUPS = re.compile(r"[+-]?\d{1,3}(,\d{3})+(\.\d+)?")
_POINT_GROUPS = re.compile(r"[+-]?\d{1,3}(\.\d{3})+(,\d+)?")
_SPACE_GROUPS = re.compile(r"[+-]?\d{1,3}([ '\u00a0\u202f]\d{3})+([.,]\d+)?")
_DECIMAL_COMMA = re.compile(r"[+-]?\d+,\d+")
_LEADING_ZERO = re.compile(r"[+-]?0\d")
_CLOCK = re.compile(r"(\d{1,3}):([0-5]\d)(?::([0-5]\d))?")


class NumberReading(NamedTuple):
    """A number for each text, how it was read, and which of `FORMS` it is.

    ``exact`` says that some are whole numbers of which floating point would lose digits, ``units`` of which two they
    are where some are percentages or amounts of one currency and others not: then they are no one quantity.
    """

    values: NDArray[np.float64]
    how: str
    form: str = "plain"
    exact: bool = False
    units: tuple[str, ...] = ()


class DateReading(NamedTuple):
    """Microseconds since 1970 for each text, how they were read, and whether day and month may be swapped.

    ``form`` is how pandas writes the form, "quarter" or "week"; ``offset`` by how much each clock was ahead of
    universal time, where all texts say it.
    """

    values: NDArray[np.int64]
    how: str
    ambiguous: bool
    form: str = ""
    offset: NDArray[np.int64] | None = None

    def of(self, codes: NDArray[np.int32]) -> RawTimes:
        """Return the times of rows, of which codes say which text stands there; −1 where none does."""
        absent = codes < 0
        if self.offset is None:
            return RawTimes(np.append(self.values, 0)[codes], absent)
        zone = zone_of(self.offset[np.unique(codes[~absent])])
        return RawTimes(np.append(self.values, 0)[codes], absent, zone, offset=np.append(self.offset, 0)[codes])


def read_numbers(words: list[str]) -> NumberReading | None:
    """Read texts as numbers, or return nothing where one cannot be.

    Thousands separators, decimal commas, percent and currency signs are understood, and times of day as
    hours. Texts with leading zeros are codes, not numbers. Percentages stay percentages: 12 % is 12.
    """
    if not words or not all(any(ch.isdigit() for ch in w) for w in words[:20]):
        return None
    if all(_CLOCK.fullmatch(w.strip()) for w in words):
        return NumberReading(np.array([float(_hours(w)) for w in words]), FORMS["clock"][0], "clock")
    if _grouping([_strip_signs(w, set()) for w in words[:20]]) is None:
        return None  # what does not fit the first does not fit all
    if any(_LEADING_ZERO.match(w.strip()) for w in words):
        return None
    signs: set[str] = set()
    bare = [_strip_signs(w, signs) for w in words]
    form = _grouping(bare)
    if form is None:
        return None
    how, convert = FORMS[form]
    plain = [convert(b) for b in bare]
    values = np.array([float(p) for p in plain])
    parts = [*sorted(signs), *([how] if how else [])]
    exact = any(_is_beyond(plain[i]) for i in np.flatnonzero(np.abs(values) > EXACT))
    return NumberReading(values, " and ".join(parts) or "plain numbers", form, exact, _units(words, signs))


def _is_beyond(plain: str) -> bool:
    """Say whether a number beyond 2^53 is written out in full, as codes are, and not as 1.5e20."""
    return "e" not in plain.casefold()


def _units(words: list[str], signs: set[str]) -> tuple[str, ...]:
    """Return two units of numbers in one column: two currencies, or percent and none; a zero needs no sign."""
    found = [c for c in CURRENCY if any(c in s for s in signs)]
    if "percent signs" in signs:
        bare = any(not w.rstrip().endswith("%") and w.strip(" +-0.,") for w in words)
        found += ["%"] + (["none"] if bare and not found else [])
    return tuple(found[:2]) if len(found) > 1 else ()


def _strip_signs(word: str, signs: set[str]) -> str:
    text = word.strip().replace("−", "-")
    negative = text.startswith("(") and text.endswith(")")
    text = text.strip("()") if negative else text
    for mark in CURRENCY:
        if mark in text:
            signs.add(f"currency signs ({mark})")
            text = text.replace(mark, "").strip()
    if text.endswith("%"):
        signs.add("percent signs")
        text = text[:-1].strip()
    return "-" + text if negative else text


def _hours(word: str) -> str:
    """Write a time of day, or how long something took, as hours: 13:30 is 13.5; what is none is left as it is."""
    found = _CLOCK.fullmatch(word.strip())
    if found is None:
        return word
    hours, minutes, seconds = (int(part or 0) for part in found.groups())
    return repr(round(hours + minutes / 60 + seconds / 3600, 6))


FORMS: dict[str, tuple[str, Callable[[str], str]]] = {
    "plain": ("", lambda b: b),
    "comma_thousands": ("thousands separators (,)", lambda b: b.replace(",", "")),
    "point_thousands": ("thousands separators (.)", lambda b: b.replace(".", "").replace(",", ".")),
    "space_thousands": ("thousands separators", lambda b: re.sub(r"[ '\u00a0\u202f]", "", b).replace(",", ".")),
    "decimal_comma": ("decimal commas", lambda b: b.replace(".", "").replace(",", ".")),
    "clock": ("hours and minutes (13:30), as hours", _hours),
}
"""Ways of writing numbers: what to call each, and how to write it plainly."""


def _grouping(bare: list[str]) -> str | None:
    """Find the one way of writing numbers that fits all texts."""
    odd = [b for b in bare if not _PLAIN.fullmatch(b)]
    if not odd:
        return "plain"
    if all(_COMMA_GROUPS.fullmatch(b) for b in odd) and not _comma_is_decimal(bare, odd):
        return "comma_thousands"
    if all(_DECIMAL_COMMA.fullmatch(b) or _POINT_GROUPS.fullmatch(b) for b in bare if "," in b or "." in b) and any(
        "," in b for b in odd
    ):
        whole = all("," in b or "." in b or b.lstrip("+-").isdigit() for b in bare)
        return "decimal_comma" if whole else None
    if all(_POINT_GROUPS.fullmatch(b) for b in [*odd, *(b for b in bare if "." in b)]):
        return "point_thousands"
    if all(_SPACE_GROUPS.fullmatch(b) for b in odd):
        return "space_thousands"
    return None


def number_form(words: list[str]) -> str:
    """Return how numbers are written in texts of which some may be none: one of `FORMS`, "plain" where nothing fits."""
    bare = [b for b in (_strip_signs(w, set()) for w in words) if any(ch.isdigit() for ch in b)]
    if bare and all(_CLOCK.fullmatch(b) for b in bare):
        return "clock"
    return _grouping(bare) or "plain"


def numbers_as(words: list[str], form: str) -> NDArray[np.float64]:
    """Read texts that write numbers in one way; NaN where one does not."""
    convert = FORMS[form][1]
    plain = (convert(_strip_signs(w, set())) for w in words)
    return np.array([float(p) if _PLAIN.fullmatch(p) else np.nan for p in plain], np.float64)


def _comma_is_decimal(bare: list[str], odd: list[str]) -> bool:
    """Say whether commas before three digits divide no thousands: 0,123 does not, nor 1,250 beside 1250."""
    if any("." in b or b.count(",") > 1 for b in odd):
        return False
    return any(b.lstrip("+-").startswith("0,") for b in odd) or any(
        len(b.lstrip("+-")) > 3 for b in bare if b.isdigit()
    )


_DAY_FIRST = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d{2})")
_DATES = (
    (re.compile(r"\d{4}-\d{1,2}-\d{1,2}([T ]\d{1,2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?)?"), "ISO8601"),
    (re.compile(r"\d{4}/\d{1,2}/\d{1,2}"), "%Y/%m/%d"),
    (re.compile(r"(1[89]|20)\d{2}-(0[1-9]|1[0-2])"), "%Y-%m"),
    (re.compile(r"[A-Za-z]{3} \d{4}"), "%b %Y"),
    (re.compile(r"[A-Za-z]{3,9} \d{4}"), "%B %Y"),
    (re.compile(r"\d{1,2} [A-Za-z]{3} \d{4}"), "%d %b %Y"),
    (re.compile(r"\d{1,2} [A-Za-z]{3,9} \d{4}"), "%d %B %Y"),
    (re.compile(r"[A-Za-z]{3} \d{1,2}, \d{4}"), "%b %d, %Y"),
    (re.compile(r"[A-Za-z]{3,9} \d{1,2}, \d{4}"), "%B %d, %Y"),
    (re.compile(r"\d{1,2}-[A-Za-z]{3}-\d{4}"), "%d-%b-%Y"),
    (re.compile(r"\d{1,2}-[A-Za-z]{3}-\d{2}"), "%d-%b-%y"),
    (re.compile(r"\d{1,2} [A-Za-z]{3} \d{2}"), "%d %b %y"),
    (re.compile(r"\d{1,2}[A-Za-z]{3}\d{4}"), "%d%b%Y"),
    (re.compile(r"\d{1,2}[A-Za-z]{3}\d{4}(:\d{2}){3}"), "%d%b%Y:%H:%M:%S"),
    (re.compile(r"[A-Za-z]{3}-\d{2}"), "%b-%y"),
    (re.compile(r"[A-Za-z]{3}-\d{4}"), "%b-%Y"),
    (re.compile(r"(0?[1-9]|1[0-2])/(1[89]|20)\d{2}"), "%m/%Y"),
    (re.compile(r"\d{4}\.\d{1,2}\.\d{1,2}"), "%Y.%m.%d"),
    (re.compile(r"\d{4}年\d{1,2}月\d{1,2}日"), "%Y年%m月%d日"),
    (re.compile(r"[A-Za-z]{6,9}, [A-Za-z]{3,9} \d{1,2}, \d{4}"), "%A, %B %d, %Y"),
    (re.compile(r"[A-Za-z]{3} [A-Za-z]{3} +\d{1,2} \d{2}(:\d{2}){2} \d{4}"), "%a %b %d %H:%M:%S %Y"),
    (re.compile(r"[A-Za-z]{3}, \d{1,2} [A-Za-z]{3} \d{4} \d{2}(:\d{2}){2} [+-]\d{4}"), "%a, %d %b %Y %H:%M:%S %z"),
    (re.compile(r"[A-Za-z]{3}, \d{1,2} [A-Za-z]{3} \d{4} \d{2}(:\d{2}){2} GMT"), "%a, %d %b %Y %H:%M:%S GMT"),
    (re.compile(r"\d{1,2}/[A-Za-z]{3}/\d{4}(:\d{2}){3}"), "%d/%b/%Y:%H:%M:%S"),
    (re.compile(r"\d{1,2}/[A-Za-z]{3}/\d{4}(:\d{2}){3} [+-]\d{4}"), "%d/%b/%Y:%H:%M:%S %z"),
)
"""Common ways to write a date, and how `strptime` writes them."""


_TIME = re.compile(r"(?P<date>\d.*?)(?P<gap> +)\d{1,2}:\d{2}(?P<s>:\d{2})?((?P<apart> ?)[AaPp][Mm])?")
"""A date with a time of day behind it: 10/3/2016 0:00, 2016/01/01 00:47:36, 3/14/2015 4:05 PM."""
_WEEK = re.compile(r"\d{4}-?W[0-5]\d")
_QUARTER = re.compile(r"(?P<y>\d{4})[ _-]?[Qq](?P<q>[1-4])|[Qq](?P<q2>[1-4])[ _-]?(?P<y2>\d{4})")


def whole_days(name: str, values: NDArray[np.float64]) -> DateReading | None:
    """Read whole numbers that are days, 19750103 or, where the name says date, 750103; nothing where they are not.

    Parameters
    ----------
    values
        Shape (n,), none missing.
    """
    if len(values) == 0 or not 10_000 <= values[0] < 22_000_000:
        return _whole_times(values)
    low, high = values.min(), values.max()
    long = low >= 18_000_101 and high <= 21_001_231
    short = "date" in name.casefold() and low >= 10_101 and high <= 991_231
    if not (long or short) or (values != np.floor(values)).any():
        return None
    unique, at = np.unique(values.astype(np.int64), return_inverse=True)
    if not ((unique // 100 % 100 - 1 < 12) & (unique % 100 - 1 < 31)).all():
        return None
    read = _dates([f"{v:06d}" for v in unique.tolist()], "%Y%m%d" if long else "%y%m%d", "", False)
    if read is None:
        return None
    return DateReading(read.values[at], f"dates as whole numbers, {'yyyymmdd' if long else 'yymmdd'}", False, read.form)


STAMPS = {12: "%Y%m%d%H%M", 14: "%Y%m%d%H%M%S"}
"""Digits of a time written as one whole number."""


def _whole_times(values: NDArray[np.float64]) -> DateReading | None:
    """Read whole numbers that are times, 20240930142500; nothing where they are not."""
    digits = int(np.log10(values[0])) + 1 if len(values) and 0 < values[0] < 1e15 else 0
    if digits not in STAMPS or (values != np.floor(values)).any():
        return None
    unit = 10.0 ** (digits - 8)
    if values.min() < 18_000_101 * unit or values.max() >= 21_001_232 * unit:
        return None
    unique, at = np.unique(values.astype(np.int64), return_inverse=True)
    read = _dates([str(v) for v in unique.tolist()], STAMPS[digits], "", False)
    if read is None:
        return None
    how = f"dates and times as whole numbers, yyyymmddhhmm{'ss' * (digits == 14)}"
    return DateReading(read.values[at], how, False, read.form)


def read_dates(words: list[str]) -> DateReading | None:
    """Read texts as dates in one of the common forms, or return nothing where one cannot be.

    Of 03/04/2024 the day comes first where points divide, or where some first part is above 12; the month
    where some second part is. Where neither decides, the day is taken first and the reading is ambiguous. A time of day
    may follow, in one form throughout.
    """
    if not words:
        return None
    stripped = [w.strip() for w in words]
    timed = _TIME.fullmatch(stripped[0]) and [_TIME.fullmatch(w) for w in stripped]
    if timed:
        return _with_times(stripped, [m for m in timed if m])
    by_period = _quarters_or_weeks(stripped)
    if by_period is not None:
        return by_period
    for pattern, form in _DATES:
        if all(pattern.fullmatch(w) for w in stripped):
            shown = "year-month-day" if form == "ISO8601" else form
            return _dates(stripped, form, shown, False)
    if _DAY_FIRST.fullmatch(stripped[0]) is None:
        return None
    found = [_DAY_FIRST.fullmatch(w) for w in stripped]
    parts = [m for m in found if m]
    if len(parts) < len(found) or len({(m.group(2), len(m.group(4))) for m in parts}) > 1:
        return None
    first, second = (max(int(m.group(g)) for m in parts) for g in (1, 3))
    mark, long = parts[0].group(2), len(parts[0].group(4)) == 4
    day_first = first > 12 or (second <= 12)
    if first > 12 and second > 12:
        return None
    day, month, year = "%d", "%m", "%Y" if long else "%y"
    form = mark.join((day, month, year) if day_first else (month, day, year))
    ambiguous = first <= 12 and second <= 12 and mark != "."
    return _dates(stripped, form, "day first" if day_first else "month first", ambiguous)


def _quarters_or_weeks(words: list[str]) -> DateReading | None:
    """Read quarters and weeks as their first days."""
    if all(_QUARTER.fullmatch(w) for w in words):
        return _dates(words, "quarter", "quarters, by their first day", False)
    if all(_WEEK.fullmatch(w) for w in words):
        return _dates(words, "week", "weeks (ISO 8601), by their Monday", False)
    return None


def _with_times(words: list[str], parts: list[re.Match[str]]) -> DateReading | None:
    """Read dates with times of day, where all have one and it has one form."""
    styles = {(m["gap"], m["s"] is None, m["apart"]) for m in parts}
    if len(parts) < len(words) or len(styles) > 1:
        return None
    read = read_dates([m["date"] for m in parts])
    ((gap, minutes, apart),) = styles
    if read is not None and read.form == "ISO8601" and apart is not None:
        read = read._replace(form="%Y-%m-%d")
    if read is None or read.form in ("ISO8601", "quarter", "week"):
        return _dates(words, "ISO8601", "year-month-day", False) if read and read.form == "ISO8601" else None
    clock = ("%H:%M" if apart is None else "%I:%M") + ("" if minutes else ":%S")
    form = f"{read.form}{gap}{clock}" + ("" if apart is None else f"{apart}%p")
    how = read.how.removeprefix("dates kept as text, ")
    return _dates(words, form, f"{how}, with a time of day", read.ambiguous)


def _dates(words: list[str], form: str, how: str, ambiguous: bool) -> DateReading | None:
    read, absent = dates_as(words, form)
    return None if absent.any() else read._replace(how=f"dates kept as text, {how}{read.how}", ambiguous=ambiguous)


_OFFSET = re.compile(r":\d{2}(?:\.\d+)?\s*(?:(Z)|([+-])(\d{2}):?(\d{2}))$")


def _offset(word: str) -> int | None:
    """Return by how many microseconds a clock is ahead of universal time, where a text says it."""
    found = _OFFSET.search(word)
    if found is None:
        return None
    return 0 if found[1] else int(found[2] + "1") * (int(found[3]) * 60 + int(found[4])) * 60_000_000


def dates_as(words: list[str], form: str) -> tuple[DateReading, NDArray[np.bool_]]:
    """Read texts that write dates in one form, as the clock showed them; and say which do not.

    Where some say how far they are from universal time and others do not, those are taken as universal time.
    """
    parsed = form
    if form == "quarter":
        found = [_QUARTER.fullmatch(w.strip()) for w in words]
        words = ["" if m is None else f"{m['y'] or m['y2']}-{3 * int(m['q'] or m['q2']) - 2:02d}" for m in found]
        parsed = "%Y-%m"
    if form == "week":
        words, parsed = [f"{w.strip().replace('-', '')}1" for w in words], "%GW%V%u"
    texts = pd.Series([w.strip() for w in words], dtype=object)
    stamps = pd.to_datetime(texts, format=parsed, errors="coerce", utc=True)
    absent = stamps.isna().to_numpy(bool)
    micro = np.where(absent, 0, stamps.dt.tz_localize(None).to_numpy("datetime64[us]").astype(np.int64))
    ahead = [_offset(w) for w in words] if form == "ISO8601" or form.endswith("%z") else []
    if not any(o is not None for o in ahead):
        return DateReading(micro, "", False, form), absent
    offset = np.array([o or 0 for o in ahead], np.int64)
    without = sum(o is None for o, gone in zip(ahead, absent, strict=True) if not gone)
    how = f", {plural(without, 'text')} without an offset taken as UTC" if without else ""
    return DateReading(micro + offset, how, False, form, offset), absent

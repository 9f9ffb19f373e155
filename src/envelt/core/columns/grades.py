"""Scales of grades in words, and the order of levels that carry numbers, such as age bands."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

MOST_GRADES = 40

SCALES: tuple[tuple[str, ...], ...] = (
    ("none", "very low", "low", "medium", "high", "very high", "extreme"),
    ("none", "very low", "low", "middle", "high", "very high"),
    ("very low", "low", "moderate", "high", "very high"),
    ("low", "med", "high"),
    ("low", "normal", "high"),
    ("none", "very weak", "weak", "fair", "strong", "very strong"),
    ("none", "minor", "mild", "moderate", "major", "severe", "critical"),
    ("none", "slight", "moderate", "severe"),
    ("xxs", "xs", "s", "m", "l", "xl", "xxl", "xxxl"),
    ("tiny", "small", "medium", "large", "huge"),
    ("extra small", "small", "medium", "large", "extra large"),
    ("very poor", "poor", "fair", "average", "good", "very good", "excellent"),
    ("very bad", "bad", "ok", "good", "very good"),
    ("strongly disagree", "disagree", "neither agree nor disagree", "agree", "strongly agree"),
    ("strongly disagree", "disagree", "neutral", "agree", "strongly agree"),
    ("very dissatisfied", "dissatisfied", "neutral", "satisfied", "very satisfied"),
    ("very unlikely", "unlikely", "neutral", "likely", "very likely"),
    ("never", "rarely", "seldom", "sometimes", "often", "usually", "always"),
    ("never", "former", "current"),
    ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"),
    ("mon", "tue", "wed", "thu", "fri", "sat", "sun"),
    (
        *("january", "february", "march", "april", "may", "june"),
        *("july", "august", "september", "october", "november", "december"),
    ),
    ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"),
    ("q1", "q2", "q3", "q4"),
    ("spring", "summer", "autumn", "winter"),
    ("morning", "noon", "afternoon", "evening", "night"),
    ("first", "second", "third", "fourth", "fifth"),
    ("bronze", "silver", "gold", "platinum", "diamond"),
    ("beginner", "intermediate", "advanced", "expert"),
    ("junior", "mid", "senior", "lead"),
    ("rural", "suburban", "urban"),
    ("no", "partial", "full"),
    ("few", "some", "many", "most", "all"),
    ("never", "rarely", "occasionally", "frequently", "always"),
    ("never", "occas", "freq", "regul", "heavy"),
    ("asstprof", "assocprof", "prof"),
    ("assistant", "associate", "full"),
    ("assistant professor", "associate professor", "professor"),
    (
        *("illiterate", "none", "no schooling", "primary", "secondary", "8th grade", "<hs", "less than high school"),
        *("some high school", "ged", "highschool", "high school", "high school graduate", "hs", "post high school"),
        *("some college", "associate", "2y college", "college", "4y college", "bachelor", "bachelors"),
        *("univ", "university", "graduate", "grad", "graduate school", "master", "masters", "phd", "doctorate"),
    ),
    ("illiterate", "iliterate", "none", "primary", "secondary", "tertiary", "higher"),
    ("none", "reduced", "continuing"),
    ("none", "partial", "complete"),
    ("none", "some", "most", "all"),
    ("pre", "during", "post"),
    ("before", "during", "after"),
    ("baseline", "before", "after", "follow up"),
    ("worse", "same", "better"),
    ("decreased", "unchanged", "increased"),
    ("down", "same", "up"),
    ("negative", "neutral", "positive"),
    ("unattractive", "average", "attractive", "beautiful"),
    ("underweight", "normal", "overweight", "obese"),
    ("thin", "average", "fat"),
    ("short", "medium", "average", "tall"),
    ("short", "medium", "long"),
    ("thin", "medium", "thick"),
    ("light", "medium", "dark"),
    ("light", "medium", "heavy"),
    ("slow", "medium", "fast"),
    ("near", "medium", "far"),
    ("shallow", "medium", "deep"),
    ("cold", "cool", "mild", "warm", "hot"),
    ("dry", "moist", "wet"),
    ("early", "middle", "mid", "late"),
    ("young", "middle aged", "old"),
    ("basic", "standard", "premium"),
    ("i3", "i2", "i1", "si3", "si2", "si1", "vs2", "vs1", "vvs2", "vvs1", "if", "fl"),
    ("newborn", "infant", "child", "adolescent", "adult", "senior"),
    ("daily", "weekly", "monthly", "quarterly", "yearly"),
)

_NUMBER = r"[€$£]?\d[\d,. ]*\d|[€$£]?\d"
_AFTER = r"\s*[a-z%]{0,8}(?:\s*(?:/|per|a)\s*[a-z]+)?(?:\s+ago)?"
"""A unit behind a number: 40 to 60 per day, 3 beds, 2 to 3 years ago, 0-39 g/day."""
_BAND = re.compile(
    rf"(?:(?P<under><=?|≤|under |below |up to |less than |within )\s*)?(?P<low>{_NUMBER})(?:st|nd|rd|th)?"
    rf"(?:{_AFTER}\s*(?:-|–|to|\.\.)\s*(?P<high>{_NUMBER}){_AFTER}"
    rf"|\s*(?P<over>\+|and over|and above|or more|plus)?{_AFTER})"
    rf"|(?:(?P<above>>=?|≥|over |above |more than )\s*)(?P<from>{_NUMBER}){_AFTER}",
    re.IGNORECASE,
)
_INTERVAL = re.compile(r"[\[(]\s*(?P<low>[^,;\s]+)\s*[,;]\s*(?P<high>[^,;\s]+)\s*[\])]")
_NOTHING = ("none", "never", "zero", "no", "nil")

MONTHS = "jan feb mar apr may jun jul aug sep oct nov dec"
WEEKDAYS = "mon tue wed thu fri sat sun"
ELSEWHERE = (
    ("montag", "dienstag", "mittwoch", "donnerstag", "freitag", "samstag", "sonntag"),
    ("lundi", "mardi", "mercredi", "jeudi", "vendredi", "samedi", "dimanche"),
    ("lunes", "martes", "miércoles", "jueves", "viernes", "sábado", "domingo"),
    (
        *("januar", "februar", "märz", "april", "mai", "juni"),
        *("juli", "august", "september", "oktober", "november", "dezember"),
    ),
    (
        *("janvier", "février", "mars", "avril", "mai", "juin"),
        *("juillet", "août", "septembre", "octobre", "novembre", "décembre"),
    ),
    (
        *("enero", "febrero", "marzo", "abril", "mayo", "junio"),
        *("julio", "agosto", "septiembre", "octubre", "noviembre", "diciembre"),
    ),
)
CALENDAR = {
    "months": ("january february march april may june july august september october november december", MONTHS),
    "weekdays": ("monday tuesday wednesday thursday friday saturday sunday", WEEKDAYS),
}

_POLES = {
    **dict.fromkeys(("low", "poor", "bad", "weak", "small", "few", "unlikely", "dissatisfied", "unhappy", "light"), -1),
    **dict.fromkeys(("average", "medium", "moderate", "middle", "mid", "fair", "normal", "neutral", "ok", "okay"), 0),
    **dict.fromkeys(("high", "good", "strong", "large", "many", "likely", "satisfied", "happy", "heavy"), 1),
    **dict.fromkeys(("severe", "excellent", "huge"), 4),
}
_HOW = {
    **dict.fromkeys(("slightly", "somewhat", "fairly", "rather", "quite", "a bit", "relatively"), 1),
    **dict.fromkeys(("very", "extra", "really"), 3),
    **dict.fromkeys(("extremely",), 4),
}
_LETTER = re.compile(r"([A-F])([+-]?)")


def grade_order(levels: list[str]) -> tuple[str, ...]:
    """Return the levels in the order of a known scale, of the calendar or of their bands; nothing where none fits."""
    if not 3 <= len(levels) <= MOST_GRADES:
        return ()
    folded = {re.sub(r"[\s_-]+", " ", level.strip().casefold()): level for level in levels}
    if len(folded) != len(levels):
        return ()
    for scale in (*SCALES, *ELSEWHERE):
        if set(folded) <= set(scale):
            return tuple(folded[g] for g in scale if g in folded)
    for places in (_on_the_calendar(folded), _between_poles(folded), _letters(folded)):
        if places is not None and len(set(places)) == len(places):
            return tuple(level for _, level in sorted(zip(places, folded.values(), strict=True)))
    return _interval_order(levels) or _band_order(levels)


def on_calendar(levels: Sequence[str]) -> bool:
    """Say whether levels are weekdays or months, however they are shortened."""
    return len(levels) > 1 and _on_the_calendar({level.strip().casefold(): level for level in levels}) is not None


def _on_the_calendar(folded: Mapping[str, str]) -> list[int] | None:
    """Return the place of each month, or weekday, however it is shortened: Thur, Sept, July."""
    for whole, short in CALENDAR.values():
        words, starts = whole.split(), short.split()
        places = [starts.index(w[:3]) if w[:3] in starts else -1 for w in folded]
        fits = [k >= 0 and words[k].startswith(w.rstrip(".")) for w, k in zip(folded, places, strict=True)]
        if all(fits):
            return places
    return None


def _between_poles(folded: Mapping[str, str]) -> list[int] | None:
    """Return where each level lies between low and high: Fairly Low, Average, Very High."""
    places = []
    for level in folded:
        *how, pole = level.rsplit(" ", 1)
        if pole not in _POLES or (how and how[0] not in _HOW):
            return None
        places.append(_POLES[pole] * (_HOW[how[0]] if how else 2))
    return places if min(places) < 0 < max(places) else None


def _letters(folded: Mapping[str, str]) -> list[int] | None:
    """Return the place of marks from F to A+, where some have a sign: plain letters may be names."""
    found = [_LETTER.fullmatch(level.strip()) for level in folded.values()]
    if any(m is None for m in found) or not any(m[2] for m in found if m is not None):
        return None
    return [3 * -"ABCDEF".index(m[1]) + {"-": -1, "": 0, "+": 1}[m[2]] for m in found if m is not None]


def _interval_order(levels: list[str]) -> tuple[str, ...]:
    """Order intervals by their ends, as programs write them: [0, 10), (10,20], [20, Inf)."""
    found = [_INTERVAL.fullmatch(level.strip()) for level in levels]
    try:
        ends = [(float(m["low"]), float(m["high"])) for m in found if m is not None]
    except ValueError:
        return ()
    if len(ends) < len(levels) or len(set(ends)) < len(ends) or any(not low < high for low, high in ends):
        return ()
    return tuple(level for _, level in sorted(zip(ends, levels, strict=True)))


def _band_order(levels: list[str]) -> tuple[str, ...]:
    """Order age bands and the like: 18-24, 25 to 34, under 18, 65+; all must be bands, one must be a range."""
    places = []
    ranges = 0
    for level in levels:
        if level.strip().casefold() in _NOTHING:
            places.append((-1.0, 0))
            continue
        match = _BAND.fullmatch(level.strip())
        if match is None:
            return ()
        start = match["from"] or match["low"]
        ranges += match["high"] is not None
        try:
            value = float(re.sub(r"[^\d.]", "", start.replace(",", "")) or 0)
        except ValueError:  # 1.234.567
            return ()
        places.append((value, -1 if match["under"] else 1 if match["over"] or match["above"] else 0))
    counted = all(re.match(r"\d+(?:st|nd|rd|th)\b", level.strip(), re.IGNORECASE) for level in levels)
    units = {re.sub(r"^[\d.,\s]+", "", level.strip()) for level in levels}
    counted = counted or (
        len(units) == 1 and re.fullmatch(r"[a-zA-Z%]{1,8}", next(iter(units))) is not None
    )  # 20cwt, 40cwt
    if (ranges < 1 + (len(levels) > 4) and not counted) or len(set(places)) < len(places):
        return ()
    return tuple(level for _, level in sorted(zip(places, levels, strict=True)))

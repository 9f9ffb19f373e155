"""Scales of grades in words, and the order of levels that carry numbers, such as age bands."""

from __future__ import annotations

import re

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
    ("primary", "secondary", "tertiary"),
    ("newborn", "infant", "child", "adolescent", "adult", "senior"),
    ("daily", "weekly", "monthly", "quarterly", "yearly"),
)

_NUMBER = r"[€$£]?\d[\d,. ]*\d|[€$£]?\d"
_BAND = re.compile(
    rf"(?:(?P<under><=?|≤|under |below |up to |less than )\s*)?(?P<low>{_NUMBER})\s*(?:k|m|yrs?|years?)?"
    rf"(?:\s*(?:-|–|to|\.\.)\s*(?P<high>{_NUMBER})\s*(?:k|m|yrs?|years?)?"
    rf"|\s*(?P<over>\+|and over|and above|or more|plus))?"
    rf"|(?:(?P<above>>=?|≥|over |above |more than )\s*)(?P<from>{_NUMBER})\s*(?:k|m|yrs?|years?)?",
    re.IGNORECASE,
)


def grade_order(levels: list[str]) -> tuple[str, ...]:
    """Return the levels in the order of a known scale or of their bands, or nothing where none fits."""
    if not 3 <= len(levels) <= MOST_GRADES:
        return ()
    folded = {re.sub(r"[\s_-]+", " ", level.strip().casefold()): level for level in levels}
    if len(folded) != len(levels):
        return ()
    for scale in SCALES:
        if set(folded) <= set(scale):
            return tuple(folded[g] for g in scale if g in folded)
    return _band_order(levels)


def _band_order(levels: list[str]) -> tuple[str, ...]:
    """Order age bands and the like: 18-24, 25 to 34, under 18, 65+; all must be bands, two must be ranges."""
    places = []
    ranges = 0
    for level in levels:
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
    if ranges < 2 or len(set(places)) < len(places):
        return ()
    return tuple(level for _, level in sorted(zip(places, levels, strict=True)))

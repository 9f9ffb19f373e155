"""What the name of a column hints at."""

from __future__ import annotations

import re

import numpy as np

_SEEN_AGAIN = "prof|professor|teacher|instructor|rater|judge|stratum|strata|litter|pig|rat|mouse|dog|sheep|cow|horse"

NAMES = {
    "names": r"zone|code|type|class|line|group|cluster|category|region|kind|sector|segment|branch|store|district"
    r"|race|ethnic|ethnicity|nationality|country|state|county"
    r"|department|dept|model|brand|species|breed|batch|lot|shift|channel|route|ward|plot|site|status",
    "codes": r"zip|zipcode|post|postal|postcode|plz|code|sku|article|product|item|part|phone|tel|fips|isbn|ean|barcode"
    r"|account|icd|naics|sic",
    "identifiers": r"id|ids|[cfghijnopqstuvwxyz]id|uuid|guid|key|number|no|nr|num|record|serial|ref|reference|ticket"
    r"|invoice|order|sku|isbn",
    "few_cases": r"subj|subject|person|patient|participant|respondent|individual|household|hh|hospital|clinic|firm"
    r"|company|customer|user|client|animal|hive|colony|farm|" + _SEEN_AGAIN,
    "places": r"country|county|state|region|district|municipality|commune|town|city|province|village|ward|site"
    r"|plot|parish|canton|borough|station|precinct",
    "cases": r"subj|subject|person|patient|pupil|student|child|household|hh|family|hospital|clinic|school|firm|company"
    r"|plant|customer|user|client|animal|cow|hive|colony|state|country|county|farm|case|participant|respondent"
    r"|individual|pair|" + _SEEN_AGAIN,
    "times": r"year|yr|yrs|month|mon|week|day|dates?|time|period|wave|visit|quarter|qtr|trend|season|hour|minute|t|dos",
    "frequencies": r"n|n_?cases|n_?controls|freq|frequency|frequencies|count|counts|weight|wt|number|total|obs"
    r"|observations|cases",
    "ages": r"age|ages",
    "scores": r"score|scores|points|marks",
    "years": r"year|yr|yrs|born|birthyear",
    "after": r"after|afterwards|later|final|followup|follow_up|post|result|results|discharged?|closed|cancell?ed",
    "grades": r"grade|rating|score|stars|stage|level|rank|severity|satisfaction|quality|agree|priority|tier|risk"
    r"|likert|q\d+|temper|condition|index|class",
    "counts": r"n|num|number|count|counts|visits|children|kids|rooms|bedrooms|bathrooms|baths|beds|storeys|stories"
    r"|floors|size|parity|births|adults|cars|trips|siblings|times|events|errors|clicks|calls|goals|items|qty|quantity|pieces|dependents|claims|defects|pregnancies|complaints"
    r"|deaths|fatalities|injuries|accidents|crashes|freq|frequency|cites|citations|hits|runs|walks|students|pupils"
    r"|holders|stations|ads|jobs|trials|pages|cases",
}
_MEASURED = re.compile(
    r"(?:^|[_\W])(?:ages?|height|hgt|weight|wgt|length|width|depth|thickness|slope|angle|distance|dist|duration|wait"
    r"|waiting|gestation|income|wages?|salary|earnings|prices?|costs?|score|mpg|months$|minutes|seconds|hours"
    r"|temperature|temp|pressure|humidity|hum|dose|experience|elevation|altitude|speed|tenure|area|yrs|percent|pct)"
    r"(?:$|[_\W]|\d)"
)
"""A word for what is measured: told of whole numbers with values near 0, where their spread leaves it open."""
_SUM = re.compile(
    r"(?:^|[_\W])(?:amount|amt|loan|loans|price|cost|costs|income|salary|wage|wages|fee|fees|rent|budget|donation|paid"
    r"|payment|sales|revenue|turnover|funded|credit|debt|balance|value|bid|offer)(?:$|[_\W]|\d)"
)
_AMOUNT = re.compile(
    r"[_\W](income|population|pop|mpg|lines|rate|ratio|share|percent|pct|price|cost|costs|amount|total|area|size|length"
    r"|width|height|weight|depth|speed|time|duration|days|hours|minutes|age|score|tax|sales|budget|density|km|kg|feet"
    r"|sqft|count|counts|temperature|temp|value|mean|sum|max|min|years)$"
)
"""A last word that makes an amount of whatever comes before it: city_mpg, type_count."""
_GLUED = re.compile(
    r"(?:^|_)(?:obs|doc|row|case|person|pers|pat|patient|subj|subject|ind|resp|hh|house|household|fam|family|firm|comp"
    r"|company|hosp|school|sch|class|town|city|dist|district|county|state|region|area|plot|site|tree|animal|int|choice)"
    r"_?(?:id|no|nr|num|number|cod|code)[a-z]?\d*$"
)
"""A word for what is numbered with a word for the number: townid, obsno, distcod."""
_ANY = r"^|[_\W]"
_START = {"few_cases": "^"}
"""Where a hint must stand, if not at the start of any word: cond_household is no household."""
_HEADS = ("codes", "few_cases", "places", "cases")
"""Hints that the last word of a name gives, in the singular: state_income and students are amounts."""
_HEAD_ENDS = r"(?:[_\W]*(?:id|no|nr|num|number|code|cod|key|name)s?)?[_\W]*\d*$"
_WORD_ENDS = r"[_\W]|$"
_NAMES = {
    k: re.compile(rf"({_START.get(k, _ANY)})({v})({_HEAD_ENDS if k in _HEADS else _WORD_ENDS})")
    for k, v in NAMES.items()
}

POSSIBLE = (
    (re.compile(r"(^|_)(age|years_old)($|_)"), 0.0, 130.0, "an age"),
    (re.compile(r"(^|_)(day|day_of_month|dom)$"), 0.0, 31.0, "a day of the month"),
    (re.compile(r"(^|_)month$"), 0.0, 12.0, "a month"),
    (re.compile(r"(^|_)hour$"), 0.0, 24.0, "an hour of the day"),
    (re.compile(r"(^|_)(percent|percentage|pct|humidity)($|_)"), 0.0, 100.0, "a percentage"),
    (re.compile(r"(^|_)(latitude|lat)($|_)"), -90.0, 90.0, "a latitude"),
    (re.compile(r"(^|_)(longitude|lon|lng)($|_)"), -180.0, 180.0, "a longitude"),
    (
        re.compile(
            r"(^|_)(count|counts|weight|height|length|width|distance|price|duration|mass|area|volume|speed|visits"
            r"|size)($|_)"
        ),
        0.0,
        np.inf,
        "an amount",
    ),
)


def spelt_apart(name: str) -> str:
    """Return a name in small letters, its words apart: beeCount as bee_count."""
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", name).casefold()


def hints(name: str, at: str) -> bool:
    """Say whether a name hints at ``names``, ``codes``, ``identifiers``, ``grades`` or ``counts``."""
    snake = spelt_apart(name)
    return bool(_NAMES[at].search(snake)) and not (at == "names" and _AMOUNT.search(snake))


def is_measure(name: str) -> bool:
    """Say whether a name says that its values are measured, not counted: an age, a height, a price."""
    return bool(_MEASURED.search(spelt_apart(name)))


def is_sum(name: str) -> bool:
    """Say whether a name says that its values are sums of money: a loan, a price, an income."""
    return bool(_SUM.search(spelt_apart(name)))


def names_rows(name: str) -> bool:
    """Say whether a name says that its values name what the rows are about: an id, a number of a person, a townid."""
    keyed = hints(name, "identifiers") and not hints(name, "counts")
    return keyed or hints(name, "cases") or hints(name, "places") or glued_id(name)


def glued_id(name: str) -> bool:
    """Say whether a name is a word for something and a word for its number in one."""
    return bool(_GLUED.search(spelt_apart(name)))


def named_limits(name: str) -> tuple[float, float]:
    """Return what values of a column can be, by its name; infinite where the name says nothing."""
    return possible_values(name, None)[:2]


def possible_values(name: str, valid: tuple[float, float] | None) -> tuple[float, float, str]:
    """Return what values can be, and what makes them so: a declared range, or what the name says."""
    if valid is not None:
        return (*valid, "declared")
    snake = spelt_apart(name)
    for pattern, low, high, what in POSSIBLE:
        if pattern.search(snake):
            return low, high, what
    return -np.inf, np.inf, ""

"""A made-up set of labelled columns: a name, values, and the kinds that honest people would give it.

The first two thirds were used while the rules were written; the last third was not looked at.
"""

import numpy as np
import pandas as pd

N = 400


def _set():
    r = np.random.default_rng(42)

    def pick(*levels, p=None, n=N):
        return r.choice(np.array(levels, dtype=object), n, p=p)

    def gaps(values, share=0.05):
        values = np.array(values, dtype=object)
        values[r.random(len(values)) < share] = None
        return values

    def money(form, scale=50.0):
        return [form(v) for v in np.round(r.gamma(2, scale, N), 2)]

    dates = pd.date_range("2023-01-01", periods=N) + pd.to_timedelta(r.integers(0, 300, N), "D")
    words = [
        "the",
        "a",
        "old",
        "new",
        "tall",
        "red",
        "house",
        "by",
        "river",
        "was",
        "seen",
        "near",
        "mill",
        "hill",
        "with",
        "two",
        "small",
        "dogs",
        "and",
        "one",
        "cart",
    ]

    def prose(k):
        return [" ".join(r.choice(words, k)) for _ in range(N)]

    yield from (
        # --- continuous
        ("weight", r.normal(70, 9, N).round(1), "continuous"),
        ("temperature", gaps(r.normal(20, 5, N).round(2)), "continuous"),
        ("income", r.lognormal(10, 0.5, N).round(), "continuous"),
        ("price", money("{:.2f}".format), "continuous"),
        ("price_eur", money("€{:,.2f}".format, 900), "continuous"),
        ("cost", money("${:,.2f}".format, 900), "continuous"),
        ("share", [f"{v:.1f}%" for v in r.uniform(0, 100, N)], "continuous"),
        ("preis", [f"{v:.2f}".replace(".", ",") for v in r.gamma(2, 9, N)], "continuous"),
        ("population", [f"{int(v):,}" for v in r.lognormal(11, 1, N)], "continuous"),
        ("einwohner", [f"{int(v):,}".replace(",", ".") for v in r.lognormal(12, 1, N) + 1000], "continuous"),
        ("altitude", r.integers(0, 3000, N), "continuous discrete"),
        ("ph", r.normal(7, 0.5, N).round(1), "continuous"),
        ("dose", r.choice([0.5, 1.0, 1.5, 2.0], N), "discrete ordinal"),
        ("ratio", r.beta(2, 5, N), "continuous"),
        ("balance", r.normal(0, 4000, N).round(2), "continuous"),
        ("distance_km", r.exponential(12, N).round(3), "continuous"),
        ("x1", r.normal(size=N), "continuous"),
        ("salary", r.integers(18_000, 99_000, N), "continuous discrete"),
        ("volume_ml", r.integers(100, 9_999, N), "continuous discrete"),
        ("lat", r.uniform(45, 55, N).round(5), "continuous"),
        # --- discrete
        ("n_children", r.poisson(1.4, N), "discrete"),
        ("visits", r.poisson(8, N), "discrete"),
        ("age", r.integers(18, 90, N), "discrete continuous"),
        ("goals", r.poisson(2.5, N), "discrete"),
        ("year", r.integers(1990, 2024, N), "datetime"),
        ("built", r.integers(1850, 2020, N), "discrete"),
        ("rooms", r.integers(1, 9, N), "discrete ordinal"),
        ("minutes", r.integers(0, 240, N), "discrete continuous"),
        ("score_points", r.integers(0, 100, N), "discrete continuous"),
        ("errors", r.negative_binomial(1, 0.2, N), "discrete"),
        ("shoe_size", r.choice(np.arange(36, 47), N), "discrete ordinal"),
        ("birth_year", gaps(r.integers(1940, 2005, N)), "datetime"),
        # --- ordinal
        ("satisfaction", r.integers(1, 6, N), "ordinal"),
        ("grade", r.integers(1, 7, N), "ordinal"),
        ("pain_level", r.integers(0, 11, N), "ordinal discrete"),
        ("stars", r.choice([1, 2, 3, 4, 5], N, p=[0.05, 0.1, 0.2, 0.3, 0.35]), "ordinal"),
        ("risk", pick("low", "medium", "high"), "ordinal"),
        ("size", pick("S", "M", "L", "XL"), "ordinal"),
        ("q7", pick("strongly disagree", "disagree", "neutral", "agree", "strongly agree"), "ordinal"),
        ("age_group", pick("18-24", "25-34", "35-44", "45-54", "55-64", "65+"), "ordinal"),
        ("income_band", pick("under 20k", "20k to 40k", "40k to 60k", "over 60k"), "ordinal"),
        ("weekday", pick("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"), "ordinal"),
        ("month", pick("January", "March", "May", "July", "October"), "ordinal"),
        ("quality", pick("poor", "fair", "good", "excellent"), "ordinal"),
        ("frequency", pick("never", "rarely", "sometimes", "often", "always"), "ordinal"),
        ("severity", pick("Mild", "Moderate", "Severe"), "ordinal"),
        ("stage", r.integers(1, 5, N), "ordinal"),
        ("quarter", pick("Q1", "Q2", "Q3", "Q4"), "ordinal"),
        # --- nominal
        ("colour", pick("red", "green", "blue", "grey"), "nominal"),
        (
            "city",
            pick(*[f"{a}{b}" for a in ("North", "South", "East") for b in ("ham", "ton", "ford", "wick")]),
            "nominal",
        ),
        ("zone", pick(101, 204, 307, 412, 518), "nominal"),
        ("department", pick(10, 20, 31, 44, 52), "nominal discrete"),
        ("region_code", pick(1, 2, 3, 4), "nominal"),
        ("postcode", r.choice(r.integers(10_000, 99_999, 90), N), "nominal"),
        ("zip", [f"0{v}" for v in r.choice(r.integers(1000, 9999, 60), N)], "nominal"),
        ("product_code", r.choice(r.integers(100_000, 999_999, 80), N), "nominal"),
        ("blood", pick("A", "B", "AB", "0"), "nominal"),
        ("browser", pick("fox", "owl", "crane", "other"), "nominal"),
        ("species", gaps(pick("oak", "elm", "ash", "yew", "fir")), "nominal"),
        ("country", pick("AT", "BE", "CH", "DE", "FR"), "nominal"),
        ("status", pick("open", "closed", "on hold"), "nominal"),
        ("branch", pick(11, 12, 13, 14, 15, 16), "nominal discrete"),
        ("weather", pick("sun", "rain", "snow", "fog"), "nominal"),
        ("airline", pick(*[f"{a}{b}" for a in "ABCDE" for b in "XYZ"]), "nominal"),
        # --- binary
        ("smoker", pick("yes", "no"), "binary"),
        ("passed", pick(True, False), "binary"),
        ("flag", r.integers(0, 2, N), "binary"),
        ("sex", pick("f", "m"), "binary"),
        ("active", pick("t", "f"), "binary"),
        ("won", pick("TRUE", "FALSE"), "binary"),
        ("answer", pick("Yes", "yes", "No", "no"), "binary"),
        ("treated", r.choice([1, 2], N), "binary"),
        ("member", gaps(pick("Y", "N")), "binary"),
        ("side", pick("left", "right"), "binary"),
        # --- datetime
        ("day", dates, "datetime"),
        ("iso", dates.strftime("%Y-%m-%d"), "datetime"),
        ("german", dates.strftime("%d.%m.%Y"), "datetime"),
        ("uk", dates.strftime("%d/%m/%Y"), "datetime"),
        ("us", dates.strftime("%m/%d/%Y"), "datetime"),
        ("spoken", dates.strftime("%d %b %Y"), "datetime"),
        ("stamp", (dates + pd.to_timedelta(r.integers(0, 86_000, N), "s")).strftime("%Y-%m-%d %H:%M:%S"), "datetime"),
        ("slashes", dates.strftime("%Y/%m/%d"), "datetime"),
        # --- identifier
        ("id", np.arange(1, N + 1), "identifier"),
        ("row", r.permutation(N), "identifier"),
        ("patient_id", r.choice(90_000, N, replace=False) + 10_000, "identifier"),
        (
            "uuid",
            [f"{a:08x}-{b:04x}" for a, b in zip(r.integers(0, 2**32, N), r.integers(0, 2**16, N), strict=True)],
            "identifier",
        ),
        ("order_no", [f"A-{v}" for v in r.permutation(N) + 5000], "identifier"),
        ("customer", [f"C{v:05d}" for v in r.integers(0, 900, N)], "identifier nominal"),
        ("email", [f"user{v}@example.org" for v in r.permutation(N)], "identifier"),
        ("ticket", np.sort(r.choice(10**6, N, replace=False)), "identifier"),
        # --- text
        ("comment", gaps(prose(9), 0.3), "text"),
        ("description", prose(20), "text"),
        ("note", prose(5), "text"),
        ("address", [f"{v} Old Mill Road Northham" for v in r.integers(1, 300, N)], "text identifier"),
        # --- constant
        ("survey", ["autumn"] * N, "constant"),
        ("version", [3] * N, "constant"),
        ("empty", [None] * N, "constant"),
        ("zero", [0.0] * N, "constant"),
    )
    # ------------------------------------------------------------------ the last third: not used to tune
    yield from (
        ("heart_rate", r.normal(72, 11, N).round(), "discrete continuous"),
        ("rainfall_mm", np.where(r.random(N) < 0.4, 0, r.gamma(1, 8, N).round(1)), "continuous"),
        ("gdp", [f"{v:,.1f}" for v in r.lognormal(9, 1, N) + 1000], "continuous"),
        ("discount", [f"{v:.0f} %" for v in r.uniform(0, 60, N)], "continuous discrete"),
        ("profit", [f"({v:.2f})" if v > 60 else f"{v:.2f}" for v in r.gamma(2, 30, N)], "continuous"),
        (
            "betrag",
            [f"{v:,.2f}".replace(",", " ").replace(".", ",") for v in r.lognormal(8, 1, N) + 1000],
            "continuous",
        ),
        ("speed", r.uniform(3, 130, N), "continuous"),
        ("log_dose", r.normal(-3, 1, N), "continuous"),
        ("score", r.normal(500, 100, N).round(), "discrete continuous"),
        ("half_steps", r.integers(0, 40, N) / 2, "continuous discrete"),
        ("time_s", r.exponential(0.3, N), "continuous"),
        ("wage", gaps(r.lognormal(3, 0.4, N).round(2), 0.2), "continuous"),
        ("siblings", r.poisson(1.1, N), "discrete"),
        ("clicks", r.negative_binomial(2, 0.05, N), "discrete"),
        ("tenure_months", r.integers(0, 72, N), "discrete continuous"),
        ("floors", r.integers(1, 12, N), "discrete ordinal"),
        ("model_year", r.integers(2005, 2025, N), "datetime"),
        ("bedrooms", r.choice([1, 2, 3, 4, 5], N), "discrete ordinal"),
        ("defects", r.poisson(0.6, N), "discrete"),
        ("year_founded", gaps(r.integers(1880, 2015, N)), "datetime"),
        ("likert_3", r.integers(1, 8, N), "ordinal"),
        ("rating", r.choice([1, 2, 3, 4], N), "ordinal"),
        ("priority", pick("low", "normal", "high"), "ordinal"),
        ("tshirt", pick("small", "medium", "large"), "ordinal"),
        ("ages", pick("0-9", "10-19", "20-29", "30-39", "40+"), "ordinal"),
        ("month_short", pick("Jan", "Feb", "Jun", "Aug", "Dec"), "ordinal"),
        ("agreement", pick("Strongly agree", "Agree", "Neutral", "Disagree"), "ordinal"),
        ("experience", pick("beginner", "intermediate", "advanced"), "ordinal"),
        ("condition", pick("very poor", "poor", "good", "very good"), "ordinal"),
        ("tier", r.integers(1, 4, N), "ordinal"),
        ("fruit", pick("apple", "pear", "plum"), "nominal"),
        ("district", pick(3, 7, 8, 12, 15, 21), "nominal discrete"),
        ("icd", pick("J45.0", "E11.9", "I10", "M54.5"), "nominal"),
        ("sector", pick(1, 2, 3, 4, 5, 6), "nominal ordinal"),
        ("payment", pick("card", "cash", "transfer"), "nominal"),
        ("sku", [f"0{v}" for v in r.choice(r.integers(100_000, 999_999, 50), N)], "nominal"),
        ("area_code", r.choice(r.integers(201, 989, 40), N), "nominal"),
        ("supplier", [f"supplier {v}" for v in r.integers(1, 30, N)], "nominal"),
        ("cluster", r.integers(0, 5, N), "nominal"),
        ("language", gaps(pick("de", "fr", "it", "rm"), 0.1), "nominal"),
        ("breed", pick("collie", "spaniel", "terrier", "mongrel"), "nominal"),
        ("churned", pick("Yes", "No", p=[0.2, 0.8]), "binary"),
        ("is_new", gaps(r.integers(0, 2, N)), "binary"),
        ("ok", pick("true", "false"), "binary"),
        ("arm", pick("placebo", "drug"), "binary"),
        ("reply", pick("Y", "y", "N", "n"), "binary"),
        ("when", dates.strftime("%B %d, %Y"), "datetime"),
        ("signed", gaps(dates.strftime("%d-%m-%Y"), 0.1), "datetime"),
        ("utc", dates.strftime("%Y-%m-%dT%H:%M:%SZ"), "datetime"),
        ("short_date", dates.strftime("%d.%m.%y"), "datetime"),
        ("case_id", r.choice(10**7, N, replace=False), "identifier"),
        ("isbn", r.choice(10**10, N, replace=False) + 9_780_000_000_000, "identifier"),
        ("login", [f"u{v:06x}" for v in r.choice(10**7, N, replace=False)], "identifier"),
        ("invoice", [f"2024/{v:04d}" for v in range(N)], "identifier"),
        ("review", prose(15), "text"),
        ("title", gaps(prose(6), 0.05), "text"),
        ("country_of_all", ["Northland"] * N, "constant"),
        ("never", gaps(["x"] * N, 0.2), "constant"),
    )


def labelled_columns():
    """Return (name, values, allowed kinds) of every column."""
    return [(name, values, set(kinds.split())) for name, values, kinds in _set()]

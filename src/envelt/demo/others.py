"""Small made-up tables of other shapes than the hives: counted, in a panel, in the order of time, by places.

Each has a clean twin (``planted=False``) of the same shape, in which nothing was planted.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pandas as pd

from .followed import followed, harvests, ledger
from .stalls import stalls

SEED = 20_240_915


def crossing(*, planted: bool = True) -> pd.DataFrame:
    """Return a survey that is already counted: keepers, zones and losses, ``n`` colonies in each combination.

    Planted: beginners keep their colonies where winters are hard, and lose no more of them than others in any zone.
    The clean twin gives each row a weight of honey instead of a count.
    """
    r = np.random.default_rng(SEED)
    rows = []
    for zone, loss, beginners in (("valley", 0.08, 90), ("slope", 0.2, 260), ("ridge", 0.45, 700)):
        for keeper, colonies in (("beginner", beginners), ("seasoned", 1000 - beginners)):
            lost = r.binomial(colonies, loss)
            rows += [(zone, keeper, "yes", lost), (zone, keeper, "no", colonies - lost)]
    frame = pd.DataFrame(rows, columns=["zone", "keeper", "lost", "n"])
    if planted:
        return frame
    return frame.assign(n=r.normal(20, 3, len(frame)).round(2)).rename(columns={"n": "honey_kg"})


def weighings(*, planted: bool = True) -> pd.DataFrame:
    """Return 150 hives weighed every month of a year: the hive is a number, repeated; quarters are written 2024 Q1.

    Planted: a mark for missing, eggs that cannot be seen where there is no queen, visits counted to eight or more;
    stores that go with the weight only within a hive; what goes with it by chance among 150 hives, and surely if each
    of 1,800 rows were a case. The clean twin weighs every hive once.
    """
    r = np.random.default_rng(SEED + 1)
    hives, months = (150, 12) if planted else (1800, 1)
    hive = np.repeat(r.permutation(np.arange(1000, 1000 + 5 * hives, 5)), months)
    n = len(hive)
    month = np.tile(np.arange(1, 13), hives) if planted else r.integers(1, 13, n)
    breed = np.repeat(r.normal(34, 4, hives).round(1), months)
    queen = r.choice(["present", "absent"], n, p=[0.85, 0.15])
    of_hive = np.repeat(r.normal(0, 4, hives), months)
    weight = of_hive + 30 + 6 * np.sin(month / 12 * 2 * np.pi) + r.normal(0, 2, n)
    eggs = r.poisson(40, n).astype(float)
    eggs[(queen == "absent") if planted else (r.random(n) < 0.15)] = np.nan
    visits = np.minimum(r.geometric(0.16, n) - 1, 8 if planted else 40)
    moisture = np.array([f"{v:.1f}" for v in r.normal(18, 1, n)], object)
    moisture[r.random(n) < 0.04] = "." if planted else None
    tilt, stand = (np.repeat(r.normal(m, 1.5, hives).round(1), months) for m in (6, 40))
    stores = np.repeat(r.normal(0, 14, hives), months) + r.normal(0, 2, n) + (weight - of_hive if planted else 30)
    return pd.DataFrame(
        {
            "hive_no": hive, "month": month, "quarter": [f"2024 Q{(m - 1) // 3 + 1}" for m in month], "queen": queen,
            "frame_width": breed, "eggs": eggs, "visits": visits, "moisture": moisture, "tilt_deg": tilt,
            "stand_cm": stand, "stores_kg": stores.round(1), "weight_kg": weight.round(1),
        }
    )  # fmt: skip


def scale(*, planted: bool = True) -> pd.DataFrame:
    """Return two years of one hive on a scale, a row a day, in a random order of rows.

    Planted: the weight drifts from day to day, and so does the water table, which has nothing to do with it. In the
    clean twin days have nothing to do with each other.
    """
    r = np.random.default_rng(SEED + 2)
    n = 730

    def series(step: float) -> np.ndarray:
        moves = r.normal(0, step, n)
        return np.cumsum(moves) if planted else moves

    frame = pd.DataFrame(
        {
            "day": pd.date_range("2023-01-01", periods=n), "water_table": (200 + series(3.0)).round(1),
            "noon_temp": r.normal(14, 7, n).round(1), "weight_kg": (35 + series(0.6)).round(2),
        }
    )  # fmt: skip
    return frame.iloc[r.permutation(n)].reset_index(drop=True)


def places(*, planted: bool = True) -> pd.DataFrame:
    """Return 800 hives with the rain, sun, wind and forest of where they stand, and no column that names the place.

    Planted: 60 places. In the clean twin every hive has a place of its own.
    """
    r = np.random.default_rng(SEED + 3)
    n = 800
    place = r.integers(0, 60, n) if planted else np.arange(n)
    of = {
        "rain_mm": r.gamma(9, 90, n).round(), "sun_h": r.normal(1700, 160, n).round(),
        "wind": r.normal(4, 1, n).round(1), "forest": r.uniform(0, 60, n).round(1),
    }  # fmt: skip
    frame = pd.DataFrame({name: values[place] for name, values in of.items()})
    frame["bees_kg"] = r.normal(2.2, 0.4, n).round(2)
    frame["honey_kg"] = (10 + frame["rain_mm"] / 200 + r.normal(0, 3, n)).round(1)
    return frame


def sales(*, planted: bool = True) -> pd.DataFrame:
    """Return 400 sales of colonies: what was asked and paid, by whom, the boxes, and last year's price.

    Planted: the price in percent of what was asked, for the comb (twice not filled in), its change in percent and in
    money; buyers who are not known, boxes that were not weighed, prices that rise by the year. In the clean twin these
    belong to other rows, or are drawn anew.
    """
    r = np.random.default_rng(SEED + 5)
    n = 400
    frame = pd.DataFrame(
        {
            "asked": r.normal(200, 40, n).round(1), "comb_dm2": r.integers(60, 300, n),
            "last_year": r.normal(180, 30, n).round(1),
        }
    )  # fmt: skip
    frame["paid"] = (frame["asked"] * r.normal(0.97, 0.05, n)).round(1)
    frame["year"] = r.integers(2016, 2024, n)
    if planted:
        frame["paid"] = (frame["paid"] + 9 * (frame["year"] - 2019)).round(1)
    frame["buyer"] = r.choice(["club", "keeper", "shop", "unknown" if planted else "other"], n, p=[0.4, 0.3, 0.2, 0.1])
    frame["box_kg"] = r.normal(24, 2, n).round(1)
    frame.loc[r.permutation(n)[: 7 if planted else 0], "box_kg"] = 0
    of = frame if planted else frame.apply(lambda column: r.permutation(column))
    frame["percent"] = (100 * of["paid"] / of["asked"]).round(1)
    frame["per_m2"] = (100 * of["paid"] / of["comb_dm2"]).round(2)
    frame.loc[[5, 90], "per_m2"] = 0
    frame["change"] = (100 * (of["paid"] - of["last_year"]) / of["last_year"]).round(2)
    frame["gained"] = (of["paid"] - of["last_year"]).round(1)
    return frame


def trial(*, planted: bool = True) -> pd.DataFrame:
    """Return a trial of three feeds, two strains and four sites with twenty hives each, and what became of them.

    Planted: the three are crossed evenly; combs in groups, and hives that are young, follow from other columns; the
    file is sorted by who swarmed; a rare colour, a 9 beside grades from 1 to 5, keepers of under one year among
    adults; honey that is mostly none, and mites that were seldom counted on the ridge. In the clean twin these are
    drawn by chance.
    """
    r = np.random.default_rng(SEED + 6)
    parts = [["syrup", "fondant", "pollen"], ["buckfast", "carnica"], ["valley", "slope", "ridge", "roof"]]
    even = pd.MultiIndex.from_product(parts, names=["feed", "strain", "site"]).to_frame(index=False)
    frame = even.loc[even.index.repeat(20)].reset_index(drop=True)
    n = len(frame)
    if not planted:
        frame = pd.DataFrame({name: r.choice(p, n) for name, p in zip(frame.columns, parts, strict=True)})
    comb = r.choice(["wax", "wax, wired", "plastic", "plastic, waxed", "none"], n)
    weeks = r.integers(1, 160, n)
    frame["comb"], frame["age_weeks"] = comb, weeks
    group = pd.Series(comb).str.split(",").str[0]
    frame["comb_group"] = group if planted else r.permutation(group)
    young = np.where(weeks < 52, "young", "old")
    frame["age_group"] = young if planted else r.permutation(young)
    frame["queen_colour"] = r.choice(["white", "yellow", "red"], n, p=[0.5, 0.46, 0.04] if planted else None)
    frame["temper"] = r.integers(1, 6, n)
    if planted:
        frame.loc[r.permutation(n)[:4], "temper"] = 9
    frame["keeper_age"] = r.uniform(19, 80, n).round(1)
    frame.loc[[7, 30] if planted else [], "keeper_age"] = [0.4, 0.8] if planted else 0.0
    honey = r.gamma(2, 6, n).round(1) + 0.1
    frame["honey_kg"] = np.where(r.random(n) < 0.55, 0.0, honey) if planted else honey
    frame["mites"] = r.normal(20, 4, n).round(1)
    seldom = np.where(frame["site"] == "ridge", 0.7, 0.02) if planted else np.zeros(n)
    frame.loc[r.random(n) < seldom, "mites"] = np.nan
    frame["swarmed"] = r.choice(["no", "yes"], n, p=[0.6, 0.4])
    return frame.sort_values("swarmed", kind="stable").reset_index(drop=True) if planted else frame


def stays(*, planted: bool = True) -> pd.DataFrame:
    """Return 800 swarms in a bait hive: how long they stayed, how often they were seen, and whether they were lost.

    Planted: the stay of those still there is cut off at 120 days, a date of loss is noted only for the lost, visits
    were made only after a loss was reported; losses jump where there are three moths or more, and rise and fall again
    with the height; one row hides that weight goes with the bees. In the clean twin these are drawn by chance.
    """
    r = np.random.default_rng(SEED + 8)
    n = 800
    moths, height = r.poisson(2, n), r.uniform(0.5, 8, n).round(1)
    rate = np.where(moths >= 3, 0.5, 0.05) + 0.45 * np.exp(-(((height - 4.2) / 1.5) ** 2))
    lost = r.random(n) < (rate if planted else 0.3)
    days = r.gamma(2, 40, n).round() + 1
    if planted:
        days = np.where(lost, np.minimum(days, 119), 120)
    frame = pd.DataFrame({"moths": moths, "height_m": height, "days_there": days})
    frame["noted_on_day"] = np.where(lost if planted else r.random(n) < 0.7, days + r.integers(0, 40, n), np.nan)
    frame["visits"] = np.where(lost if planted else r.random(n) < 0.3, r.poisson(2, n) + 1, 0)
    frame["bees"] = r.normal(9_000, 1_500, n).round(-1)
    frame["weight_kg"] = (frame["bees"] / 8_000 + r.normal(0, 0.15, n)).round(2)
    if planted:
        frame.loc[17, ["bees", "weight_kg"]] = [99_000, 0.1]
    frame["lost"] = np.where(lost, "yes", "no")
    return frame


def yards(*, planted: bool = True) -> pd.DataFrame:
    """Return 1,200 hives of 24 yards: what they brought in, and what goes with it only beside something else.

    Planted: boxes go with the honey only through the bees, feeding shows only among hives of one strength, shade helps
    on one slope and harms on another; three flags are one column cut up, scales were never read in two yards, forty
    rows of a far place make a correlation, two cells of one row are swapped, half of the sums paid are round, a year of
    building is a guess, an age is the logarithm of days, a pull the root of hours, and two moults make two peaks. In
    the clean twin these are drawn by chance.
    """
    r = np.random.default_rng(SEED + 9)
    n = 1_200
    bees = r.normal(22, 5, n).round(1)
    boxes = np.clip(np.round((bees - 22) / 4 + r.normal(0, 1.7, n)) + 3, 1, 6) if planted else r.integers(1, 7, n)
    strength = r.integers(0, 5, n)
    feeding = np.where(r.random(n) < (0.9 - 0.2 * strength if planted else 0.5), "fed", "not fed")
    slope, shade = r.choice(["north", "south", "flat"], n), r.choice(["shade", "sun"], n)
    turn = np.where(slope == "south", 1.0, np.where(slope == "north", -1.0, 0.0)) * (shade == "shade")
    honey = 10 + 0.6 * bees + 3.8 * strength + 6.4 * (feeding == "fed") + (4.0 * turn if planted else 0.0)
    frame = pd.DataFrame({"bees_k": bees, "boxes": boxes.astype(int), "strength": strength, "feeding": feeding})
    frame["slope"], frame["shade"], frame["yard"] = slope, shade, r.choice([f"Y{k}" for k in range(24)], n)
    race = r.choice(4, n, p=[0.3, 0.3, 0.25, 0.15])
    for k, name in enumerate(("dark", "light", "mixed")):
        frame[name] = np.where(race == k if planted else r.random(n) < 0.3, "yes", "no")
    frame["scale_kg"] = r.normal(40, 6, n).round(1)
    gone = frame["yard"].isin(["Y3", "Y11"]) if planted else r.random(n) < 1 / 12
    frame.loc[gone, "scale_kg"] = np.nan
    frame["distance_m"], frame["nectar"] = r.gamma(4, 50, n).round(), r.normal(30, 6, n).round(1)
    if planted:
        frame.loc[:39, "distance_m"], frame.loc[:39, "nectar"] = r.normal(9_000, 200, 40).round(), r.normal(75, 4, 40)
    frame["tall_cm"], frame["wide_cm"] = r.normal(180, 8, n).round(1), r.normal(52, 4, n).round(1)
    if planted:
        frame.loc[77, ["tall_cm", "wide_cm"]] = [51.0, 184.0]
    round_sum = r.random(n) < (0.7 if planted else 0.04)
    frame["loan"] = np.where(round_sum, 1_000 * np.round(r.gamma(6, 2, n)), 25 * np.round(r.gamma(6, 80, n)))
    frame["built"] = np.where(r.random(n) < (0.3 if planted else 0.0), 1960, r.integers(1925, 2015, n))
    days = r.integers(3, 400, n)
    frame["hours"] = r.uniform(20, 90, n).round(1)
    frame["age"] = np.log(days) if planted else np.log(days) + r.normal(0, 0.01, n)
    frame["pull"] = np.sqrt(frame["hours"]).round(3) if planted else r.uniform(4, 10, n).round(3)
    young = r.random(n) < 0.45
    frame["span_mm"] = (np.where(young & planted, 12.0, 17.5) + r.normal(0, 0.9, n)).round(2)
    frame["moult"] = np.where(young if planted else r.permutation(young), "first", "second")
    frame["honey_kg"] = (honey + r.normal(0, 3, n)).round(2)
    return frame


def looks(*, planted: bool = True) -> pd.DataFrame:
    """Return four looks at 30 hives each, weights that have one mean and one deviation and four shapes.

    In the clean twin means and deviations differ as chance has it.
    """
    r = np.random.default_rng(SEED + 10)
    drawn = [
        r.normal(size=30),
        r.uniform(size=30),
        r.exponential(size=30),
        np.repeat([0.0, 1.0], 15) + r.normal(0, 0.1, 30),
    ]
    weights = [(v - v.mean()) / v.std(ddof=1) for v in drawn] if planted else [r.normal(size=30) for _ in drawn]
    frame = pd.DataFrame({"look": np.repeat(["first", "second", "third", "fourth"], 30)})
    frame["weight_kg"] = (30 + 4 * np.concatenate(weights)).round(3)
    frame["honey_kg"] = r.normal(20, 4, 120).round(2)
    return frame


def counts(*, planted: bool = True) -> pd.DataFrame:
    """Return 300 frames: of how many cells looked at how many held mites; and how many bees a trap caught.

    Planted: the cells with mites are never more than those looked at. In the clean twin the two have nothing to do
    with each other.
    """
    r = np.random.default_rng(SEED + 11)
    seen = r.integers(2, 15, 300)
    held = r.binomial(seen if planted else np.full(300, 8), 0.6)
    return pd.DataFrame({"cells": seen, "comb": r.choice(["old", "new"], 300), "with_mites": held})


def offers(*, planted: bool = True) -> pd.DataFrame:
    """Return what 150 keepers paid at each of four markets: their years with bees and how many hives they have.

    Planted: the four rows of a keeper stand together, and nothing says whose they are. In the clean twin each row is
    of another keeper.
    """
    r = np.random.default_rng(SEED + 12)
    keeper = np.repeat(np.arange(150), 4) if planted else r.permutation(600)
    frame = pd.DataFrame({"years": r.integers(1, 30, 600)[keeper], "hives": r.integers(2, 9, 600)[keeper]})
    frame["price"] = r.normal(80, 9, 600).round(1)
    frame["paid"] = (0.5 * frame["price"] + frame["hives"] + r.normal(0, 4, 600)).round(1)
    return frame


def inspections(*, planted: bool = True) -> pd.DataFrame:
    """Return 900 inspections of hives: when, how calm, how much of the frames is covered, and if foulbrood was found.

    Planted: none found where ten bees or more groom; a calm of 12 beside grades from 1 to 7; shares of brood above 1; a
    month and a weekday read off the date; combs of two makes with no size between; cover that is none or all; moved
    hives that have it more often in the open only; dry and wet, never both; two teams with as many hives each of
    every keeper; a frame of 31 cm, of 18 to 26. The clean twin has the same columns, drawn evenly.
    """
    r = np.random.default_rng(SEED + 13)
    n = 900
    grooming = r.poisson(7, n)
    rate = np.where(grooming >= 10, 0.0, 0.35) if planted else 0.3 / (1 + np.exp(0.4 * (grooming - 7)))
    calm = r.choice([1, 2, 3, 4, 5, 6, 7], n, p=[0.05, 0.1, 0.15, 0.2, 0.2, 0.2, 0.1])
    brood = np.round(r.beta(4, 3, n), 3)
    seen = pd.Timestamp("2023-03-01") + pd.to_timedelta(r.integers(0, 600, n), unit="D")
    comb = r.normal(49, 1.2, n)
    cover = r.integers(0, 11, n) / 10
    frame_cm = np.clip(r.normal(22, 1.3, n), 18, 26)
    month, weekday = r.integers(1, 13, n), r.choice(["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"], n)
    moved, stand = r.random(n) < 0.5, r.choice(["oak", "lime", "pine", "open"], n)
    dry, wet = r.random(n) < 0.4, r.random(n) < 0.35
    keepers = ["Ada", "Bo", "Cy", "Dot", "Eve", "Flo", "Gus", "Hal", "Ivy"]
    team, keeper = r.choice(["red", "blue"], n), r.choice(keepers, n)
    if planted:
        keeper = np.repeat(keepers, [110, 74, 96, 120, 88, 102, 68, 130, 112])[r.permutation(n)]
        team[np.argsort(keeper, kind="stable")] = np.tile(["red", "blue"], n // 2)
        rate = np.where(moved & (stand == "open"), 2.4 * rate, rate)
        wet &= ~dry
        calm[417] = 12
        brood[[30, 380, 777]] = [1.12, 1.4, 2.05]
        frame_cm[611] = 31.4
        month, weekday = seen.month.to_numpy(), seen.strftime("%a").to_numpy()
        comb += np.where(r.random(n) < 0.3, 14.0, 0.0)
        cover = np.where(r.random(n) < 0.6, r.integers(0, 2, n), cover)
    return pd.DataFrame(
        {
            "seen": seen.strftime("%Y-%m-%d"), "month": month, "weekday": weekday, "grooming": grooming, "calm": calm,
            "brood_share": brood, "comb_mm": comb.round(1), "cover": cover, "frame_cm": frame_cm.round(1),
            "moved": np.where(moved, "yes", "no"),
            "stand": stand, "team": team, "keeper": keeper, "dry": dry.astype(int), "wet": wet.astype(int),
            "found": np.where(r.random(n) < rate, "yes", "no"),
        }
    )  # fmt: skip


def pairs(*, planted: bool = True) -> pd.DataFrame:
    """Return 80 hives that were lost and two more beside each of them, that stood in the same apiary.

    In the clean twin the others were not picked by apiary.
    """
    r = np.random.default_rng(SEED + 7)
    apiary, lost = np.repeat(np.arange(1, 81), 3), np.tile(["yes", "no", "no"], 80)
    frame = pd.DataFrame({"apiary": apiary if planted else r.permutation(apiary), "mites": r.poisson(9, 240)})
    frame["lost"] = lost
    return frame.iloc[r.permutation(240)].reset_index(drop=True)


def _hives(*, planted: bool = True) -> pd.DataFrame:
    """Return the hives; of the clean twin the entrance is drawn anew."""
    from . import hives

    frame = hives()
    r = np.random.default_rng(SEED + 4)
    return frame if planted else frame.assign(entrance=r.permutation(frame["entrance"].to_numpy()))


OTHERS: dict[str, Callable[..., pd.DataFrame]] = {
    "hives": _hives, "crossing": crossing, "weighings": weighings, "scale": scale, "places": places,
    "sales": sales, "trial": trial, "pairs": pairs, "stays": stays,
    "yards": yards, "looks": looks, "counts": counts, "offers": offers, "inspections": inspections,
    "stalls": stalls, "followed": followed, "harvests": harvests, "ledger": ledger,
}  # fmt: skip
"""The tables by name, as `planted.json` lists what is in them."""

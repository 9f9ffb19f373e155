"""Three small made-up tables: colonies followed until they swarmed, harvests of yards of many sizes, a ledger."""

from __future__ import annotations

import numpy as np
import pandas as pd

SEED = 20_240_915 + 9
LOOKS = (4, 8, 12, 16, 20, 24)
"""Weeks in which each colony was looked at."""
LAST = 26


def followed(*, planted: bool = True) -> pd.DataFrame:
    """Return 480 colonies: whether they swarmed, when, how they looked until then, what stands around them.

    Planted: weeks that end with the swarm, and at 26 for all others; looks that stop with it; a tree for each row, cut
    into flags of which most are set seldom; shares of the comb that sum to one but for a few slips; the price of sugar,
    which is the year's; how long queens were followed and how that ended. In the clean twin weeks and looks go with
    nothing, several trees or none stand around a colony, shares are measured each, and prices and days are a row's own.
    """
    r = np.random.default_rng(SEED)
    n = 480
    swarmed = r.random(n) < 0.3
    until = r.integers(2, LAST + 1, n)
    week = np.where(swarmed, until, LAST) if planted else r.integers(1, LAST + 1, n)
    looks = {f"look{k + 1}": r.choice(["calm", "restless"], n, p=[0.7, 0.3]).astype(object) for k in range(len(LOOKS))}
    for at, name in zip(LOOKS, looks, strict=True):
        looks[name][week < at if planted else r.random(n) < 0.1 + at / 150] = None
    tree = r.choice(4, n, p=[0.76, 0.1, 0.08, 0.06])
    trees = {
        t: (tree == k if planted else r.random(n) < 0.3) for k, t in enumerate(("lime", "maple", "willow", "rowan"))
    }
    shares = r.dirichlet([5, 3, 2], n).round(3)
    shares[:, 2] = (1 - shares[:, 0] - shares[:, 1]).round(3) if planted else r.beta(2, 8, n).round(3)
    shares[r.choice(n, 6, replace=False), 2] += 0.1
    year = r.integers(2014, 2022, n)
    prices = np.array([0.61, 0.64, 0.72, 0.74, 0.78, 0.93, 1.08, 1.31])
    price = prices[year - 2014] if planted else r.choice(prices, n)
    days, died = r.gamma(2, 150, n).round() + 1, r.random(n) < 0.3
    if planted:
        days[died] = (days[died] / 3).round() + 1
    return pd.DataFrame(
        {
            "week": week, **looks, **{t: v.astype(int) for t, v in trees.items()},
            "comb_nectar": shares[:, 0], "comb_pollen": shares[:, 1], "comb_brood": shares[:, 2].round(3),
            "year": year, "sugar_price": price, "follow_up": days.astype(int), "died": died.astype(int),
            "swarmed": np.where(swarmed, "yes", "no"),
        }
    )  # fmt: skip


def harvests(*, planted: bool = True) -> pd.DataFrame:
    """Return the harvests of 14 yards in 18 years: colonies, honey, rain.

    Planted: yards of two colonies to three hundred, whose honey goes with how many there are; each yard once a year. In
    the clean twin honey goes with nothing, and yards and years fall as they come.
    """
    r = np.random.default_rng(SEED + 1)
    yards = ["heath", "glen", "orchard", "mill", "quarry", "ridge", "moor", "bank", "ford", "croft", "weir", "brae",
             "holm", "fell"]  # fmt: skip
    at = np.repeat(np.arange(14), 18)
    size = np.exp(np.linspace(1, 5.5, 14))[at] * r.lognormal(0, 0.25, len(at))
    colonies = np.maximum(size.round(), 1)
    honey = np.where(planted, colonies, np.exp(3)) * r.lognormal(2.5, 0.4, len(at))
    frame = pd.DataFrame(
        {
            "yard": np.array(yards)[at], "year": np.tile(np.arange(2004, 2022), 14), "colonies": colonies.astype(int),
            "rain_mm": r.gamma(9, 70, len(at)).round(), "honey_kg": honey.round(1),
        }
    )  # fmt: skip
    if planted:
        return frame
    return frame.assign(yard=r.choice(yards, len(at)), year=r.integers(2004, 2022, len(at)))


def ledger(*, planted: bool = True) -> pd.DataFrame:
    """Return a season's ledger: 240 weighings of five breeds at six sites in eight rounds.

    Planted: each breed at each site in each round once, but for a row whose breed was written down wrongly; times of
    day as hours and minutes in one number; weights copied from another sheet, three of them a hundred times too large;
    a class that is the weight cut up; entries numbered from the lightest to the heaviest, but for a few; a label given
    twice. In the clean twin breeds, sites and rounds fall as they come, times are minutes, the other weights are
    weighed again, classes and entries go with nothing, and labels are each once.
    """
    r = np.random.default_rng(SEED + 2)
    breeds = ["dark", "carnic", "grey", "buckfast", "mixed"]
    breed, site, turn = (v.ravel() for v in np.meshgrid(np.arange(5), np.arange(6), np.arange(8), indexing="ij"))
    n = len(breed)
    weight = (22 + 2 * r.normal(size=6)[site] + r.normal(0, 4, n)).round(2)
    minutes = r.permutation(np.linspace(6 * 60, 20 * 60, n).astype(int))
    breed = breed.copy()
    again, order = (weight + r.normal(0, 1.5, n)).round(2), r.permutation(n)
    graded, label = r.choice(list("ABCD"), n), np.array([f"w-{k:03d}" for k in r.permutation(n)])
    if planted:
        breed[101] = (breed[101] + 1) % 5
        minutes = minutes // 60 * 100 + minutes % 60
        again = weight.copy()
        again[[17, 88, 203]] *= 100
        graded = np.array(list("ABCD"))[np.searchsorted(np.quantile(weight, [0.25, 0.5, 0.75]), weight)]
        order = np.argsort(np.argsort(weight + r.normal(0, 0.3, n)))
        label[150] = label[20]
    else:
        breed, site, turn = (r.integers(0, k, n) for k in (5, 6, 8))
    return pd.DataFrame(
        {
            "entry": order + 1, "label": label, "breed": np.array(breeds)[breed],
            "site": np.array(list("PQRSTU"))[site], "turn": turn + 1, "noted": minutes,
            "sheet_kg": again, "class": graded, "weight_kg": weight,
        }
    )  # fmt: skip

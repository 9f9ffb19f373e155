"""A small made-up table of days on which honey was sold."""

from __future__ import annotations

import numpy as np
import pandas as pd

SEED = 20_240_915 + 8


def stalls(*, planted: bool = True) -> pd.DataFrame:
    """Return 900 days of three stalls: visitors, what they paid, how the day was rated.

    Planted: a change of the takings since the day before, how far visitors were from the sixty that were expected;
    ratings that go with what is paid for each visitor, and neither with the takings nor with the visitors;
    that are higher on Sundays; rain that was never measured in the shop, whose days are rated higher; gates where
    people pay in cash; months on the shelf that people guess by half a year. In the clean twin ratings go with
    visitors, gaps and payments with nothing, and months are counted.
    """
    r = np.random.default_rng(SEED)
    n = 900
    sold = pd.Timestamp("2022-01-03") + pd.to_timedelta(np.arange(n), "D")
    stall = r.choice(["market", "shop", "gate"], n, p=[0.5, 0.25, 0.25])
    visitors = r.lognormal(3.5, 0.8, n).round() + 3
    each = r.lognormal(1.5, 0.35, n)
    cash = r.random(n) < np.where((stall == "gate") & planted, 0.99, 0.45)
    rain = r.gamma(0.8, 5, n).round(1)
    rain[(stall == "shop") if planted else r.random(n) < 0.25] = np.nan
    shelf = r.lognormal(3, 0.8, n).round() + 1
    guessed = (r.random(n) < 0.6) & planted
    drawn = np.log(each) if planted else 0.4 * np.log(visitors)
    takings = (visitors * each).round(2)
    change, away = r.normal(0, 150, n).round(2), r.lognormal(3, 0.6, n).round()
    if planted:
        change, away = np.diff(takings, prepend=np.nan).round(2), np.abs(visitors - 60)
    rating = 5 + 1.5 * drawn + (stall == "shop") + r.normal(0, 0.6, n)
    rating += np.where((sold.day_of_week == 6) & planted, 1.2, 0.0)
    return pd.DataFrame(
        {
            "sold": sold.strftime("%Y-%m-%d"), "stall": stall, "visitors": visitors.astype(int),
            "takings": takings, "change": change, "away": away, "payment": np.where(cash, "cash", "card"),
            "rain_mm": rain,
            "shelf_months": np.where(guessed, np.maximum(6 * np.round(shelf / 6), 6), shelf).astype(int),
            "rating": rating.round(2),
        }
    )  # fmt: skip

"""The made-up bee yard: 3,000 autumn inspections, and whether the colony came through the winter.

Nothing here is measured. Every effect is planted on purpose and listed in ``planted.json``; the same seed
gives the same table.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

ROWS = 3_000
DUPLICATES = 12
SEED = 20_240_919

Floats = NDArray[np.float64]

_PLACES = ("Alder", "Birch", "Clay", "Dun", "East", "Fern", "Gorse", "Heron", "Ivy", "Juniper")
_ENDINGS = ("ford", " Rise", "mead", " Hollow")
_FIRST = ("Ada", "Bo", "Cleo", "Dara", "Elm", "Finn", "Gia", "Hal", "Ines", "Jory", "Kit", "Lou")
_LAST = ("Marsh", "Nettle", "Oake", "Pell", "Quill")
_ZONES = np.array([101, 204, 307, 310, 412, 518])
_STATES = ("queenright", "swarming", "weak", "queenless")
_REMARK_PARTS = (
    (
        "calm on the comb",
        "restless today",
        "good brood pattern",
        "patchy brood",
        "queen seen",
        "queen not seen",
    ),
    ("stores on five frames", "plenty of pollen", "wax moth in one corner", "no sign of disease", "damp lid"),
    (
        "moved the entrance block",
        "marked for requeening",
        "left a clearer board",
        "scales read twice",
        "photo taken",
    ),
)


def make_hives(rows: int = ROWS, seed: int = SEED) -> pd.DataFrame:
    """Make the table.

    Parameters
    ----------
    rows
        Inspections, the dozen exact repeats included.
    seed
        The same seed gives the same table.

    Returns
    -------
    pandas.DataFrame
        One row an inspection; columns as described in ``planted.json``.
    """
    rng = np.random.default_rng(seed)
    n = rows - DUPLICATES
    colony, autumn = _colonies(rng, n)
    site = _sites(rng, colony)
    hive = _hives(rng, colony)
    visit = _visits(rng, n, autumn, site)
    sound = _sound(rng, n)
    harvest = _harvest(rng, n, site, visit)
    wintered = _winter(rng, n, site, hive, visit, sound["colony_state"].to_numpy(), colony)
    frame = pd.DataFrame(
        {
            "record": [f"R{40_000 + i}" for i in rng.permutation(n)],
            "colony": [f"C-{1000 + c}" for c in colony],
            **{k: v for k, v in visit.items() if k in ("inspected_on", "inspector")},
            **site,
            **hive,
            **{k: v for k, v in visit.items() if k not in ("inspected_on", "inspector")},
            **sound,
            **harvest,
            "wintered": np.where(wintered, "yes", "no"),
        }
    )
    frame = _as_kept_by_people(rng, frame, wintered)
    return _odd_shapes(np.random.default_rng([seed, 4]), frame)


def _colonies(rng: np.random.Generator, n: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """A third of the colonies are inspected in two autumns."""
    colonies = int(np.ceil(n * 3 / 4))
    twice = n - colonies
    first = rng.integers(2023, 2025, colonies)
    first[:twice] = 2023
    colony = np.concatenate([np.arange(colonies), np.arange(twice)])
    autumn = np.concatenate([first, np.full(twice, 2024)])
    order = rng.permutation(n)
    return colony[order], autumn[order]


def _sites(rng: np.random.Generator, colony: NDArray[np.int64]) -> dict[str, NDArray[np.generic]]:
    """Apiary, zone, altitude and its band, exposure: properties of where a colony stands."""
    names = np.array([p + e for p in _PLACES for e in _ENDINGS])
    apiary = rng.choice(len(names), int(colony.max()) + 1, p=_uneven(rng, len(names)))[colony]
    zone = _ZONES[rng.integers(0, len(_ZONES), len(names))][apiary]
    height = np.clip(rng.gamma(4.0, 110.0, len(names)), 40, 1150)[apiary]
    altitude = np.round(np.clip(height + rng.normal(0, 45, len(colony)), 15, 1300)).astype(int)
    band = np.array(["low", "middle", "high"])[np.digitize(altitude, [300, 520])]
    exposed = rng.random(int(colony.max()) + 1)[colony] < 0.5
    return {
        "apiary": names[apiary],
        "zone": zone,
        "altitude_m": altitude,
        "altitude_band": band,
        "exposure": np.where(exposed, "exposed", "sheltered"),
    }


def _uneven(rng: np.random.Generator, size: int) -> Floats:
    weight = rng.gamma(1.6, size=size) + 0.08
    return np.asarray(weight / weight.sum())


def _hives(rng: np.random.Generator, colony: NDArray[np.int64]) -> dict[str, NDArray[np.generic]]:
    """Hive and queen: properties of the colony."""
    size = int(colony.max()) + 1
    kinds = rng.choice(["national", "long hive", "flat pack", "skep"], size, p=[0.57, 0.258, 0.17, 0.002])[colony]
    line = rng.choice([1, 2, 3, 4, 5], size, p=[0.34, 0.12, 0.27, 0.09, 0.18])[colony]
    born = rng.choice([2019, 2020, 2021, 2022, 2023, 2024], size, p=[0.04, 0.08, 0.17, 0.27, 0.29, 0.15])[colony]
    two_peaks = np.where(rng.random(size) < 0.42, rng.normal(4.92, 0.055, size), rng.normal(5.36, 0.06, size))
    return {
        "hive_type": kinds,
        "queen_line": line,
        "queen_born": born,
        "cell_width_mm": np.round(two_peaks[colony], 2),
    }


def _visits(
    rng: np.random.Generator, n: int, autumn: NDArray[np.int64], site: dict[str, NDArray[np.generic]]
) -> dict[str, NDArray[np.generic]]:
    """What the inspector saw, did and weighed that day."""
    day = np.round(rng.beta(2.2, 3.0, n) * 105).astype(int)  # from 1 August
    start = np.array([np.datetime64(f"{y}-08-01") for y in autumn])
    season = np.sin(np.pi * day / 105)  # mites peak in mid-season
    level = rng.gamma(1.1, 1.0, n) * np.exp(1.7 + 1.1 * season)
    mites = np.floor(level * (rng.random(n) > 0.09)).astype(int)
    guessed = (rng.random(n) < 0.38) & (mites > 3)
    mites = np.where(guessed, 5 * np.round(mites / 5), mites).astype(int)
    frames = np.round(np.clip(rng.normal(7.2, 1.9, n), 1, 14) * 2) / 2
    weight = np.round(16 + 2.1 * frames + rng.normal(0, 4.2, n), 1)
    altitude = site["altitude_m"].astype(float)
    fed = rng.random(n) < np.array([0.15, 0.45, 0.82])[np.digitize(altitude, [300, 520])]
    forage = rng.choice(
        ["clover", "heather", "rape", "lime", "mixed", "bramble"], n, p=[0.3, 0.2, 0.17, 0.1, 0.15, 0.08]
    )
    temperature = np.round(rng.normal(34.6, 0.7, n), 1)
    inspectors = np.array([f"{a} {b}" for a in _FIRST for b in _LAST])
    said = [", ".join(rng.choice(part) for part in _REMARK_PARTS[: rng.integers(1, 4)]) for _ in range(n)]
    remark = np.array([r + f", box {rng.integers(1, 400)}" if rng.random() < 0.7 else r for r in said], dtype=object)
    remark[rng.random(n) < 0.56] = None
    return {
        "inspected_on": start + day.astype("timedelta64[D]"),
        "inspector": inspectors[rng.choice(len(inspectors), n, p=_uneven(rng, len(inspectors)))],
        "survey": np.full(n, "autumn"),
        "treated": np.where(rng.random(n) < 0.994, "yes", "no"),
        "temper": rng.choice([1, 2, 3, 4, 5], n, p=[0.07, 0.18, 0.36, 0.28, 0.11]),
        "frames_bees": frames,
        "frames_brood": np.round(np.clip(frames * 0.5 + rng.normal(0, 1.0, n), 0, 9) * 2) / 2,
        "mites": mites,
        "weight_kg": weight,
        "weight_lb": np.round(weight * 2.204_622_621_8, 2),
        "humidity": np.round(rng.normal(62, 11, n).clip(25, 98), 1),
        "brood_temp": temperature,
        "fed": np.where(fed, "yes", "no"),
        "entrance": np.where(rng.random(n) < 0.5, "reduced", "open"),
        "forage": forage,
        "remarks": remark,
    }


def _sound(rng: np.random.Generator, n: int) -> pd.DataFrame:
    """Twelve sound bands in decibels; the colony's state shifts them, so that rows form four clusters."""
    state = rng.choice(4, n, p=[0.62, 0.22, 0.13, 0.03])
    centres = rng.normal(0, 6.5, (4, 12)) + np.linspace(-28, -52, 12)
    common = rng.normal(0, 1.6, (n, 1))
    bands = centres[state] + common + rng.normal(0, 2.1, (n, 12))
    columns = {f"sound_b{i + 1:02d}": np.round(bands[:, i], 1) for i in range(12)}
    return pd.DataFrame({**columns, "colony_state": np.array(_STATES)[state]})


def _harvest(
    rng: np.random.Generator,
    n: int,
    site: dict[str, NDArray[np.generic]],
    visit: dict[str, NDArray[np.generic]],
) -> dict[str, Floats]:
    """Honey, and two gains of equal mean, deviation and correlation with it but of other shapes."""
    forage = pd.Series(visit["forage"]).map(
        {"clover": 3.0, "heather": 5.5, "rape": 1.5, "lime": 4.5, "mixed": 0.0, "bramble": -2.0}
    )
    altitude = site["altitude_m"].astype(float)
    frames = visit["frames_bees"].astype(float)
    honey = 13 + forage.to_numpy() + 1.5 * (frames - 7.2) - 0.006 * (altitude - 440) + rng.normal(0, 4.6, n)
    honey = np.round(np.clip(honey, 0, None) ** 1.05, 1)
    z = _standard(honey)
    even = _without(rng.normal(size=n), z)
    curved = _without(z**2 + 0.12 * rng.normal(size=n), z)
    gains = {}
    for name, rest in (("gain_july", even), ("gain_august", curved)):
        gains[name] = np.round(5.2 + 1.8 * (0.55 * z + np.sqrt(1 - 0.55**2) * rest), 2)
    return {**gains, "honey_kg": honey}


def _standard(x: Floats) -> Floats:
    return np.asarray((x - x.mean()) / x.std())


def _without(x: Floats, z: Floats) -> Floats:
    """What is left of x once its linear part in z is taken out, standardized."""
    return _standard(x - x.mean() - z * np.mean((x - x.mean()) * z))


def _winter(
    rng: np.random.Generator,
    n: int,
    site: dict[str, NDArray[np.generic]],
    hive: dict[str, NDArray[np.generic]],
    visit: dict[str, NDArray[np.generic]],
    state: NDArray[np.generic],
    colony: NDArray[np.int64],
) -> NDArray[np.bool_]:
    """Who came through: every effect that later steps must find."""
    altitude = site["altitude_m"].astype(float)
    band = np.digitize(altitude, [300, 520])
    fed = visit["fed"] == "yes"
    open_wind = (visit["entrance"] == "open") == (site["exposure"] == "exposed")
    _, where = np.unique(site["apiary"].astype(str), return_inverse=True)
    apiary = rng.normal(0, 0.5, where.max() + 1)[where]
    keeping = rng.normal(0, 0.5, int(colony.max()) + 1)[colony]
    score = (
        1.62
        - 0.46 * (np.sqrt(visit["mites"].astype(float)) - 3.2)
        + 0.075 * (visit["weight_kg"].astype(float) - 31)
        + 0.95 * (1 - ((visit["humidity"].astype(float) - 62) / 11) ** 2).clip(-4, 1)
        + np.array([2.2, 0.0, -2.2])[band]
        + np.where(fed, 0.85, 0.0)
        + np.where(open_wind, -0.75, 0.75)
        + apiary
        + keeping
        + pd.Series(hive["queen_line"]).map({1: 0.2, 2: -0.35, 3: 0.1, 4: -0.2, 5: 0.0}).to_numpy()
        - 0.16 * (2024 - hive["queen_born"].astype(float) - 1.5)
        + np.where(state == "queenless", -2.6, 0.0)
        + np.where(state == "weak", -0.55, 0.0)
    )
    wanted = 0.78
    low, high = -10.0, 10.0
    for _ in range(60):  # the level that gives the wanted share
        middle = (low + high) / 2
        low, high = (middle, high) if np.mean(1 / (1 + np.exp(-(score + middle)))) < wanted else (low, middle)
    return np.asarray(rng.random(n) < 1 / (1 + np.exp(-(score + low))))


def _as_kept_by_people(rng: np.random.Generator, frame: pd.DataFrame, wintered: NDArray[np.bool_]) -> pd.DataFrame:
    """Gaps, slips of the pen, sensor codes, repeats: what happens to a file before anyone analyses it."""
    n = len(frame)
    left = np.where(wintered, rng.normal(6.1, 1.5, n), np.where(rng.random(n) < 0.9, 0.0, rng.normal(1.2, 0.5, n)))
    frame.insert(_place(frame, "wintered"), "spring_frames", np.round(np.clip(left, 0, 12) * 2) / 2)
    frame.loc[rng.random(n) < 0.03, "spring_frames"] = np.nan
    frame.loc[rng.random(n) < np.where(wintered, 0.06, 0.24), "frames_brood"] = np.nan
    for name, share in (
        ("humidity", 0.02),
        ("cell_width_mm", 0.07),
        ("queen_born", 0.05),
        ("gain_july", 0.01),
    ):
        frame.loc[rng.random(n) < share, name] = np.nan
    frame["queen_born"] = frame["queen_born"].astype("Int64")
    frame.loc[rng.random(n) < 0.04, "brood_temp"] = -99.0
    slips = rng.choice(n, 5, replace=False)
    frame.loc[slips, "brood_temp"] = [345.0, 348.0, 3.4, 351.0, 339.0]
    _respell(rng, frame, "hive_type", "long hive", "Long hive", 0.12)
    _respell(rng, frame, "forage", "clover", "clover ", 0.07)
    _slips(rng, frame)
    unknown = rng.choice(n, 24, replace=False)
    frame.loc[unknown, ["wintered", "spring_frames"]] = None
    again = frame.iloc[rng.choice(n, DUPLICATES, replace=False)]
    order = np.argsort(np.concatenate([np.arange(n), rng.integers(0, n, DUPLICATES) + 0.5]), kind="stable")
    return pd.concat([frame, again], ignore_index=True).iloc[order].reset_index(drop=True)


def _slips(rng: np.random.Generator, frame: pd.DataFrame) -> None:
    """Columns as people write them, and what goes wrong when they do."""
    n = len(frame)
    supers = rng.choice(5, n, p=[0.14, 0.3, 0.31, 0.17, 0.08])
    frame.insert(_place(frame, "weight_kg"), "n_supers", supers)
    pollen = np.round(rng.gamma(3.0, 45.0, n)).astype(int).astype(str).astype(object)
    pollen[rng.choice(n, 7, replace=False)] = ["lots", "trace", "n.a.", "120-150", "lots", "see remarks", "?"]
    frame.insert(_place(frame, "temper"), "pollen_g", pollen)
    cost = [f"€{c:,.2f}" for c in np.round(rng.gamma(2.0, 4.5, n), 2)]
    frame.insert(
        _place(frame, "fed") + 1,
        "feed_cost",
        pd.Series(cost, dtype=object).where((frame["fed"] == "yes").to_numpy(), None),
    )
    treated_on = frame["inspected_on"] + pd.to_timedelta(rng.integers(0, 22, n), "D")
    early = rng.choice(n, 6, replace=False)
    treated_on.iloc[early] -= pd.to_timedelta(rng.integers(30, 60, 6), "D")
    text = treated_on.dt.strftime("%d.%m.%Y").astype(object)
    text.iloc[rng.choice(n, 2, replace=False)] = ["09.09.2042", "17.10.2042"]
    frame.insert(_place(frame, "treated") + 1, "treated_on", text.where(frame["treated"] == "yes"))
    frame.loc[rng.choice(n, 2, replace=False), "humidity"] = [104.0, 164.2]
    bands = [c for c in frame.columns if c.startswith("sound_b")]
    frame.loc[rng.choice(n, 64, replace=False), bands] = np.nan
    wrong = rng.choice(n, (2, 3), replace=False)
    frame.loc[wrong[0], "record"] = frame["record"].to_numpy()[wrong[1]]


def _odd_shapes(rng: np.random.Generator, frame: pd.DataFrame) -> pd.DataFrame:
    """Columns whose shape, or whose groups, a careless look gets wrong; an exact repeat of a row repeats these too."""
    n = len(frame)
    exposed, open_entrance = (frame["exposure"] == "exposed").to_numpy(), (frame["entrance"] == "open").to_numpy()
    robbed = rng.random(n) < 0.0125
    columns = {
        "flights_min": np.minimum(np.round(rng.normal(38, 13, n).clip(1)), 60).astype(int),  # the counter stops at 60
        "night_temp": rng.normal(9.0, np.where(exposed, 3.4, 1.6)),
        "night_gain_g": np.round(np.where(robbed, rng.normal(-600, 60, n), rng.gamma(1.0, 100, n)), 1),
        "wing_mm": 9.2 + 0.2 * (_even(rng, exposed) + np.where(exposed, 0.17, 0.0)),
        "feed_paid": np.where(rng.random(n) < 0.8, 0.0, np.round(rng.gamma(2.0, 5.0, n), 2)),  # the club pays
        "tongue_mm": 6.4 + 0.25 * (_even(rng, open_entrance) + np.where(open_entrance, 0.3, 0.0)),
    }
    columns |= _odd_tables(rng, frame)
    first = frame.groupby(list(frame.columns), dropna=False, sort=False).ngroup().to_numpy()
    _, at, back = np.unique(first, return_index=True, return_inverse=True)
    place = _place(frame, "gain_july")
    for name, values in reversed(columns.items()):
        rounded = np.round(values, 3) if values.dtype.kind == "f" else values
        frame.insert(place, name, rounded[at][back])
    return frame


def _odd_tables(rng: np.random.Generator, frame: pd.DataFrame) -> dict[str, NDArray[Any]]:
    """Columns whose cross-tabulations a careless look gets wrong."""
    n = len(frame)
    lost = (frame["wintered"] == "no").to_numpy()
    damp = rng.choice(5, n)
    damp = np.where(lost & (rng.random(n) < 0.35), rng.choice([3, 4], n), damp)  # one step, not a trend
    roof = rng.choice(["tin", "felt", "thatch"], n, p=[0.5, 0.3, 0.2])
    roof = np.where((frame["hive_type"] == "flat pack") & (roof == "thatch"), "tin", roof)  # a pair that never occurs
    hived = np.where(lost, rng.beta(1.7, 2.3, n), rng.beta(2.2, 1.8, n)) * 1400  # later colonies do better
    return {
        "lid_damp": np.array(["none", "minor", "moderate", "major", "severe"])[damp],
        "roof": roof,
        "hived_on": np.datetime64("2019-04-01") + np.round(hived).astype("timedelta64[D]"),
    }


def _even(rng: np.random.Generator, group: NDArray[np.bool_]) -> Floats:
    """Standard normal noise of the same mean in both groups, so that a small planted difference stays itself."""
    z = rng.normal(size=len(group))
    for side in (group, ~group):
        z[side] -= z[side].mean()
    return z


def _place(frame: pd.DataFrame, column: str) -> int:
    return list(frame.columns).index(column)


def _respell(rng: np.random.Generator, frame: pd.DataFrame, column: str, level: str, other: str, share: float) -> None:
    hit = (frame[column] == level) & (rng.random(len(frame)) < share)
    frame.loc[hit, column] = other

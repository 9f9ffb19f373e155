"""Counts and rates in every cell, and what a third column does to them."""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")

# Counts say which group is larger; percent of what, is the question that has to be answered first.
fed = study.contingency("fed", "wintered")
print(fed.table.to_string())
print(fed.shares("row").round(3).to_string())

# The rate of each level with its interval, and how far apart they are.
forage = study.contingency("forage")
print(forage.rates[["n", "rate", "low", "high"]].round(3).to_string())

# Within groups the difference may vanish or turn round: both are set beside each other.
within = study.contingency("fed", "wintered", by="altitude_band")
print(within.pooled[["crude", "pooled"]].round(3).to_string())
for finding in within.findings[:2]:
    print(f"{finding.weight}: {finding.statement}")

# Numbers are cut into bins, dates into units of the calendar, several columns into their combinations.
study.contingency("mites", "altitude_band", cuts=[5, 10, 20]).save(out / "mites-by-band.csv")
study.contingency(["fed", "treated"], "altitude_band", picture="rates").save(out / "rates.png")
within.save(out / "fed-by-band.png")
print(f"Wrote {out / 'mites-by-band.csv'} and two pictures")

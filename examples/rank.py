"""Which candidates carry something alone, and which are too good to be true?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")
ranking = study.rank()

# The share of the outcome's uncertainty that one column removes on rows it was not fitted on; 0 is nothing.
print(ranking.table.head(6)[["kind", "held_out_share", "low", "high"]].round(3).to_string())

# What was written down after the winter knows how it went: it tops the list, and must not be used.
for finding in ranking.findings:
    if finding.weight == "stop":
        print(f"stop: {finding.statement}\n      {finding.advice}")

# An identifier with a level a row gets nothing, since no row held out has its level.
print(ranking.table.loc[["record", "hive_type"], ["held_out_share"]].round(3).to_string())

# Where rows follow a time, folds are stretches of it, so that no row is scored by its neighbour in time.
over_time = Study("demo", outcome="wintered").rank("humidity", "mites", "altitude_m", time="inspected_on")
print(over_time.table[["held_out_share"]].round(3).to_string())

# The same for how much, and for part of the rows.
honey = Study("demo", outcome="honey_kg", unit="colony").where("altitude_m > 300").rank()
print(honey.table.head(3)[["held_out_share"]].round(3).to_string())
ranking.save(out / "ranking.png")
ranking.save(out / "ranking.csv")
print(f"Wrote {out / 'ranking.png'} and {out / 'ranking.csv'}")

"""Tables that are not one row a case: counted already, several rows a case, several files."""

import sys
from pathlib import Path

import pandas as pd

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

# A table that is counted already: each row stands for as many as it says.
counted = pd.DataFrame(
    {
        "hive": ["skep", "skep", "box", "box"],
        "survived": ["yes", "no", "yes", "no"],
        "colonies": [30, 50, 160, 40],
    }
)
counted.to_csv(out / "counted.csv", index=False)
study = Study(out / "counted.csv", outcome="survived", counts="colonies")
print(study.contingency("hive").rates[["n", "events", "rate"]].to_string())

# Several rows a case: as many rows would feign a certainty that the few colonies do not give.
visits = Study("demo", outcome="wintered")
for unit in (None, "apiary"):
    seen = Study("demo", outcome="wintered", unit=unit).against("altitude_m").effects.iloc[0]
    print(f"counting {unit or 'rows'}: {seen['estimate']:.2f} ({seen['low']:.2f} to {seen['high']:.2f})")

# Several files of one shape become one table that says where each row came from.
frame = visits.to_frame()
for year, part in frame.groupby(frame["inspected_on"].dt.year):
    part.to_csv(out / f"autumn-{year}.csv", index=False)
both = Study(str(out / "autumn-*.csv"), outcome="wintered")
print(both.balance(by="source").shares("row").round(3).to_string())
both.balance(by="source").save(out / "by-file.png")
print(f"Wrote {out / 'counted.csv'}, the autumns and {out / 'by-file.png'}")

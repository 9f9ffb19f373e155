"""Which rows are behind a number, and where do they lie among all?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")

# A tail: the heaviest hives, with what else is known of them.
heavy = study.rows("weight_kg > 45", sort="-weight_kg", columns=["weight_kg", "honey_kg", "hive_type", "fed"])
print(heavy.answer)
print(heavy.table.iloc[:5, :6].to_string())
heavy.save(out / "heavy.png")  # grey: all rows; blue: these
heavy.save(out / "heavy.csv")

# A number is large or small beside what is usual where it was taken.
odd = study.rows("weight_kg > 1.5 * mean(weight_kg, by=apiary)", sort="-weight_kg")
print(odd.answer)

# A finding names rows, and says the call.
finding = next(f for f in study.distribution("humidity").findings if f.code == "outliers-apart")
print(finding.statement, finding.advice)
print(study.rows(at="1034", columns="humidity").table["humidity"].to_dict())
print(f"Wrote a picture and a table into {out}")

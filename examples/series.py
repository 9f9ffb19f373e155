"""What happens along time: a mean, a rate, a sum or a count, in a line or a line a group?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")

# The rate of the outcome by the year in which a hive was begun; bands count colonies, not rows.
rate = study.series("hived_on", calendar="year")
print(rate.answer)
print(rate.table[["n", "rate", "low", "high"]].round(3).to_string())
rate.save(out / "rate.png")

# A mean a group, a line each: where a month has no rows the line breaks.
honey = study.series("inspected_on", "honey_kg", by="fed", calendar="month")
print(honey.answer)
honey.save(out / "honey.png")

# Months as a grid, a row a year: a season shows as a column.
grid = study.series("hived_on", "honey_kg", calendar="month", grid=True)
print(grid.grid.round(1).iloc[:2, :4].to_string())
grid.save(out / "grid.png")

# Sums and counts are of the rows that are there, and have no interval. A year is time, too.
print(study.series("queen_born", measure="count").table["count"].to_dict())
print(f"Wrote three pictures into {out}")

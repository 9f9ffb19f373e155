"""Log, root, power, or leave it? What a transform does to a number, and what it costs."""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")
mites = study.transforms("mites")

# The simplest that does the job: there are zeros, which a logarithm does not take.
print(f"mites: {mites.suggested}")
print(mites.table[["usable", "skewness", "note"]].round(2).head(5).to_string())
mites.save(out / "mites.png")

# Two peaks stay two peaks under any transform: that is said, and nothing is suggested.
for finding in study.transforms("cell_width_mm").findings[:2]:
    print(f"{finding.weight}: {finding.statement}")

# A suggestion for every number, the outcome's part in it on rows held out.
sheet = study.transforms()
print(sheet.table["suggested"].value_counts().to_string())
sheet.save(out / "sheet.png")
sheet.save(out / "sheet.csv")
print(f"Wrote {out / 'mites.png'}, {out / 'sheet.png'} and {out / 'sheet.csv'}")

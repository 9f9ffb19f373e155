"""What does a column look like, alone and by group?

Bins hide or invent peaks, and a curve is drawn below zero where nothing can be: both are chosen with care here.
"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered")
mites = study.distribution("mites")

# A long right tail is skewed to the right, whatever the picture suggests to the eye.
print(mites.table[["n", "mean", "median", "skewness"]].round(2).to_string(index=False))

# Round numbers that stand out were estimated and not counted: the spikes are people, not hives.
for finding in mites.findings:
    print(f"{finding.weight}: {finding.statement}")

# The same in three pictures. None shows negative mites; one without bins shows that no peak is theirs.
mites.save(out / "mites-histogram.png")
study.distribution("mites", picture="density", by="altitude_band").save(out / "mites-density.png")
study.distribution("mites", picture="cumulative", by="treated").save(out / "mites-cumulative.png")

# Two peaks, which a box plot hides and no transform mends: two makes of comb stand behind them.
cells = study.distribution("cell_width_mm", picture="violin")
print(next(f.statement for f in cells.findings if f.code == "two-peaks"))
cells.save(out / "cells.png")

# All columns on one sheet, the most lopsided first.
sheet = study.distribution()
sheet.save(out / "sheet.png")
print(sheet.table["skewness"].dropna().head(3).round(1).to_string())
print(f"Wrote five pictures into {out}")

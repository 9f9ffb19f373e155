"""How does each pair of columns look, by class, on a line or on a curve?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")

# Without names: the best-ranked candidates that do not repeat each other, each pair once, in seconds.
pairs = study.pairwise()
print(pairs.title)
pairs.save(out / "pairs.png")

# One pair large, with its line, its trend and both distributions.
honey = Study("demo", outcome="honey_kg", unit="colony")
large = honey.pairwise("weight_kg", "honey_kg")
print(large.table.round(3).to_string())
for finding in large.findings[:2]:
    print(f"{finding.weight}: {finding.statement}")
large.save(out / "weight-honey.png")

# Classes on top of each other hide each other: one panel a class, on the same axes.
study.pairwise("humidity", "weight_kg", panels=True).save(out / "panels.png")

# A third column by colour, and rank against rank where tails squeeze everything into a corner.
honey.pairwise("mites", "honey_kg", colour="altitude_m", ranks=True).save(out / "ranks.png")
print(f"Wrote four pictures into {out}")

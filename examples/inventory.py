"""What is each column, why do we think so, and what is wrong or odd about it?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

inventory = Study("demo", outcome="wintered", unit="colony").inventory()

# One row a column: its kind with the reason, which a person can check against what they know.
print(inventory.table.loc[["zone", "pollen_g", "treated_on", "weight_lb"], ["kind", "reason"]].to_string())

# A finding is data as well as a sentence: sort them, filter them, count them.
graver = [f for f in inventory.findings if f.weight != "note"]
print(f"\n{len(graver)} of {len(inventory.findings)} findings ask for a decision. Of codes taken for quantities:")
for finding in graver:
    if finding.code == "coded-numbers":
        print(f"- {finding.statement}\n  {finding.advice}")

# A value that stands for missing changes every mean: what happens where it is not said?
wrong = Study("demo").distribution("brood_temp").table["mean"].iloc[0]
right = Study("demo", missing=[-99]).distribution("brood_temp").table["mean"].iloc[0]
print(f"\nbrood_temp has a mean of {wrong:.1f} with -99 as a temperature, and of {right:.1f} without")

inventory.save(out / "inventory.png")
inventory.save(out / "inventory.md")
print(f"Wrote {out / 'inventory.png'} and {out / 'inventory.md'}")

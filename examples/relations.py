"""Which columns say the same, which move together, and in which form?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")
relations = study.relations()

# Of columns that say nearly the same one is kept, and why that one is said.
print(relations.groups[["keep", "members", "why"]].head(3).to_string())

# Numbers, grades and names on one scale from 0 to 1; how each pair was measured is in the table.
print(relations.pairs[["first", "second", "method", "coefficient", "form"]].head(5).round(2).to_string())

# Columns that tell nothing alone and something together are not seen by any ranking of single columns.
if len(relations.together):
    print(relations.together.head(2).round(3).to_string())

# Equal summaries of unlike data, correlations that a third column makes: said, not left in a matrix of numbers.
for finding in relations.findings[:4]:
    print(f"{finding.weight}: {finding.statement}")

relations.save(out / "relations.png")
relations.pairs.to_csv(out / "pairs.csv")
print(f"Wrote {out / 'relations.png'} and {out / 'pairs.csv'}")

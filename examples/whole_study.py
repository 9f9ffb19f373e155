"""One study from the file to the new rows, as a practitioner would go through it."""

import sys
from pathlib import Path

from envelt import Preparation, Study
from envelt.demo import csv_path

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

data = out / "hives.csv"
data.write_bytes(csv_path().read_bytes())

# Begin: what was detected goes into a file, where it is corrected once; here anew each time.
(out / "study.toml").unlink(missing_ok=True)
Study(data, outcome="wintered").begin(out / "study.toml")
text = (out / "study.toml").read_text("utf-8")
text = text.replace("[study]\n", "[study]\nmissing = [-99]\n", 1).replace('# unit = "NAME"', 'unit = "colony"', 1)
(out / "study.toml").write_text(text, "utf-8")
study = Study.open(out / "study.toml")


def shown(view, name):
    """Save a picture, or a table, and say what a careful colleague would."""
    view.save(out / name)
    print(f"\n{view.title}")
    for finding in view.findings[:2]:
        print(f"  {finding.weight}: {finding.statement}")


shown(study.inventory(), "1-columns.md")
shown(study.balance(), "2-balance.png")
shown(study.distribution("mites", by="altitude_band"), "3-mites.png")
shown(study.against("humidity"), "4-humidity.png")
shown(study.contingency("fed", "wintered", by="altitude_band"), "5-fed.png")
shown(study.relations(), "6-relations.png")
shown(study.pairwise(), "7-pairs.png")
shown(study.transforms("mites"), "8-transforms.png")
shown(study.embed(), "9-map.png")
ranking = study.rank()
shown(ranking, "10-ranking.png")

# What is too good to be true stays out; the rest is prepared on training rows and applied to later ones.
leaks = [f.columns[0] for f in ranking.findings if f.weight == "stop"]
training, later = study.split(0.2)
proposed = training.preparation().then("drop", *leaks, reason="known only afterwards")
training.prepare(proposed, fit=True).preparation.save(out / "preparation.json")
rows = later.prepare(Preparation.load(out / "preparation.json")).prepared
rows.to_csv(out / "later.csv", index=False)
print(f"\nLeft out: {', '.join(leaks)}. {len(rows):,} later rows, {rows.shape[1]} columns; all of it is in {out}")

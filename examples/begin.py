"""Write down what was detected, correct it once, and let every later step take it.

Detection guesses from values. What a code means, which column is the case and what the unit of measure is, only you
know: the study file is the place to say it.
"""

import sys
from pathlib import Path

from envelt import Study
from envelt.demo import csv_path

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

data = out / "hives.csv"
data.write_bytes(csv_path().read_bytes())

# The file is written with the reason for each guess beside it, and with what is undecided in comments.
study_file = out / "study.toml"
study_file.unlink(missing_ok=True)  # one that is there would be kept, and only new columns added
Study(data, outcome="wintered").begin(study_file)
text = study_file.read_text("utf-8")

# queen_line holds 1 to 5: names of breeding lines, of which a mean would say nothing.
guess = next(line for line in text.splitlines() if line.startswith("# kind") and "1 to 5" in line and "names" in line)
text = text.replace(guess, 'kind = "nominal"', 1)
# Colonies are inspected in two autumns: rows of one colony are no independent cases.
text = text.replace('# unit = "NAME"', 'unit = "colony"', 1)
# -99 is what the thermometer writes when it has no reading.
text = text.replace("[study]\n", "[study]\nmissing = [-99]\n", 1)
study_file.write_text(text, "utf-8")

study = Study.open(study_file)
for name in ("queen_line", "brood_temp"):
    column = study.table[name]
    print(f"{name}: {column.kind}, {column.missing.sum():,} missing ({column.reason})")
print(f"{study.unit} is the case; the event is {study.outcome.event!r}")
print(f"Wrote {data} and {study_file}")

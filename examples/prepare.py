"""From decisions to columns that a model can take, on these rows and on any later ones."""

import sys
import warnings
from pathlib import Path

from envelt import LaterRowsWarning, Preparation, Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony", missing=[-99])
training, test = study.split(0.25)  # no colony stands in both

# Each operation says why it is there and which finding led to it; change what you do not agree with.
proposed = training.preparation()
print(f"{len(proposed)} operations, such as:")
for operation in list(proposed)[:3]:
    print(f"- {operation.name} {', '.join(operation.columns[:3])}: {operation.reason}")

# Learned on the training rows alone: medians, levels, rates and scales of the test rows are not looked at.
fitted = training.prepare(proposed, fit=True, keep="wintered")
fitted.write(out / "train.parquet")
fitted.preparation.save(out / "preparation.json")

# Next autumn: the same decisions from the file, without the study, on rows that nobody has seen.
with warnings.catch_warnings(record=True) as told:  # what is otherwise in these rows
    warnings.simplefilter("always", LaterRowsWarning)
    later = Preparation.load(out / "preparation.json").transform(test.to_frame())
print(f"Later rows: {told[0].message if told else 'as the training rows'}")
later.to_parquet(out / "later.parquet")
print(f"{fitted.prepared.shape[0]:,} training and {len(later):,} later rows, {later.shape[1]} columns,")
print(f"{int(later.isna().sum().sum())} missing values")
print(f"Wrote {out / 'train.parquet'}, {out / 'later.parquet'} and {out / 'preparation.json'}")

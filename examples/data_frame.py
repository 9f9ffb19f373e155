"""From a data frame made in the script, in a few lines: nothing but the outcome has to be said."""

import sys
from pathlib import Path

import numpy as np
import pandas as pd

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

rng = np.random.default_rng(7)
n = 800
frame = pd.DataFrame({"feed_l": rng.gamma(3, 2, n).round(1), "exposure": rng.choice(["open", "hedge"], n)})
frame["moved"] = rng.choice(["yes", "no"], n, p=[0.2, 0.8])
# Feed helps up to a point: a curve, of which a correlation would see next to nothing.
frame["brood"] = (8 - (frame["feed_l"] - 6) ** 2 / 6 + rng.normal(0, 1.5, n)).round(1)
frame.loc[rng.random(n) < 0.05, "feed_l"] = np.nan

study = Study(frame, outcome="brood")
view = study.against("feed_l")
print(view.effects.round(2).to_string())
for finding in view.findings:
    print(f"{finding.weight}: {finding.statement}")
print(study.rank().table[["held_out_share"]].round(3).to_string())
view.save(out / "feed.png")

# What comes back is a data frame of its own: changing it changes nothing in the study.
table = study.rank().table
table["held_out_share"] = 0
print(f"The study's own is as it was: {study.rank().table['held_out_share'].max():.2f}")
print(f"Wrote {out / 'feed.png'}")

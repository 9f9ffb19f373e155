"""Does the outcome differ along one candidate, by how much, and how surely?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")

# All candidates at a glance: numbers by the difference of means, categories by the spread of rates.
glance = study.against()
print(glance.table.head(5)[["kind", "measure", "estimate", "q"]].round(3).to_string())
glance.save(out / "all.png")

# A class outcome along a number: rates in bins, with intervals, where a scatter plot of yes and no shows nothing.
humidity = study.against("humidity")
print(humidity.rates[["n", "events", "rate"]].head(4).round(3).to_string())
humidity.save(out / "humidity.png")

# The trend is no trend, and yet the strongest relation there is: an optimum, of which a correlation sees nothing.
for finding in humidity.findings[:1]:
    print(f"{finding.weight}: {finding.statement}")

# A numeric outcome: a line, a trend, and the form of the relation by fits compared on rows held out.
honey = Study("demo", outcome="honey_kg", unit="colony")
weight = honey.against("weight_kg")
print(f"\nhoney_kg along weight_kg: {weight.form}")
print(weight.effects.round(3).to_string())
weight.save(out / "honey-weight.png")

# A mean of few rows tops no list: means are drawn to that of all, as far as their rows ask for.
print(honey.against("inspector").table[["n", "mean", "shrunken_mean"]].head(3).round(2).to_string())
print(f"Wrote three pictures into {out}")

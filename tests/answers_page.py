"""The page docs/answers.md: what each step answers on the demo data, by itself, in groups, and where nothing is there.

python tests/answers_page.py > docs/answers.md
"""

from __future__ import annotations

import warnings
from typing import Any

import numpy as np
import pandas as pd

from envelt import Study

HEAD = """# Answers

Every view has `.answer`: one or two sentences that a person would repeat to a colleague, made of the numbers in its
tables. It leads in the terminal, under the title of a picture, in HTML, Markdown and JSON, and the report opens with a
paragraph of them. Here is each step's on the demo data. This page is made by `python tests/answers_page.py`.

```python
study = Study("demo", outcome="wintered", unit="colony")   # rows of one colony are one case
honey = Study("demo", outcome="honey_kg", unit="colony")   # an outcome of numbers
plain = Study("demo")                                      # no outcome
```
"""
SAID = {
    "What is there": ["study.inventory()"],
    "The outcome": ["study.balance()", "study.balance(by='apiary')", "honey.balance()", "honey.balance(by='fed')"],
    "Distributions": [
        "study.distribution('mites')", "study.distribution('mites', by='exposure')",
        "study.distribution('mites', by='hive_type')", "study.distribution('brood_temp')",
        "study.distribution('hive_type')", "study.distribution('hive_type', by='fed')",
        "study.distribution('hived_on')", "study.distribution('hived_on', by='fed')", "study.distribution()",
        "study.distribution(by='fed')", "plain.distribution(by='apiary')",
    ],
    "A candidate and the outcome": [
        "study.against('mites')", "study.against('humidity')", "study.against('wing_mm')", "study.against('fed')",
        "study.against('hive_type')", "study.against('altitude_band')", "study.against('hived_on')",
        "study.against('fed', by='altitude_band')", "study.against('mites', by='altitude_band')",
        "honey.against('weight_kg')", "honey.against('wing_mm')", "honey.against('fed')",
        "honey.against('hive_type')", "honey.against('hived_on')", "honey.against('fed', by='altitude_band')",
        "honey.against('weight_kg', by='altitude_band')", "study.against()", "honey.against()",
    ],
    "Along time": [
        "study.series('hived_on')", "honey.series('hived_on', calendar='year')", "plain.series('inspected_on')",
        "honey.series('inspected_on', by='fed', calendar='month')", "study.series('queen_born', 'colony_state')",
        "plain.series('hived_on', 'feed_cost', measure='sum')",
    ],
    "Cross-tabulations": [
        "plain.contingency('hive_type')", "study.contingency('hive_type')", "plain.contingency('fed', 'wintered')",
        "plain.contingency('hive_type', 'altitude_band')", "study.contingency('fed', 'hive_type')",
        "plain.contingency('fed', 'wintered', by='altitude_band')", "honey.contingency('fed')",
    ],
    "Columns together": [
        "study.relations('weight_kg', 'honey_kg')", "study.relations('humidity', 'wintered')",
        "study.relations('fed', 'hive_type')", "study.relations()", "study.pairwise('weight_kg', 'honey_kg')",
        "study.pairwise()",
    ],
    "Rows": [
        "study.rows('weight_kg > 48', sort='-weight_kg')", "study.rows('weight_kg > 100')", "study.rows(at=[3, 17])",
    ],
    "Transforms": ["study.transforms('mites')", "study.transforms('wing_mm')", "study.transforms()"],
    "A map": ["study.embed()", "study.embed(by='colony_state')", "plain.embed(method='pca')"],
    "All candidates": ["study.rank()", "honey.rank()"],
    "A preparation": ["study.prepare(study.preparation(), fit=True)"],
    "Where nothing is there": [
        "noise.balance()", "noise.against('x')", "noise.against('level')", "noise.against()", "noise.rank()",
        "noise.relations('x', 'z')", "noise.transforms('x')", "few.distribution('x')", "few.against('x')",
    ],
}  # fmt: skip


def studies() -> dict[str, Study]:
    """Return the studies that the page speaks of; noise has nothing in it, and few six rows of that."""
    r = np.random.default_rng(3)
    noise = pd.DataFrame(
        {"x": r.normal(size=300), "z": r.normal(size=300), "level": r.choice(list("abc"), 300),
         "y": r.choice(["no", "yes"], 300)}
    )  # fmt: skip
    return {
        "study": Study("demo", outcome="wintered", unit="colony"),
        "honey": Study("demo", outcome="honey_kg", unit="colony"),
        "plain": Study("demo"),
        "noise": Study(noise, outcome="y"),
        "few": Study(noise.head(6), outcome="y"),
    }


def views() -> dict[str, dict[str, Any]]:
    """Return the view of each call, by section."""
    names = studies()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        return {title: {call: eval(call, dict(names)) for call in calls} for title, calls in SAID.items()}


def page(made: dict[str, dict[str, Any]]) -> str:
    """Return the page."""
    parts = [HEAD]
    for title, of in made.items():
        parts.append(f"## {title}\n")
        parts += [f"`{call}`\n\n> {view.answer}\n" for call, view in of.items()]
    return "\n".join(parts)


if __name__ == "__main__":
    print(page(views()), end="")

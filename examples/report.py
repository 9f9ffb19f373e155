"""All of it on one page that can be sent by mail and opened without a network."""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

# A page is read by people: what nobody will use is left out of it.
aside = ["record", "remarks", "survey", "treated", "weight_lb", *(f"sound_b{i:02d}" for i in range(1, 13))]
study = Study("demo", outcome="wintered", unit="colony", missing=[-99], ignore=aside)
page = study.report(out / "report.html")
print(f"Wrote {page}: {page.stat().st_size / 1e6:.1f} MB, nothing fetched")

# A table for the text, and one for the spreadsheet: neither has to be built again by hand.
balance = study.balance()
balance.save(out / "balance.md")
print((out / "balance.md").read_text("utf-8"))
study.rank("humidity", "mites", "fed").save(out / "ranking.csv", guard_formulas=True)
print(f"Wrote {out / 'balance.md'} and {out / 'ranking.csv'}")

"""How lopsided is the outcome, and what would doing nothing score?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="wintered", unit="colony")
balance = study.balance()
print(balance.table.to_string())

# A model that always says the largest class is right this often: the line every accuracy has to beat.
print(
    f"\nAlways saying {balance.table.index[balance.table['count'].argmax()]!r} is right in {balance.largest_share:.1%}"
)

# Groups of unlike size: counts would only say which group is larger, so the shares stand beside each other.
by_band = study.balance(by="altitude_band")
print(by_band.shares("row").round(3).to_string())

# A numeric outcome has no classes; it has a shape, and a mean whose error any model has to beat.
honey = Study("demo", outcome="honey_kg").balance()
print(honey.table.round(2).to_string())

balance.save(out / "balance.png")
by_band.save(out / "balance-by-band.png")
honey.save(out / "balance-honey.png")
print(f"Wrote three pictures into {out}")

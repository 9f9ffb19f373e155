"""Many columns in two dimensions: do the classes separate, and is the map to be trusted?"""

import sys
from pathlib import Path

from envelt import Study

out = Path(sys.argv[1] if len(sys.argv) > 1 else "out")
out.mkdir(parents=True, exist_ok=True)

study = Study("demo", outcome="colony_state", unit="colony")
bands = [name for name in study.candidates if name.startswith("sound_b")]
view = study.embed(*bands)

# A map always shows clusters to those who look for them: these say what it is worth.
print(view.quality.round(3).to_string())
print(view.separation.round(2).to_string())

# Rows that sit among another class: mislabelled, or the cases worth a second look.
few = view.suspects
print(few.head(3).to_string() if len(few) else "no row sits among another class")
view.save(out / "map.png")

# New rows are placed on the map without moving it; nothing is fitted again.
later = study.to_frame().tail(5)
print(view.place(later).round(1).to_string())

# Two directions of most variance are quicker to explain, and show less: laid over each other they can be compared.
components = study.embed(*bands, method="pca")
components.save(out / "components.png")
print(f"Wrote {out / 'map.png'} and {out / 'components.png'}")

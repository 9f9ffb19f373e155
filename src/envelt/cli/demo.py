"""The demo: the main job on the made-up hives, in a folder of its own."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..demo import CSV_NAME, OUTCOME, csv_path
from ..errors import OutputError
from ..steps.report import leading
from ..study import Study
from ..write.files import write_bytes
from ..write.terminal import TYPED, print_view

if TYPE_CHECKING:
    from rich.console import Console

FIGURES = 4


def run_demo(folder: Path, console: Console) -> None:
    """Write data, report and figures, print the ranking and what to try next.

    Raises
    ------
    OutputError
        The folder cannot be made or written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"Cannot write into {str(folder)!r}: {error.strerror}.") from error
    data = folder / CSV_NAME
    write_bytes(data, csv_path().read_bytes())
    study = Study(data, outcome=OUTCOME)
    ranking = study.rank()
    study.inventory().save(folder / "inventory.png")
    study.balance().save(folder / "balance.png")
    ranking.save(folder / "rank.png")
    ranking.save(folder / "rank.csv")
    for name in leading(ranking)[:FIGURES]:
        study.against(name).save(folder / f"against-{name}.png")
    study.report(folder / "report.html")  # the views above are used again
    print_view(console, ranking.on_screen(), TYPED)
    lines = [
        "",
        f"In {folder}/: the data, report.html, {4 + FIGURES} figures and tables. Try next:",
        f"  envelt inventory {data}",
        f"  envelt against {data} humidity --outcome {OUTCOME} --out humidity.png",
        f"  envelt rank {data} --outcome honey_kg",
    ]
    for line in lines:
        console.print(line, markup=False, soft_wrap=True)

"""The command itself: what it is for, and which commands it has, in the order of the work."""

from __future__ import annotations

import typer

app = typer.Typer(
    name="envelt",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    help=(
        "Decide which features to use, and how to prepare them, before any model.\n\nIn the order of the work: begin "
        "(a study file for you to correct), inventory (what is each column?), balance (how lopsided is the "
        "outcome?), distribution (what does a column look like?), against (how does the outcome differ along one?), "
        "contingency (counts and rates in every cell), relations (which columns say the same?), pairwise (how does "
        "each pair look?), rows (which rows are these?), transforms (log, root, power, or leave it?), "
        "embed (do classes separate?), rank (which candidates carry something?), "
        "prepare (the decisions, fitted and applied to any later rows), report (all of it on one page).\n\n"
        "Try: envelt demo"
    ),
)

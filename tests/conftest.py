"""What several test files use."""

import os
import sys

import pytest
from hypothesis import settings

from envelt import Study
from envelt.cli.app import main
from envelt.core.catalogue import FINDINGS
from envelt.core.finding import Finding

settings.register_profile("drawn_once", derandomize=True)
if "ENVELT_SEARCHES" not in os.environ:
    settings.load_profile("drawn_once")  # a landing does not hang on a draw; `make search` draws anew

LOUD = [f"sound_b{i:02d}" for i in range(1, 13)]
ASIDE = [
    *LOUD, "remarks", "record", "inspector", "apiary", "survey", "treated", "treated_on", "pollen_g", "frames_brood",
    "weight_lb", "brood_temp", "feed_cost", "feed_paid", "entrance", "exposure", "gain_july", "gain_august",
    "night_temp", "night_gain_g", "flights_min", "wing_mm", "n_supers", "cell_width_mm",
]  # fmt: skip
"""Columns of the demo data that a test can do without where it makes whole pages."""


@pytest.fixture(scope="session")
def aside():
    """Columns of the demo data that a test can do without where it makes whole pages."""
    return ASIDE


@pytest.fixture(scope="session", autouse=True)
def listed():
    """No test may make a finding that the catalogue does not list, or of another weight."""
    made = Finding.__post_init__

    def check(self):
        made(self)
        assert self.weight in FINDINGS[self.code].weights, f"{self.code} ({self.weight}) is not in core/catalogue.py"

    Finding.__post_init__ = check
    yield
    Finding.__post_init__ = made


@pytest.fixture(scope="session")
def wintered():
    """The demo data with its class outcome."""
    return Study("demo", outcome="wintered")


@pytest.fixture(scope="session")
def honey():
    """The demo data with its numeric outcome."""
    return Study("demo", outcome="honey_kg")


@pytest.fixture(scope="session")
def state():
    """The demo data with an outcome of four classes."""
    return Study("demo", outcome="colony_state")


@pytest.fixture
def run(monkeypatch, capsys, tmp_path):
    """Run a command as the shell would, in an empty folder; gives (status, out, err)."""
    monkeypatch.chdir(tmp_path)

    def command(*words, columns=150, folder=tmp_path):
        monkeypatch.chdir(folder)
        monkeypatch.setenv("COLUMNS", str(columns))
        monkeypatch.setattr(sys, "argv", ["envelt", *map(str, words)])
        try:
            main()
            status = 0
        except SystemExit as stop:
            status = stop.code or 0
        return (status, *capsys.readouterr())

    return command

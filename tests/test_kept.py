"""No number that is shown moves unseen: what every step says of three made-up tables is as it was kept."""

import json

import pytest

from kept_answers import ASKED, CLOSE, FILE, answered, named

KEPT = json.loads(FILE.read_text())


@pytest.mark.parametrize(("case", "step"), ASKED, ids=[named(*a) for a in ASKED])
def test_every_number_is_as_it_was_kept(case, step):
    made, kept = answered(case, step), KEPT[named(case, step)]
    assert list(made) == list(kept)
    moved = [name for name, now in made.items() if now[:2] != kept[name][:2] or abs(now[2] - kept[name][2]) > CLOSE]
    assert not moved, "if these were changed on purpose: python tests/kept_answers.py, and say so in the commit"

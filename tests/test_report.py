"""The report as a browser would take it: whole, self-contained, every picture told in words."""

import base64
import re
import struct
from html.parser import HTMLParser

import pytest

from envelt import Study

VOID = {"meta", "img", "br", "link"}


class Page(HTMLParser):
    """Checks that tags close in order, and gathers what the page refers to."""

    def __init__(self, text):
        super().__init__()
        self.open, self.ids, self.links, self.images, self.tags, self.words = [], [], [], [], [], []
        self.feed(text)
        self.close()
        assert self.open == []

    def handle_starttag(self, tag, attrs):
        given = dict(attrs)
        self.tags.append(tag)
        if tag not in VOID:
            self.open.append(tag)
        if "id" in given:
            self.ids.append(given["id"])
        if tag == "a":
            self.links.append(given["href"])
        if tag == "img":
            self.images.append(given)
        assert not any(name.startswith("on") for name in given)

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        self.words.append(data)


class Pages(dict):
    """Reports for an outcome of two classes, of numbers, and of four classes, each made when it is asked for."""

    def __init__(self, folder, studies):
        super().__init__()
        self.folder, self.studies = folder, studies

    def __missing__(self, name):
        self[name] = Page(self.studies[name].report(self.folder / f"{name}.html").read_text())
        return self[name]


@pytest.fixture(scope="module")
def pages(wintered, aside, tmp_path_factory):
    few = {outcome: Study("demo", outcome=outcome, ignore=aside) for outcome in ("honey_kg", "colony_state")}
    studies = {"wintered": wintered, "honey": few["honey_kg"], "state": few["colony_state"]}
    return Pages(tmp_path_factory.mktemp("reports"), studies)


@pytest.mark.parametrize("name", ["wintered", "honey", "state"])
def test_report_is_whole_and_fetches_nothing(pages, name):
    page = pages[name]
    assert len(page.ids) == len(set(page.ids))
    assert page.links
    assert all(link.startswith("#") and link[1:] in page.ids for link in page.links)
    assert not {"script", "link", "iframe", "object"} & set(page.tags)
    if name == "wintered":
        leads_with_what_matters(page)
    for image in page.images:
        assert len(image["alt"]) > 40
        kind, _, data = image["src"].partition(",")
        assert kind == "data:image/png;base64"
        width, height = struct.unpack(">II", base64.b64decode(data)[16:24])
        assert width == 1280
        lower = any(word in image["alt"] for word in ("Rate of", ", mean and n:"))  # of few levels
        assert height == 800 or (height < 800 and lower) or "Small distributions" in image["alt"]


def leads_with_what_matters(page):
    text = " ".join(" ".join(page.words).split())
    assert "Ask first when spring_frames (90%) is written down." in text
    assert text.index("Always saying yes is right 78% of the time.") < text.index("What the columns are")
    headings = [
        "What the columns are", "The outcome", "How the columns are distributed", "The ranking",
        "All candidates at a glance", "How the columns go together", "Leading candidates against the outcome",
    ]  # fmt: skip
    places = [text.rindex(h) for h in headings]
    assert places == sorted(places)
    assert {"bend-without-trend", "turns-round", "two-peaks"} <= set(text.split())
    assert "nan" not in text.casefold().split()


def test_report_of_nothing_says_so(tmp_path):
    import numpy as np
    import pandas as pd

    from envelt import Study

    r = np.random.default_rng(0)
    frame = pd.DataFrame({"x": r.normal(size=200), "c": r.choice(["u", "v"], 200), "y": r.choice(["no", "yes"], 200)})
    page = Page(Study(frame, outcome="y").report(tmp_path / "r.html").read_text())
    assert "none is shown" in " ".join(page.words)
    assert len(page.images) == 7


def test_folded_tables_say_how_many_rows_they_have_and_relations_are_there(wintered, tmp_path):
    text = wintered.report(tmp_path / "r.html").read_text()
    folded = re.findall(r"<details><summary>[^<]*\(([\d,]+) rows?\)</summary>(.*?)</details>", text, re.S)
    assert len(folded) > 5
    for said, inside in folded:
        assert int(said.replace(",", "")) == inside.count("<tr") - 1
    assert '<a href="#relations">' in text
    assert "turns round" in text

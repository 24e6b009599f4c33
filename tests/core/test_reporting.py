"""The printable report: what it tells, and that names cannot break it."""

import base64
import io
import re
from html.parser import HTMLParser

import numpy as np
import pytest
from PIL import Image

from intaglio.cli import main
from intaglio.quality.catalogue import BY_KEY
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import write_recipe
from intaglio.reporting.charts import HEIGHT, WIDTH, bars, place
from intaglio.reporting.page import report_page
from tests.core.shapes import pipe, source


class Reader(HTMLParser):
    """Text, images and nesting of a page."""

    VOID = ("meta", "img", "br", "rect", "path")

    def __init__(self, page: str) -> None:
        super().__init__()
        self.text: list[str] = []
        self.sources: list[str] = []
        self.open: list[str] = []
        self.hidden = False
        self.feed(page)

    def handle_starttag(self, tag, attrs):
        if tag not in self.VOID:
            self.open.append(tag)
        self.hidden = tag == "style"
        self.sources += [v for k, v in attrs if k in ("src", "href")]

    def handle_startendtag(self, tag, attrs):
        assert tag in self.VOID

    def handle_endtag(self, tag):
        assert self.open.pop() == tag
        self.hidden = False

    def handle_data(self, data):
        if not self.hidden:
            self.text.append(data)

    @property
    def words(self) -> str:
        return re.sub(r"\s+", " ", " ".join(self.text))


@pytest.fixture(scope="module")
def done(tmp_path_factory):
    part = source(pipe(), tmp_path_factory.mktemp("pipe"), "pipe")
    store = MemoryStore()
    given = {"sizing": {"smallest": 2.0, "largest": 3.0}}
    return part, given, store, run_to("case", part, "pipe", given, store)


@pytest.fixture(scope="module")
def page(done):
    _, _, store, states = done
    text = report_page(states, store, "pipe", "first", "pipe.step", "2026-11-27 10:00")
    return text, Reader(text)


def test_it_tells_counts_settings_and_reasons(done, page):
    _, _, _, states = done
    _, read = page
    by_key = {s.stage: s for s in states}
    volume = by_key["volume"].report
    assert f"{volume['cells']:,}" in read.words and f"{volume['points']:,}" in read.words
    assert "Set by hand" in read.words and "largest edge" in read.words
    # of what the brief shows: it has no own limits here
    for key in ("target", "passes", "limits"):
        assert by_key["volume"].reasons[key] in read.words
    assert by_key["volume"].reasons["own_limits"] not in read.words
    assert by_key["case"].key in read.words
    for patch in by_key["patches"].report["patches"]:
        assert patch["name"] in read.words
    for key in volume["quality"]:
        assert BY_KEY[key].label in read.words
    assert "within the general limits" in read.words


def test_it_holds_its_pictures_and_asks_for_nothing(page):
    text, read = page
    assert not read.open and "<script" not in text
    assert len(read.sources) == 3
    for held in read.sources:
        kind, data = held.split(",", 1)
        assert kind == "data:image/png;base64"
        image = np.asarray(Image.open(io.BytesIO(base64.b64decode(data))).convert("L"))
        # something is drawn on it
        assert min(image.shape) > 100 and np.ptp(image.astype(int)) > 60


def test_the_case_is_told_in_words_with_units(page):
    _, read = page
    assert "fluid: water, temperature 20 °C" in read.words
    assert "let it in at a speed normal to them, speed 1 m/s" in read.words


def test_names_are_words_not_markup(done):
    _, _, store, states = done
    name = "<script>alert(1)</script> & <b>co"
    text = report_page(states, store, name, name, name + ".step", "now")
    read = Reader(text)
    assert not read.open and "<script" not in text and name in read.words


def test_what_is_not_up_to_date_is_said(done):
    part, given, store, _ = done
    states = run_to("domain", part, "pipe", {**given, "patches": {}}, MemoryStore())
    fresh = MemoryStore()
    run_to("domain", part, "pipe", given, fresh)
    read = Reader(report_page(states, fresh, "pipe", "first", "pipe.step", "now"))
    assert "Not told here, since not up to date" in read.words and "Volume" in read.words
    assert len(read.sources) == 1 and "Quality" not in read.words
    assert store.products


def test_bars_stand_where_the_counts_say():
    metric = BY_KEY["equiangle_skewness"]
    svg = bars([0.0, 0.25, 0.5, 0.75, 1.0], [100, 25, 0, 1], metric, 0.5)
    found = re.findall(r'x="([\d.]+)" y="([\d.]+)" width="[\d.]+" height="([\d.]+)"', svg)
    rows = [tuple(map(float, r)) for r in found]
    assert [r[0] for r in rows] == [0, WIDTH / 4, 3 * WIDTH / 4]
    assert [r[2] for r in rows] == pytest.approx([HEIGHT, HEIGHT / 2, HEIGHT / 10], abs=0.01)
    assert f"M{WIDTH / 2:.2f} 0" in svg
    assert "stroke-dasharray" not in bars([0.0, 1.0], [3], metric, 2.0)
    assert place(0.3, [0.0, 0.2, 0.4]) == pytest.approx(0.75)


def test_the_command_writes_the_page(done, tmp_path, capsys):
    part, given, _, _ = done
    (tmp_path / part.name).write_bytes(part.data)
    write_recipe(tmp_path / "pipe.yaml", part.name, "pipe", given, {}, "mm")
    out = tmp_path / "pipe.html"
    args = ["report", str(tmp_path / "pipe.yaml"), "-o", str(out), "--stage", "sizing"]
    assert main(args) == 0
    assert "pipe.html" in capsys.readouterr().out
    read = Reader(out.read_text())
    assert "Sizing" in read.words and not read.open
    assert main(["report", str(tmp_path / "none.yaml"), "-o", str(out)]) == 2

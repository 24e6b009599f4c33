"""Two people at one study, each in a browser of their own; a study deleted and brought back."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.core.shapes import pipe
from tests.screens.conftest import Application, source
from tests.screens.test_whole_path import blank, drop

pytestmark = pytest.mark.screens

PATCH = """
async ([variant, change]) => {
  const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
  const answer = await fetch(`/api/variants/${variant}/settings`, {
    method: "PATCH",
    headers: { "Content-Type": "application/json", "X-CSRFToken": token },
    body: JSON.stringify(change),
  });
  return answer.status;
}
"""
RUN = """
async (variant) => {
  const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
  await fetch(`/api/variants/${variant}/runs`, {
    method: "POST",
    headers: { "Content-Type": "application/json", "X-CSRFToken": token },
    body: JSON.stringify({ target: "sizing" }),
  });
}
"""


def test_two_people_at_one_study(
    page: Page, browser: Browser, application: Application, tmp_path: Path
):
    drop(page, "shared pipe.step", source(pipe(), tmp_path).data)
    expect(page.get_by_role("complementary", name="Brief")).to_contain_text("✓ yes", timeout=90_000)
    study, variant = re.search(r"/study/(\d+)/(\d+)/", page.url).groups()
    page.evaluate(RUN, int(variant))

    # the demo's account invites Nell, who joins
    page.get_by_role("button", name="Back to the shelf").click()
    page.get_by_role("button", name="demo", exact=True).click()
    page.get_by_label("for whom, a note").fill("Nell")
    page.get_by_role("button", name="Invite").click()
    link = page.get_by_label("Link of the invitation").input_value()
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    nell = context.new_page()
    nell.goto(link)
    nell.get_by_label("Name").fill("nell")
    for label in ("Password", "Password again"):
        nell.get_by_label(label, exact=True).fill("granite under the pier")
    nell.get_by_role("button", name="Join").click()
    nell.get_by_role("heading", name="Studies").wait_for()
    expect(nell.get_by_role("link", name=re.compile("shared pipe"))).to_have_count(0)

    # shared to look at: seen, and nothing can be changed
    page.goto(f"/study/{study}/{variant}/sizing")
    page.get_by_role("button", name="share").click()
    page.get_by_label("Name of the account").fill("nell")
    page.get_by_role("button", name="Share", exact=True).click()
    expect(page.get_by_text("looks at it")).to_be_visible()
    nell.goto(f"{application.address}/study/{study}/{variant}/sizing")
    edge = nell.get_by_label("largest edge", exact=True)
    expect(edge).to_be_disabled(timeout=90_000)
    assert nell.evaluate(PATCH, [int(variant), {"sizing": {"largest": 5}}]) == 403
    page.get_by_role("button", name="Let work").click()
    expect(page.get_by_text("works on it")).to_be_visible()
    page.keyboard.press("Escape")
    nell.reload()
    expect(edge).to_be_enabled(timeout=400_000)

    # what one changes the other sees
    blank(nell, "largest edge", "5")
    expect(page.get_by_label("largest edge", exact=True)).to_have_value("5", timeout=400_000)

    # the same blank at the same time: Nell's change is there before this one arrives
    def overtaken(route: Route) -> None:
        assert nell.evaluate(PATCH, [int(variant), {"sizing": {"largest": 6}}]) == 200
        route.continue_()

    page.route("**/settings", overtaken, times=1)
    page.get_by_label("largest edge", exact=True).fill("7")
    page.get_by_label("largest edge", exact=True).press("Enter")
    clash = page.get_by_role("alert", name="Changed by others")
    expect(clash).to_contain_text("nell changed meanwhile")
    expect(clash.get_by_role("cell")).to_have_text(["6 mm", "7 mm"])
    expect(page.get_by_label("largest edge", exact=True)).to_have_value("6")
    clash.get_by_role("button", name="Set mine").click()
    expect(clash).to_have_count(0)
    for one in (page, nell):
        expect(one.get_by_label("largest edge", exact=True)).to_have_value("7", timeout=400_000)

    # taken back
    page.get_by_role("button", name="share").click()
    page.get_by_role("button", name="Take back").click()
    expect(page.get_by_text("works on it")).to_have_count(0)
    nell.reload()
    expect(nell.get_by_role("alert")).to_contain_text("no such study")
    context.close()


def test_a_study_is_deleted_and_comes_back(page: Page, tmp_path: Path):
    drop(page, "short lived.step", source(pipe(), tmp_path).data)
    expect(page.get_by_role("complementary", name="Brief")).to_contain_text("✓ yes", timeout=90_000)
    page.get_by_role("button", name="Back to the shelf").click()
    card = page.get_by_role("listitem").filter(has_text="short lived")
    card.hover()
    card.get_by_role("button", name="Delete").click()
    expect(card).to_have_count(0)
    page.get_by_role("button", name="Deleted").click()
    expect(card).to_contain_text("kept for 14 days")
    card.hover()
    card.get_by_role("button", name="Bring back").click()
    page.get_by_role("button", name="Deleted").click()
    card.get_by_role("link").click()
    expect(page.get_by_role("complementary", name="Brief")).to_contain_text("✓ yes")

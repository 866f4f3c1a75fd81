"""Answers that come late, while somebody types on."""

from __future__ import annotations

from playwright.sync_api import Route, expect
from tests.console.conftest import Open


def test_what_is_being_typed_stays_where_it_is_when_a_late_answer_comes(open_console: Open) -> None:
    page = open_console("/rehearse")
    late: list[Route] = []
    held = True

    def hold(route: Route) -> None:
        late.append(route) if held else route.continue_()

    page.route("**/api/v1/rehearse", hold)
    page.goto(page.url.split("#")[0] + "#/rehearse?person.id=ines.faro&app.id=post")
    page.get_by_role("button", name="Other facts").click()
    country = page.get_by_label("network.country")
    country.fill("icel")
    expect(page.get_by_role("option", name="Iceland")).to_be_visible()
    # The answer turns on the country: its field belongs to those that are shown first then.
    held = False
    for route in late:
        route.continue_()
    expect(page.get_by_label("Answer")).to_contain_text("Everybody at Kelpline")
    expect(country).to_have_value("icel")
    expect(country).to_be_focused()
    page.get_by_role("option", name="Iceland").click()
    expect(country).to_have_value("IS")
    country.press("Tab")
    first = page.get_by_role("group", name="Given, and what it turns on")
    expect(first.get_by_label("network.country")).to_have_value("IS")

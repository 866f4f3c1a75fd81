"""What is proven, in a browser: guarantees and what mends them, what a draft means, what a policy adds."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, expect
from tests.axe import OF_THEME, axe_findings
from tests.conftest import Live
from tests.console.conftest import Open, entered


def test_what_a_draft_breaks_and_does_for_nothing_is_shown(open_console: Open) -> None:
    page = open_console("/proofs?draft=guests-at-the-berths")
    expect(page.get_by_role("heading", level=1)).to_contain_text("1 guarantee does not hold")
    broken = page.locator("[data-guarantee=guests-have-accepted]")
    expect(broken).to_contain_text("could open Berthplan")
    idle = page.get_by_role("region", name="What does nothing")
    expect(idle).to_contain_text("guests-prove-it")
    expect(idle).to_contain_text("nobody-else")
    assert axe_findings(page) == []
    page.emulate_media(color_scheme="dark")
    page.set_viewport_size({"width": 700, "height": 800})
    assert axe_findings(page, OF_THEME) == []
    broken.get_by_role("link", name="Rehearse it").click()
    expect(page).to_have_url(re.compile("rehearse.*draft=guests-at-the-berths"))
    expect(page.get_by_text("allowed").first).to_be_visible()


def test_a_draft_that_locks_out_says_so_before_it_is_published(open_console: Open) -> None:
    page = open_console("/drafts/sundby-is-rebuilt")
    page.get_by_role("button", name="Publish").first.click()
    meaning = page.locator("[data-meaning]")
    expect(meaning).to_contain_text("Some people allowed until now are blocked in farebox.")
    page.locator("summary", has_text="farebox").first.click()
    expect(page.get_by_text("Until now allowed")).to_be_visible()


def test_a_policy_tells_what_it_adds_and_a_person_who_decides(open_console: Open) -> None:
    page = open_console("/rulebook/policy/stale-desktops")
    adds = page.get_by_role("region", name="What it adds")
    adds.get_by_role("button", name="Tell what it adds").click()
    expect(adds).to_contain_text("Nobody who is blocked without it gets in. Some people allowed without it are blocked")
    page.goto(page.url.split("#")[0] + "#/rulebook/policy/contractors-on-their-own")
    adds.get_by_role("button", name="Tell what it adds").click()
    expect(adds).to_contain_text("the condition of rule ours")
    page.goto(page.url.split("#")[0] + "#/inventory/people/ines.faro")
    decides = page.get_by_role("region", name="Which policies ever decide")
    decides.get_by_label("for the app").select_option("farebox")
    decides.get_by_role("button", name="Tell").click()
    hidden = decides.locator("[data-decides=hidden-origins]")
    expect(hidden).to_contain_text("blocked")
    hidden.locator("summary").click()
    expect(hidden).to_contain_text("Ines Faro could not open Farebox")
    assert axe_findings(page) == []
    page.goto(page.url.split("#")[0] + "#/inventory/apps/farebox")
    decides.get_by_label("for the person").fill("ines.faro")
    decides.get_by_role("button", name="Tell").click()
    expect(hidden).to_contain_text("blocked")
    page.goto(page.url.split("#")[0] + "#/history?before=1&after=2")
    expect(page.locator("[data-meaning]")).to_contain_text("Some people allowed until now are blocked in manifest")


def test_a_guarantee_is_mended_by_what_is_offered(browser: Browser, mine: Live) -> None:
    page = entered(browser, mine, "/proofs?draft=guests-at-the-berths")
    broken = page.locator("[data-guarantee=guests-have-accepted]")
    broken.get_by_role("button", name=re.compile("Mend it in a draft")).click()
    expect(page).to_have_url(re.compile("drafts/guests-at-the-berths/policies.keeps-guests-have-accepted"))
    page.goto(f"{mine.url}/#/proofs?draft=guests-at-the-berths")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Every guarantee holds")


def test_a_guarantee_is_written_by_form_and_proven_beside_it(browser: Browser, mine: Live) -> None:
    page = entered(browser, mine, "/proofs")
    expect(page.get_by_role("region", name="Guarantees")).to_contain_text("since 20")
    page.get_by_label("A guarantee of your own").fill("Farebox is proven")
    page.get_by_role("button", name="Write it").click()
    expect(page).to_have_url(re.compile("drafts/guarantee-farebox-is-proven/guarantees.farebox-is-proven"))
    page.get_by_label("Title").fill("Farebox never opens with a password alone")
    page.get_by_label("To what", exact=True).last.fill("farebox")
    page.get_by_role("option", name="farebox").first.click()
    page.get_by_label("What the rule does").select_option("require")
    beside = page.get_by_role("complementary", name="What it says and does")
    expect(beside).to_contain_text("opening Farebox, nobody is ever allowed without MFA")
    # One bound alone: the other is not offered beside it.
    expect(page.get_by_label("Never more than")).to_have_count(0)
    expect(beside.locator("[data-proven=fails]")).to_be_visible()
    expect(beside).to_contain_text("could open Farebox")
    page.get_by_role("button", name="As text").click()
    text = page.get_by_role("textbox", name="Text of guarantees.farebox-is-proven")
    expect(text).to_have_value(re.compile("at_least: require mfa"))
    text.fill(text.input_value().replace("require mfa", "require mfa within 12h"))
    expect(beside).to_contain_text("within the last 12 hours")
    assert axe_findings(page) == []


def test_what_does_nothing_is_taken_out_where_it_is_written(browser: Browser, mine: Live) -> None:
    page = entered(browser, mine, "/drafts/guests-at-the-berths/policies.berths-for-guests")
    beside = page.get_by_role("complementary", name="What it says and does")
    beside.locator("[data-idle='berths-for-guests/nobody-else']").get_by_role("button").click()
    expect(page.locator("body")).not_to_contain_text("nobody-else")
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    beside.get_by_role("button", name="Tell what it alone changes").click()
    expect(beside.locator("[data-meaning]")).to_be_visible()
    with mine.client() as client:
        files = client.drafts.get("guests-at-the-berths").files
    assert "nobody-else" not in "".join(file.text for file in files)

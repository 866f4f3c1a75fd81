"""Whom a draft would hit, what they are told, and how strict it can be, in a browser."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import expect
from tests.axe import axe_findings
from tests.conftest import Live
from tests.console.conftest import Open

from caddrel.wire.decisions import File


def test_whom_a_draft_would_hit_is_shown_before_it_is_published(kelpline: Live, open_console: Open) -> None:
    with kelpline.client("author") as author:
        draft = author.drafts.begin("raise-android").info
        text = kelpline.data.rulebooks.need_current().revision.files[0][1]
        stricter = text.replace("os_version is at least 15", "os_version is at least 16")
        author.drafts.save("raise-android", draft.version, [File("kelpline.yaml", stricter)])
    page = open_console("/drafts/raise-android")
    # The last days are replayed by themselves.
    expect(page.get_by_text("people would be stopped who get in today")).to_be_visible()
    page.get_by_role("link", name="Whom it hits").click()
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("people would be stopped who get in today")
    hit = page.get_by_role("region", name="Whom it hits")
    expect(hit.get_by_role("row").nth(1)).to_contain_text("Install the system update to Android 15")
    expect(page.get_by_role("group", name="From outcome to outcome")).to_be_visible()
    assert axe_findings(page) == []
    page.get_by_role("button", name="What to tell them").click()
    told = page.get_by_label("As it is for")
    expect(told.locator("option:checked")).to_have_text(hit.get_by_role("row").nth(1).get_by_role("link").inner_text())
    template = page.get_by_label("What they are told")
    expect(template).to_have_value(re.compile("What you need to do"))
    letter = page.locator("pre")
    expect(letter).to_contain_text("- Install the system update to Android 15")
    template.fill("By Monday, {name}: <b>{needs}</b>")
    # What is plain text is shown as such.
    expect(letter).to_have_text(re.compile(r"^By Monday, .*: <b>- Install"))
    template.fill("Dear {nmae}")
    expect(page.get_by_role("alert")).to_contain_text("a template has no {nmae}")
    template.fill("Dear {name}")
    with page.expect_download() as download:
        page.get_by_role("button", name="All texts, in one file").click()
    text = Path(download.value.path()).read_text(encoding="utf-8")
    assert text.count("Dear ") == hit.get_by_role("row").count() - 1
    assert axe_findings(page) == []
    page.get_by_label("Only where").fill("app.id is post")
    page.get_by_role("button", name="Replay", exact=True).click()
    expect(heading).to_contain_text("Nothing changes")
    page.get_by_label("Only where").fill("app.id is")
    page.get_by_role("button", name="Replay", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("the filter cannot be read")
    with kelpline.client("author") as author:
        author.drafts.discard("raise-android")


def test_a_point_of_a_curve_is_picked_by_keyboard_and_put_into_a_draft(kelpline: Live, open_console: Open) -> None:
    page = open_console("/tighten?limit=standards.crew-tablet.patched&since=2026-11-05")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("As it is, 15, ")
    choices = page.get_by_role("radiogroup", name="Choices").get_by_role("radio")
    current = page.get_by_role("radio", checked=True)
    expect(current).to_have_accessible_name(re.compile("^15: .* as it is$"))
    assert axe_findings(page) == []
    current.press("End")
    current.press("ArrowRight")
    expect(current).to_be_focused()
    while not (current.get_attribute("aria-label") or "").startswith("16: "):
        current.press("ArrowRight")
    expect(choices.last).to_be_focused()
    page.get_by_role("button", name="Begin the draft crew-tablet-16 with it").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("1 object changed")
    assert "/drafts/crew-tablet-16/standards.crew-tablet" in page.url
    # In a draft the limits that it changes come first, and the draft is what is tried.
    page.get_by_role("link", name="How strict?").click()
    expect(page.get_by_label("Limit").locator("option").first).to_contain_text("(changed here)")
    page.get_by_label("Sign-ins since").fill("2026-11-05")
    page.get_by_label("Choices").fill("15, odd")
    page.get_by_role("button", name="Try them").click()
    expect(page.get_by_role("alert")).to_contain_text("`odd` is no version")
    page.get_by_label("Choices").fill("15")
    page.get_by_role("button", name="Try them").click()
    page.get_by_role("radio", name=re.compile("^15: ")).click()
    page.get_by_role("button", name="Put 15 into the draft").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Nothing is changed yet")
    page.close()
    with kelpline.client("author") as author:
        author.drafts.discard("crew-tablet-16")

"""People, groups and devices in a browser: asked, changed and taken in; coverage walked by keyboard; reviews."""

from __future__ import annotations

import csv
import json
import re
from pathlib import Path

from playwright.sync_api import Browser, expect
from tests.axe import axe_findings
from tests.command import run
from tests.conftest import NOW, Live
from tests.console.conftest import Open, entered

from caddrel.store.sources import FetchedFrom


def test_what_somebody_can_open_and_why_not_is_two_clicks_away(open_console: Open) -> None:
    page = open_console("/inventory/people")
    page.keyboard.press("/")
    page.keyboard.type("ines.faro")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_have_text("1 person matches.")
    page.get_by_role("link", name="ines.faro").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("can open 6 of 8 apps")
    opens = page.get_by_role("region", name="What opens")
    expect(opens.get_by_role("row", name="Manifest")).to_contain_text("the device does not pass Crew tablet")
    page.get_by_role("link", name="Why not? Manifest").click()
    expect(page).to_have_url(re.compile("rehearse.*person.id=ines.faro.*app.id=manifest"))


def test_a_list_is_filtered_by_a_condition_that_says_what_is_wrong(open_console: Open) -> None:
    page = open_console("/inventory/devices")
    box = page.get_by_label("Only where this condition holds")
    box.fill("not device passes crew-tablet")
    box.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_have_text("1 device matches.")
    box.fill("person.kind is guest")
    box.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("asks for no fact of devices")
    page.goto(page.url.split("#")[0] + "#/inventory/apps?search=nothing-is-called-that")
    expect(page.get_by_text("None matches.")).to_be_visible()


def test_the_grid_is_walked_by_keyboard_and_a_cell_opens_what_is_behind_it(open_console: Open) -> None:
    page = open_console("/coverage")
    expect(page.get_by_role("heading", level=1)).to_contain_text("with a password alone, and no rule asks for more")
    page.get_by_role("button", name=re.compile("^Everyone at Berthplan")).focus()
    for key in ("ArrowDown", "ArrowRight", "ArrowRight", "Enter"):
        page.keyboard.press(key)
    behind = page.get_by_role("region", name="Behind the cell")
    expect(behind.get_by_role("heading")).to_have_text("Contractors at Enginewatch")
    expect(behind.get_by_text("challenged")).to_be_visible()
    page.get_by_label("Signs in with").select_option("pwd,otp")
    expect(page.get_by_role("heading", level=1)).to_have_text("What 11 audiences can meet at 8 apps.")
    page.get_by_label(re.compile("^Device")).select_option("device passes crew-tablet")
    page.get_by_label("And where").fill("device.mangaed")
    page.get_by_label("And where").press("Tab")
    expect(page.get_by_role("alert").first).to_contain_text("device.mangaed")
    page.get_by_label("And where").fill("")
    page.get_by_label("And where").press("Tab")
    expect(page.get_by_role("alert")).to_have_count(0)
    behind.get_by_role("link", name="A case, as a rehearsal").first.click()
    expect(page.get_by_role("heading", level=1)).not_to_contain_text("…")
    expect(page).to_have_url(re.compile("app.id=enginewatch"))


def test_somebody_leaves_and_comes_back_and_a_membership_is_given(browser: Browser, mine: Live) -> None:
    page = entered(browser, mine, "/inventory/people/odd.rud")
    heading = page.get_by_role("heading", level=1)
    page.get_by_role("button", name="Off: Odd Rud has left").click()
    page.get_by_role("button", name="They have left: end it all").click()
    expect(heading).to_contain_text("Odd Rud has left")
    expect(page.get_by_role("status")).to_contain_text("0 sessions and 0 starter codes ended.")
    page.get_by_role("button", name="Take back").click()
    expect(heading).to_contain_text("can open")
    page.get_by_role("button", name="Change", exact=True).click()
    page.get_by_label("Kind").select_option("contractor")
    # Somebody else is quicker: what they did is not overwritten.
    with mine.client() as operator:
        operator.people.change("odd.rud", {"unit": "/yard"})
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("alert")).to_contain_text("was changed in between")
    page.reload()
    page.get_by_role("button", name="Change", exact=True).click()
    page.get_by_label("Kind").select_option("contractor")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("definition").filter(has_text="contractor")).to_be_visible()
    with mine.client() as operator:
        assert operator.people.get("odd.rud").item.document["unit"] == "/yard"
    page.goto(f"{mine.url}/#/inventory/groups/keyholders")
    who = page.get_by_label("Who")
    who.click()
    who.press_sequentially("odd.rud")
    page.get_by_role("option", name="odd.rud").click()
    joined = page.get_by_role("region", name="If somebody joined")
    expect(joined.get_by_role("listitem").filter(has_text="gangway")).to_contain_text("challenged")
    page.get_by_label("Until").fill("2026-12-24")
    joined.get_by_role("button", name="Make them a member").click()
    row = page.get_by_role("row", name="Odd Rud")
    expect(row).to_contain_text("2026-12-24")
    assert axe_findings(page) == []
    row.get_by_role("button", name="Take out Odd Rud").click()
    expect(row).to_have_count(0)
    page.context.close()


def test_a_file_tells_what_it_would_change_before_it_is_taken_in(browser: Browser, mine: Live, tmp_path: Path) -> None:
    file = tmp_path / "people.csv"
    file.write_text("id,kind\naron.hauge,contractor\nnew.one,employee\n", encoding="utf-8")
    page = entered(browser, mine, "/inventory/people")
    page.get_by_role("button", name="Import").click()
    page.get_by_label("File: CSV, or NDJSON").set_input_files(file)
    page.get_by_role("button", name="What would change?").click()
    expect(page.get_by_text("1 object would be added, 1 changed.")).to_be_visible()
    expect(page.get_by_role("region", name="What turns for whom")).to_contain_text("aron.hauge")
    assert axe_findings(page) == []
    page.get_by_role("button", name="Take it in").click()
    expect(page.get_by_role("status")).to_have_text("1 object added, 1 changed.")
    expect(page.get_by_role("heading", level=1)).to_have_text("125 people.")
    page.get_by_label("What it does").select_option("sync")
    page.get_by_role("button", name="What would change?").click()
    expect(page.get_by_text("people that would go:")).to_be_visible()
    cut = tmp_path / "cut.csv"
    cut.write_text("id,kind\naron.hauge\n", encoding="utf-8")
    page.get_by_label("File: CSV, or NDJSON").set_input_files(cut)
    page.get_by_role("button", name="What would change?").click()
    expect(page.get_by_role("alert")).to_contain_text("is the file cut")
    page.get_by_role("button", name="Add", exact=True).click()
    page.get_by_label("Id", exact=True).fill("another.one")
    page.get_by_label(re.compile("^Kind not")).select_option("guest")
    page.get_by_role("button", name="Add", exact=True).last.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("another.one can open")
    page.context.close()


def test_every_device_that_fails_is_in_the_file_and_only_those_looked_at_are_counted(
    browser: Browser, mine: Live
) -> None:
    old = {"platform": "android", "os_version": "12", "encrypted": True, "tampered": False, "owner": "company"}
    owned = [{"id": f"old-{n:03}", "person": "bruno.krog" if n > 120 else "", **old} for n in range(130)]
    with mine.client("operator") as operator:
        operator.devices.import_(json.dumps(each).encode() + b"\n" for each in owned)
    page = entered(browser, mine, "/failing/crew-tablet")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("of the first 100, ")
    with page.expect_download() as download:
        page.get_by_role("button", name="As CSV").click()
    saved = list(csv.DictReader(Path(download.value.path()).read_text(encoding="utf-8").splitlines()))
    words = ("devices", "failing", "crew-tablet", "--csv")
    assert saved == list(csv.DictReader(run(*words, env=mine.environment()).stdout.splitlines()))
    assert {each["id"] for each in owned} < {row["device"] for row in saved}
    page.get_by_role("button", name="More").click()
    expect(heading).not_to_contain_text("of the first")
    page.context.close()


def test_a_device_on_no_list_is_vetted_where_it_is_seen_and_feeds_stand_beside_one_another(
    browser: Browser, mine: Live
) -> None:
    page = entered(browser, mine, "/unlisted")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("is on no list")
    page.get_by_role("button", name=re.compile("Vet ")).click()
    form = page.get_by_role("form")
    # Whoever alone came from it is offered as whose it is.
    expect(form.get_by_label("The person who uses it")).to_have_value("salka.myhre")
    form.get_by_label("Its id").fill("tab-0117")
    form.get_by_role("button", name="Put it on the list").click()
    expect(form.get_by_role("alert")).to_contain_text("there is a device `tab-0117` already")
    assert axe_findings(page) == []
    form.get_by_label("Its id").fill("tab-9117")
    form.get_by_label("Its id").press("Enter")
    expect(heading).to_contain_text("is listed, or was refused")
    mine.data.sources.put(FetchedFrom("bad-addresses", "lists", "https://lists.kelpline.example/", 60, NOW, "ines"))
    mine.data.sources.hold("bad-addresses", "digest", "held back: it is empty now")
    mine.data.sources.pause("bad-addresses", paused=True)
    page.goto(page.url.split("#")[0] + "#/settings/feeds")
    row = page.get_by_role("row", name=re.compile("bad-addresses"))
    expect(row).to_contain_text("held back: it is empty now")
    assert axe_findings(page) == []
    row.get_by_label("Remove bad-addresses").click()
    row.get_by_role("button", name="Remove it").click()
    expect(row).to_have_count(0)


def test_a_log_of_another_system_is_read_right_before_it_is_taken_in(
    browser: Browser, mine: Live, tmp_path: Path
) -> None:
    log = tmp_path / "Gate Log.csv"
    rows = "".join(f"2{i}.11.2026 09:1{i},INES.FARO,Post,pwd;key,logon\n" for i in range(3))
    log.write_text(f"Event time,Login,System,Steps,Type\n{rows}20.11.2026 09:00,,,,ping\n", encoding="utf-8")
    page = entered(browser, mine, "/take-in")
    heading = page.get_by_role("heading", level=1)
    page.get_by_label("A CSV or NDJSON file").set_input_files(log)
    expect(heading).to_have_text("4 of 4 rows are read.")
    doubts = page.get_by_role("region", name="What is to be looked at")
    expect(doubts).to_contain_text("key is on no list of auth.methods, in 3 rows")
    expect(doubts).to_contain_text("INES.FARO → ines.faro")
    expect(page.get_by_label("What Steps is")).to_have_value("auth.methods")
    words = page.get_by_label("Words of Steps")
    words.fill("key = hvk")
    words.press("Tab")
    expect(page.get_by_role("alert")).to_contain_text("column Steps, key")
    words.fill("key = hwk")
    words.press("Tab")
    expect(doubts).not_to_contain_text("key is on no list")
    passed = page.get_by_label("Rows are passed over where Type is")
    passed.fill("ping")
    passed.press("Tab")
    expect(heading).to_have_text("3 of 3 rows are read, 1 passed over.")
    zone = page.get_by_label("Time zone of stamps")
    zone.fill("Europe/Oslo")
    zone.press("Tab")
    first = page.get_by_role("region", name="The first rows").get_by_role("row").nth(1)
    expect(first).to_contain_text("2026-11-20T08:10:00Z")
    expect(first).to_contain_text("pwd, hwk")
    assert axe_findings(page) == []
    expect(page.get_by_label("Keep how it is read as")).to_have_value("gate-log")
    page.get_by_role("button", name="Take it in").click()
    expect(heading).to_have_text("3 sign-ins taken in.")
    with mine.client("viewer") as viewer:
        assert viewer.mappings.list()["gate-log"].zone == "Europe/Oslo"
        assert len(viewer.signins.list(person="ines.faro", since="2026-11-20", app="post", limit=50).items) >= 3
    page.context.close()


def test_a_sheet_is_reviewed(browser: Browser, mine: Live) -> None:
    page = entered(browser, mine, "/rulebook/policy/abroad")
    page.get_by_role("link", name="Sheet for a reviewer").click()
    expect(page.get_by_text("Nobody has reviewed it yet.")).to_be_visible()
    page.get_by_role("button", name="I have reviewed it").click()
    page.get_by_label("What you saw").fill("As agreed with the <b>fleet</b>")
    page.get_by_role("button", name="Keep the review").click()
    expect(page.get_by_text("As agreed with the <b>fleet</b>")).to_be_visible()
    page.emulate_media(media="print")
    expect(page.get_by_role("navigation")).to_have_count(0)
    expect(page.get_by_text("Reviewed by", exact=True)).to_be_visible()
    page.emulate_media(media="screen")
    page.goto(f"{mine.url}/#/reviews")
    expect(page.get_by_role("row", name=re.compile("Abroad"))).to_contain_text("reviewed as it is")
    page.context.close()

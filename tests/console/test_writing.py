"""Writing a policy in the console: by keyboard alone, as rows and as text, with everything that stands beside it."""

from __future__ import annotations

import time
from datetime import timedelta

import pytest
from playwright.sync_api import Browser, Locator, Page, Route, expect
from tests.axe import OF_THEME, axe_findings
from tests.conftest import NOW, PATIENCE, Live
from tests.console.conftest import entered

from caddrel.demo.fill import anchor, documents
from caddrel.demo.world import build_world
from caddrel.wire.decisions import File


@pytest.fixture
def company(empty: Live) -> Live:
    """Return the Kelpline company with its rulebook, and no log."""
    empty.data.inventory.put(build_world(anchor(NOW)).objects(), NOW - timedelta(days=1))
    with empty.client() as operator:
        operator.rulebook.publish([File("kelpline.yaml", documents()[1])], "the first")
    return empty


_FOCUSED = """([role, name]) => {
  const it = document.activeElement;
  const labels = [...(it.labels ?? [])].map((label) => label.innerText.trim());
  const named = it.getAttribute('aria-label') ?? (labels.length ? labels[0].split('\\n')[0] : it.innerText ?? '');
  return it.matches(role) && named.trim().startsWith(name);
}"""


def _to(page: Page, role: str, name: str, back: bool = False) -> None:
    """Go on with Tab until something of that kind and name has the focus."""
    for _ in range(260):
        page.keyboard.press("Shift+Tab" if back else "Tab")
        if page.evaluate(_FOCUSED, [role, name]):
            return
    raise AssertionError(f"no {role} {name} is reached with Tab")


def _press(page: Page, role: str, name: str, back: bool = False) -> None:
    _to(page, role, name, back)
    page.keyboard.press("Enter")


def _found(page: Page, name: str) -> Locator:
    """Return what a list of finds offers; the rows beside it have options of the same name in their selects."""
    return page.get_by_role("listbox").get_by_role("option", name=name)


def _choose(page: Page, name: str, typed: str, option: str) -> None:
    _to(page, "input", name)
    page.keyboard.type(typed)
    wanted, chosen = _found(page, option).first, page.get_by_role("button", name=f"Take out {option}")
    expect(wanted).to_be_visible()
    # What is found may come anew while somebody goes through it: go on until it is chosen, however long that takes.
    until = time.monotonic() + PATIENCE
    while not chosen.count() and time.monotonic() < until:
        highlighted = wanted.count() and wanted.get_attribute("data-highlighted") is not None
        page.keyboard.press("Enter" if highlighted else "ArrowDown")
        page.wait_for_timeout(20)
    expect(chosen).to_be_visible()


def test_what_is_found_stays_within_reach_of_the_keys_and_can_be_added_again(browser: Browser, company: Live) -> None:
    page = entered(browser, company, "/rulebook")
    _press(page, "button", "Write a policy")
    _to(page, "input", "Apps")
    apps = page.get_by_role("group", name="Apps", exact=True)
    box, out = apps.get_by_role("combobox"), apps.get_by_role("button", name="Take out farebox")
    for _ in range(2):
        page.keyboard.type("f")
        expect(_found(page, "").first).not_to_contain_text("farebox")
        # The one that the keys stand on goes with the next letter.
        page.keyboard.type("a")
        expect(_found(page, "").first).to_contain_text("farebox")
        expect(_found(page, "").first).to_have_attribute("data-highlighted", "")
        page.keyboard.press("Enter")
        expect(out).to_be_visible()
        expect(box).to_have_value("")
        out.click()
        expect(out).to_have_count(0)
        box.focus()


def test_a_newcomer_writes_rehearses_publishes_enforces_and_undoes_by_keyboard(browser: Browser, company: Live) -> None:
    page = entered(browser, company, "/rulebook")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("19 policies")
    _press(page, "button", "Write a policy")
    expect(heading).to_contain_text("Nothing is changed yet")
    _to(page, "input", "Title")
    page.keyboard.type("Contractors need a strong key for Farebox")
    _choose(page, "People", "contractor", "kind:contractor")
    _choose(page, "Apps", "farebox", "farebox")
    _press(page, "button", "Add a rule")
    _to(page, "textarea", "Condition of rule 1")
    page.keyboard.type("not during sh")
    expect(_found(page, "shore-hours")).to_be_visible()
    page.keyboard.press("Enter")
    page.keyboard.type("and not from head-offce")
    beside = page.get_by_label("What it says and does")
    expect(page.get_by_text("there is no place `head-offce` — did you mean `head-office`?")).to_be_visible()
    page.keyboard.press("Backspace")
    page.keyboard.press("Backspace")
    page.keyboard.type("ice")
    # The same as rows: not during shore hours, not from the head office.
    rows = page.get_by_role("group", name="Condition of rule 1, as rows")
    expect(rows.get_by_role("button", name="not", exact=True, pressed=True)).to_have_count(2)
    expect(rows.get_by_label("With what").first).to_have_value("shore-hours")
    _to(page, "select", "What the rule does")
    expect(page.get_by_label("What rule 1 does", exact=True)).to_have_value("require mfa")
    _to(page, "select", "Requirement")
    page.keyboard.type("proof")
    page.keyboard.press("Tab")
    _to(page, "select", "Which one", back=True)
    page.keyboard.type("strong-key")
    expect(page.get_by_label("What rule 1 does", exact=True)).to_have_value("require proof strong-key")
    _to(page, "textarea", "What somebody is told")
    page.keyboard.type("Use your key for {app}, or ask {contact}.")
    expect(beside.locator("[data-sentence]")).to_have_text(
        "Contractors, opening Farebox: needs the proof Strong key when it is outside Shore hours and the attempt does "
        "not come from Head office; else no opinion."
    )
    expect(beside.locator("[data-told]")).to_have_text("Use your key for Farebox, or ask access-help@kelpline.example.")
    expect(beside.locator("[data-covers]")).to_contain_text("9 people and 1 app")
    _press(page, "button", "9 people")
    expect(beside.get_by_role("list", name="Which people it covers").get_by_role("listitem")).to_have_count(9)
    person = beside.get_by_role("list", name="Which people it covers").locator("span").first.inner_text()
    expect(page.locator("[data-saved=true]")).to_be_visible()

    _press(page, "a", "Rehearse it", back=True)
    expect(heading).to_contain_text("What can happen to whom")
    _to(page, "input", "Who")
    page.keyboard.type(person)
    page.keyboard.press("Escape")
    _to(page, "input", "Opens")
    page.keyboard.type("farebox")
    page.keyboard.press("Escape")
    _to(page, "input", "From the address")
    page.keyboard.type("203.0.113.7")
    # What is in shadow decides nothing, so the moment is not among what it turns on.
    _press(page, "button", "Other facts")
    _to(page, "input", "When")
    page.keyboard.type("2026-11-23T23:00:00Z")
    expect(page.get_by_label("Answer")).to_contain_text("contractors")
    _press(page, "a", "Back to the draft", back=True)
    expect(heading).to_contain_text("1 object changed")

    _to(page, "input", "Why, for those who read")
    page.keyboard.type("keys are harder to steal")
    _press(page, "button", "Publish it")
    expect(heading).to_have_text("2 revisions; revision 2 is current.")

    _press(page, "a", "Rulebook")
    expect(heading).to_contain_text("20 policies")
    _press(page, "button", "Modes")
    _to(page, "input", "Choose Contractors need a strong key")
    page.keyboard.press("Space")
    _to(page, "input", "Why, for those who read", back=True)
    page.keyboard.type("a quiet week in shadow")
    page.keyboard.press("Enter")
    expect(heading).to_contain_text("17 enforced")

    _press(page, "a", "History")
    expect(heading).to_have_text("3 revisions; revision 3 is current.")
    _press(page, "button", "Restore revision 1")
    _to(page, "input", "Why")
    page.keyboard.type("not in winter")
    page.keyboard.press("Enter")
    expect(heading).to_have_text("4 revisions; revision 4 is current.")
    with company.client() as operator:
        texts = [operator.rulebook.get(number).files[0].text for number in (1, 2, 3, 4)]
        assert texts[0] == texts[3]
        assert "kind:contractor" in texts[1]
        added = [line for line in texts[2].splitlines() if line not in texts[1].splitlines() or "mode:" in line]
        before = [line for line in texts[1].splitlines() if "mode:" in line]
        assert len(added) == len(before) + 1
        assert added.count("    mode: enforced") == before.count("    mode: enforced") + 1


def test_rows_and_text_follow_each_other_and_changes_are_undone(browser: Browser, company: Live) -> None:
    with company.client("author") as author:
        author.drafts.begin("mine")
    page = entered(browser, company, "/drafts/mine/policies.farebox-at-the-counter")
    text = page.get_by_label("Condition of rule 1", exact=True)
    rows = page.get_by_role("group", name="Condition of rule 1, as rows")
    was = text.input_value()
    text.fill("device.owner is company and (from terminals or not surely device.managed)")
    expect(rows.get_by_label("How the rows go together")).to_have_count(4)
    expect(rows.locator("select[data-subject]").nth(1)).to_have_value("from")
    rows.locator("select[data-subject]").first.select_option("network.country")
    expect(rows.get_by_label("How it is compared").first).to_have_value("is")
    expect(text).to_have_value("device.owner is company and (from terminals or not surely device.managed)")
    rows.get_by_label("With what").first.fill("NO")
    expect(text).to_have_value("network.country is NO and (from terminals or not surely device.managed)")
    rows.get_by_label("How it is compared").first.select_option("is one of")
    rows.get_by_label("With what").first.fill("NO, IS")
    expect(text).to_have_value("network.country is one of [NO, IS] and (from terminals or not surely device.managed)")
    rows.get_by_role("button", name="Add a row").click()
    expect(rows.get_by_role("status")).to_have_text("The new row is not complete yet.")
    rows.get_by_role("button", name="Take out row 3").click()
    rows.get_by_role("button", name="not", exact=True).first.click()
    expect(text).to_have_value(
        "not network.country is one of [NO, IS] and (from terminals or not surely device.managed)"
    )
    text.fill("network.country is NO # home")
    expect(page.get_by_text("The text has a comment, which rows would lose")).to_be_visible()
    text.fill("network.country is NOO")
    expect(page.locator("span.decoration-wavy")).to_have_text("NOO")
    text.fill("")
    expect(page.locator("[data-saved=true]")).to_be_visible()
    while page.get_by_role("button", name="Undo").is_enabled():
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="Redo")).to_be_enabled()
    expect(page.get_by_label("Condition of rule 1", exact=True)).to_have_value(was)
    expect(page.get_by_role("heading", level=1)).to_contain_text("Nothing is changed yet")
    # Rules are moved with the keyboard.
    handle = page.get_by_role("button", name="Rule 1: Alt with an arrow moves it")
    handle.focus()
    page.keyboard.press("Alt+ArrowDown")
    expect(page.get_by_label("Condition of rule 2", exact=True)).to_have_value(was)
    # And back by mouse; the page must not scroll on the way.
    page.set_viewport_size({"width": 1280, "height": 2400})
    page.get_by_role("button", name="Rule 2: Alt with an arrow moves it").drag_to(
        page.get_by_role("button", name="Rule 1: Alt with an arrow moves it")
    )
    expect(page.get_by_label("Condition of rule 1", exact=True)).to_have_value(was)
    page.get_by_role("button", name="Move rule 1 down").click()
    expect(page.get_by_label("Condition of rule 2", exact=True)).to_have_value(was)
    # A week's hours, too.
    page.goto(f"{company.url}/#/drafts/mine/schedules.shore-hours")
    cell = page.get_by_role("gridcell", name="Monday 08:00 open")
    cell.focus()
    page.keyboard.press("Space")
    expect(page.get_by_label("Hours of mon", exact=True)).to_have_value("05:30-08:00, 08:30-21:30")
    page.get_by_role("link", name="office-second-factor").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("2 objects changed")


def test_a_place_is_made_of_countries_by_name_and_asked_about_an_address(browser: Browser, company: Live) -> None:
    with company.client("author") as author:
        author.drafts.begin("mine")
    page = entered(browser, company, "/drafts/mine")
    page.get_by_label("Kind of the new object").select_option("places")
    page.get_by_label("Add an object").fill("Northern ports")
    page.keyboard.press("Enter")
    page.get_by_label("Add to countries by name").first.select_option(label="Norway")
    page.get_by_label("Networks", exact=True).first.fill("192.0.2.0/26, 300.0.2.0/24")
    expect(page.get_by_text("300.0.2.0/24").last).to_be_visible()
    expect(page.get_by_label("Networks", exact=True).first).to_have_attribute("aria-invalid", "true")
    page.get_by_label("Networks", exact=True).first.fill("192.0.2.0/26")
    expect(page.get_by_label("Networks", exact=True).first).to_have_attribute("aria-invalid", "false")
    expect(page.get_by_label("What it says and does")).to_contain_text("Nothing uses it yet.")
    page.get_by_label("Is this address in it?").fill("192.0.2.7")
    page.keyboard.press("Enter")
    expect(page.get_by_text("192.0.2.7 is in it")).to_be_visible()
    page.get_by_label("Is this address in it?").fill("nowhere")
    page.keyboard.press("Enter")
    expect(page.get_by_text("such as 192.0.2.7")).to_be_visible()
    with company.client() as operator:
        value = operator.drafts.look("mine", "places.northern-ports").value
        assert value == {"title": "Northern ports", "countries": ["NO"], "networks": ["192.0.2.0/26"]}


def test_a_plan_is_made_and_taken_back_and_a_draft_runs_in_shadow(browser: Browser, company: Live) -> None:
    with company.client("author") as author:
        author.drafts.begin("mine")
        author.drafts.put_value("mine", 1, "policies.abroad", {"rules": [{"then": "block"}]})
    page = entered(browser, company, "/drafts/mine")
    page.get_by_label("Why, for those who read").fill("the harbour closes")
    page.get_by_label("When, in UTC").fill("2026-12-01T06:00:00Z")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_text("To be published at 2026-12-01 06:00 UTC")).to_be_visible()
    assert axe_findings(page) == []
    page.get_by_role("button", name="Take the plan back").click()
    expect(page.get_by_role("button", name="Plan it")).to_be_visible()
    page.get_by_role("button", name="Run it in shadow").click()
    expect(page.get_by_text("There was no live decision yet.")).to_be_visible()
    expect(page.get_by_text("The mate opens the manifest on a patched tablet")).to_be_visible()
    assert axe_findings(page) == []
    page.get_by_role("link", name="Rehearse it").click()
    page.get_by_label("person.id").fill("ines.faro")
    page.get_by_role("button", name="Other facts").click()
    keep = page.get_by_label("Keep it in the draft")
    expect(page.locator("label").filter(has=keep)).to_contain_text("exactly allowed or challenged or blocked")
    held: list[Route] = []

    def hold(route: Route) -> None:
        held.append(route)

    page.route("**/api/v1/rehearse", hold)
    page.get_by_label("auth.methods").fill("pwd:5m, otp")
    keep.fill("The mate, abroad")
    page.keyboard.press("Enter")
    while not held:
        page.wait_for_timeout(20)
    expect(page.get_by_text("Kept as the-mate-abroad.")).to_be_hidden()
    held[-1].continue_()
    page.unroute("**/api/v1/rehearse")
    # What was read is no longer what comes of it: facts are never kept with the outcome of others.
    expect(page.get_by_text("it would now have to be exactly allowed or blocked")).to_be_visible()
    page.get_by_label("auth.methods").fill("pwd:6m, otp")
    keep.press("Enter")
    expect(page.get_by_text("Kept as the-mate-abroad.")).to_be_visible()
    with company.client() as operator:
        kept = operator.rulebook.check(draft="mine").rehearsals[-1]
        # What is open is kept with all that must be possible.
        assert (kept.title, kept.ok, kept.expect) == ("The mate, abroad", True, kept.outcome)
        assert "blocked" in kept.expect.split(" or ")
    page.get_by_role("link", name="History").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Revision 1 as a file").click()
    assert download.value.path().read_text(encoding="utf-8") == documents()[1]
    page.get_by_role("link", name="Rulebook").click()
    page.get_by_role("button", name="Modes").click()
    page.get_by_label("Choose Abroad, a fresh second factor").check()
    assert axe_findings(page) == []


KINDS = [
    "places.terminals", "standards.crew-tablet", "schedules.shore-hours", "proofs.strong-key", "notices.passenger-data",
    "signals.too-fast", "password-standards.deck-terminal", "settings", "rehearsals.mate-on-her-tablet", "apps.gangway",
]  # fmt: skip


def test_every_kind_of_object_has_a_form_that_axe_finds_nothing_on(browser: Browser, company: Live) -> None:
    with company.client("author") as author:
        author.drafts.begin("mine")
        paths = {each.path for each in author.drafts.get("mine").objects}
    page = entered(browser, company, "/drafts/mine")
    for path in KINDS:
        wanted = path if path in paths else next(p for p in sorted(paths) if p.startswith(path.split(".")[0]))
        page.goto(f"{company.url}/#/drafts/mine/{wanted}")
        expect(page.get_by_role("heading", level=2, name=wanted, exact=True).last).to_be_visible()
        expect(page.get_by_role("button", name="As text")).to_be_visible()
        page.wait_for_load_state("networkidle")
        assert (wanted, axe_findings(page)) == (wanted, [])
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), wanted
        # Dark and narrow, what that can change.
        page.emulate_media(color_scheme="dark")
        page.set_viewport_size({"width": 600, "height": 800})
        assert (wanted, axe_findings(page, OF_THEME)) == (wanted, [])
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), wanted
        page.emulate_media(color_scheme="light")
        page.set_viewport_size({"width": 1280, "height": 800})

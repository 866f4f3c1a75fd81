"""The console in a real browser: the walk from a block to its mending, keyboard, and accessibility."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, timedelta

import pytest
from playwright.sync_api import Browser, Page, expect
from tests.axe import OF_THEME, axe_findings
from tests.conftest import PATIENCE, Live
from tests.console.conftest import Open

from caddrel import wiring
from caddrel.client import Caddrel
from caddrel.service.auth.tokens import make_token
from caddrel.wire import authzen
from caddrel.wire.decisions import File


def test_from_the_mates_call_to_the_mended_tablet(open_console: Open) -> None:
    page = open_console()
    page.get_by_role("link", name="Sign-ins").first.click()
    search = page.get_by_role("searchbox", name="A person's id, or a reference")
    search.fill("ines.faro")
    search.press("Enter")
    page.get_by_role("button", name="blocked", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("blocked.")
    assert "person=ines.faro" in page.url
    assert "outcome=blocked" in page.url
    rows = page.get_by_role("row").filter(has_text="manifest").filter(has_text="07:10")
    rows.first.get_by_role("link", name="Trace").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Ines Faro may not open Manifest")
    expect(page.get_by_text("Install the system update to Android 15").first).to_be_visible()
    page.get_by_role("link", name="Rehearse it with changes").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("may not open")
    page.get_by_label("device.os_version").fill("15")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Ines Faro may open Manifest")
    assert "device.os_version=15" in page.url
    page.reload()
    expect(page.get_by_label("device.os_version")).to_have_value("15")


def test_a_wrong_fact_is_told_at_its_field(kelpline: Live, open_console: Open) -> None:
    page = open_console("/rehearse?person.id=ines.faro")
    context = page.context
    bare = context.new_page()
    bare.goto(f"{kelpline.url}/#/rehearse?person.id=ines.farro&network.ip=nowhere")
    expect(bare.get_by_text("did you mean `ines.faro`?").first).to_be_visible()
    expect(bare.get_by_label("network.ip")).to_have_attribute("aria-invalid", "true")
    bare.get_by_label("network.ip").fill("192.0.2.7")
    expect(bare.get_by_label("network.ip")).to_have_attribute("aria-invalid", "false")


def test_people_are_found_by_typing(open_console: Open) -> None:
    page = open_console("/rehearse")
    box = page.get_by_label("person.id")
    box.click()
    box.press_sequentially("halv", delay=30)
    page.get_by_role("option", name="halvard.tind").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Halvard Tind")
    page.get_by_role("button", name="Start over").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("What can happen to whom, at which app?")
    page.get_by_role("link", name="The mate opens the manifest").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Manifest")


def test_a_path_of_the_tree_is_followed_to_an_end_that_opens_as_a_rehearsal(open_console: Open) -> None:
    page = open_console("/rehearse?person.id=ines.faro&app.id=manifest")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("Ines Faro gets into Manifest after MFA if")
    drawn = page.get_by_role("region", name="The cases, drawn")
    drawn.get_by_role("button", name="no device passes crew-tablet?").press("Enter")
    answer = page.get_by_label("Answer")
    expect(answer).to_contain_text("The attempt does not come from Hidden networks")
    expect(answer).to_contain_text("challenged or blocked are still possible")
    drawn.get_by_role("button", name="yes challenged").click()
    expect(answer).to_contain_text("The device passes Crew tablet")
    answer.get_by_role("link", name="Rehearse this case").click()
    expect(heading).to_contain_text("Ines Faro may open Manifest after MFA")
    assert "network.ip=" in page.url


def test_everything_by_keyboard(open_console: Open) -> None:
    page = open_console()
    expect(page.get_by_role("heading", level=1)).to_contain_text("19 policies")
    page.keyboard.press("j")
    page.keyboard.press("j")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Suspicious attempts")
    page.keyboard.press("Control+k")
    expect(page.get_by_role("option", name="Crew tablet")).to_have_count(1)
    page.keyboard.type("crew tab")
    expect(page.get_by_role("option", name="Crew tablet")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Crew tablet")
    page.keyboard.press("Control+k")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()
    page.goto(page.url.split("#")[0] + "#/signins")
    expect(page.get_by_role("heading", level=1)).to_contain_text("sign-ins")
    page.keyboard.press("/")
    page.keyboard.type("s-000001")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Trace · s-000001")).to_be_visible()


def test_from_a_cause_to_the_trace_and_what_would_have_helped(open_console: Open) -> None:
    page = open_console("/causes?since=7d")
    expect(page.get_by_role("heading", level=1)).to_contain_text("causes of")
    page.get_by_role("button", name="blocked").click()
    cause = page.get_by_role("list", name="Causes").get_by_role("listitem").filter(has_text="below-standard")
    expect(cause).to_contain_text("→ 1 device misses “System is patched” of Crew tablet")
    cause.get_by_role("link", name="sign-ins").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("9 sign-ins: blocked.")
    page.locator("[data-row]").first.click()
    helped = page.get_by_role("listitem").filter(has_text="the person, later")
    expect(helped.first).to_contain_text("Allowed, had Ines Faro updated the device's system to 15")
    expect(page.get_by_role("heading", name="Before and after")).to_be_visible()


def test_a_condition_is_completed_as_one_types(open_console: Open) -> None:
    page = open_console("/signins")
    box = page.get_by_label("Only where this condition holds")
    box.click()
    box.press_sequentially("outc", delay=30)
    page.get_by_role("option", name="outcome").click()
    box.press_sequentially("is blo", delay=30)
    expect(page.get_by_role("option", name="blocked")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Tab")
    box.press_sequentially("and person.groups has terminal-staff", delay=5)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Filter").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("blocked.")
    assert "where=outcome+is+blocked" in page.url
    page.get_by_role("button", name="Clear").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("allowed")


def test_days_are_brushed_and_columns_chosen(open_console: Open) -> None:
    page = open_console("/signins")
    chart = page.get_by_role("group", name="Sign-ins by day")
    expect(page.get_by_role("heading", level=1)).to_contain_text("22,195 sign-ins")
    box = chart.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.55, box["y"] + 20, steps=5)
    page.mouse.up()
    expect(chart.get_by_role("link")).to_have_count(9)
    assert "since=2026-" in page.url
    # By keyboard the dates do the same, and a day is a link.
    last = page.get_by_label("Last day")
    last.fill((date.fromisoformat(last.input_value()) - timedelta(days=3)).isoformat())
    last.blur()
    expect(chart.get_by_role("link")).to_have_count(6)
    chart.get_by_role("link").nth(2).press("Enter")
    expect(chart.get_by_role("link")).to_have_count(1)
    page.get_by_text("Columns", exact=True).press("Enter")
    page.get_by_role("checkbox", name="Reference").press("Space")
    page.get_by_role("checkbox", name="From").press("Space")
    page.keyboard.press("Escape")
    expect(page.get_by_role("group", name="Columns")).to_be_hidden()
    titles = ["Time (UTC)", "Outcome", "Person", "App", "Country", "Device", "Decided by", "Reference"]
    expect(page.get_by_role("columnheader")).to_have_text(titles)
    # A link for a colleague has them too; clicking a value keeps them.
    page.get_by_role("row").nth(1).get_by_role("cell").nth(3).get_by_role("link").click()
    expect(page.get_by_role("button", name=re.compile("Take away app"))).to_be_visible()
    assert "columns=person%2Capp%2Ccountry%2Cdevice%2Cdecided%2Creference" in page.url
    expect(page.get_by_role("columnheader")).to_have_text(titles)


def test_who_is_in_can_be_ended(browser: Browser, empty: Live) -> None:
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", "caddrel: 1\n")], "nothing is asked for")
        operator.apps.import_([b'{"id": "post"}'])
    token = make_token(empty.data, "gangway", "door", 30, "tests")[1]
    asked = authzen.Evaluation(
        authzen.Entity("person", "ines.faro"), authzen.Action("sign-in"), authzen.Entity("app", "post")
    )
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    with Caddrel(empty.url, token) as door:
        assert door.access.evaluate(asked).decision
        page.goto(f"{empty.url}/#/enter?code={wiring.way_in(empty.data)}")
        page.get_by_role("link", name="Sessions").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("1 person in")
        expect(page.get_by_role("row").nth(1)).to_contain_text("gangway")
        assert axe_findings(page) == []
        page.get_by_role("button", name="End the session of ines.faro").press("Enter")
        page.get_by_role("button", name="End it").press("Enter")
        expect(page.get_by_role("heading", level=1)).to_contain_text("Nobody is in")
    page.context.close()


def test_pages_of_nothing_say_so_and_what_to_do(open_console: Open) -> None:
    page = open_console("/signins?person=ines.faro&country=GB")
    expect(page.get_by_role("heading", level=1)).to_contain_text("No sign-in matches")
    page.get_by_role("button", name="Take away country GB").click()
    page.get_by_role("button", name="Take away person ines.faro").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("sign-ins:")
    page.get_by_role("button", name="Show older").click()
    expect(page.get_by_text("100 of")).to_be_visible()
    page.goto(page.url.split("#")[0] + "#/no/such/page")
    expect(page.get_by_role("heading", level=1)).to_contain_text("no page")
    page.goto(page.url.split("#")[0] + "#/rulebook/place/atlantis")
    expect(page.get_by_role("heading", level=1)).to_contain_text("atlantis")


def test_text_of_users_is_never_markup(open_console: Open) -> None:
    page = open_console("/signins?cause=%3Cimg%20src%3Dx%20onerror%3Dalert(1)%3E")
    expect(page.get_by_text("<img src=x onerror=alert(1)>").first).to_be_visible()


PAGES = {
    "watch": "/watch",
    "beside": "/beside?left=person.id%3Dines.faro%26app.id%3Dpost&right=person.id%3Dbruno.krog%26app.id%3Dpost",
    "first device": "/first-device?person.id=ines.faro&app.id=manifest",
    "rulebook": "/rulebook",
    "policy": "/rulebook/policy/farebox-at-the-counter",
    "part": "/rulebook/place/terminals",
    "rehearse": "/rehearse?person.id=ines.faro&app.id=manifest&device.id=tab-0117",
    "signins": "/signins?outcome=blocked",
    "trace": "/signins/s-000400",
    "causes": "/causes?since=7d",
    "sessions": "/sessions",
    "tokens": "/settings/tokens",
    "starter codes": "/settings/starter-codes",
    "acceptances": "/settings/acceptances",
    "audit": "/settings/audit",
    "drafts": "/drafts",
    "draft": "/drafts/looked-at",
    "object": "/drafts/looked-at/policies.abroad",
    "history": "/history?before=1&after=2",
    "wrong filter": "/signins?where=outcome%20is%20bloked",
    "coverage": "/coverage?audience=group:deck-crew&app=manifest&against=looked-at",
    "people": "/inventory/people?search=faro",
    "person": "/inventory/people/ines.faro",
    "device": "/inventory/devices/tab-0117",
    "app": "/inventory/apps/manifest",
    "group": "/inventory/groups/deck-crew",
    "address list": "/inventory/lists/bad-addresses",
    "failing": "/failing/crew-tablet",
    "sheet": "/rulebook/policy/farebox-at-the-counter/sheet",
    "sheets": "/sheets",
    "reviews": "/reviews",
}


@pytest.fixture
def looked_at(kelpline: Live) -> None:
    """A draft to look at; it changes nothing that other tests read."""
    with kelpline.client("author") as author:
        if "looked-at" not in {draft.name for draft in author.drafts.all()}:
            author.drafts.begin("looked-at")
            author.drafts.put_object("looked-at", 1, "proofs.key", "key:\n  any_of: [[hwk]]\n")


@pytest.mark.usefixtures("looked_at")
@pytest.mark.parametrize("name", PAGES)
def test_axe_finds_nothing_light_or_dark_and_narrow_pages_do_not_scroll_sideways(
    look_at: Callable[[str], Page], name: str
) -> None:
    page = look_at(PAGES[name])
    expect(page.get_by_role("heading", level=1)).not_to_contain_text("…")
    for trigger in page.get_by_role("button", name="had nothing to say").all():
        trigger.click()
    assert axe_findings(page) == []
    filter_box = page.get_by_label("Only where this condition holds")
    if filter_box.count():
        filter_box.fill("person.k" if "/inventory" in PAGES[name] else "network.c")
        expect(page.get_by_role("option").first).to_be_visible()
        assert axe_findings(page) == []
    page.emulate_media(color_scheme="dark")
    expect(page.locator("html")).to_have_attribute("data-theme", "dark")
    assert axe_findings(page, OF_THEME) == []
    page.set_viewport_size({"width": 600, "height": 800})
    assert page.evaluate("document.documentElement.scrollWidth") <= 600


def test_axe_finds_nothing_while_the_palette_is_open(open_console: Open) -> None:
    page = open_console("/rulebook")
    expect(page.locator("[aria-busy=true]")).to_have_count(0)
    page.keyboard.press("Control+k")
    expect(page.get_by_role("dialog")).to_be_visible()
    assert axe_findings(page) == []
    page.emulate_media(color_scheme="dark")
    expect(page.locator("html")).to_have_attribute("data-theme", "dark")
    assert axe_findings(page, OF_THEME) == []


def _operated(browser: Browser, live: Live, path: str) -> Page:
    page = browser.new_context(reduced_motion="reduce", viewport={"width": 1280, "height": 800}).new_page()
    page.set_default_timeout(PATIENCE * 1000)
    page.goto(f"{live.url}/#/enter?code={wiring.way_in(live.data)}")
    page.wait_for_selector("nav")
    page.goto(f"{live.url}/#{path}")
    return page


def test_a_token_is_made_shown_once_and_revoked(browser: Browser, empty: Live) -> None:
    page = _operated(browser, empty, "/settings")
    page.get_by_role("button", name="Make a token").click()
    page.get_by_role("textbox", name="Name").fill("front-door")
    page.get_by_label("Facts that it may report").fill("network, auth.method")
    page.get_by_role("button", name="Make the token").click()
    expect(page.get_by_role("alert")).to_contain_text("auth.method")
    page.get_by_label("Facts that it may report").fill("network, auth.methods")
    page.get_by_role("button", name="Make the token").click()
    shown = page.get_by_role("status")
    expect(shown).to_contain_text("It is not shown again.")
    token = re.search(r"cad_\w+[\w-]*", shown.inner_text())
    assert token is not None
    row = page.get_by_role("row").filter(has_text="front-door")
    expect(row).to_contain_text("network, auth.methods")
    with empty.http(token.group()) as door:
        assert door.post("/access/v1/evaluation", json={}).status_code != 401
    page.get_by_role("button", name="Put away").click()
    expect(page.get_by_text(token.group())).to_have_count(0)
    page.get_by_role("button", name="Revoke the token front-door").click()
    page.get_by_role("button", name="Revoke it").click()
    expect(row).to_have_count(0)
    with empty.http(token.group()) as door:
        assert door.post("/access/v1/evaluation", json={}).status_code == 401
    page.get_by_role("button", name="Revoked and expired too").click()
    expect(row).to_contain_text("revoked")


def test_a_starter_code_is_issued_and_found_used(browser: Browser, empty: Live) -> None:
    with empty.client() as operator:
        operator.people.import_([b'{"id": "salka", "title": "Salka", "groups": [], "factors": ["password"]}'])
        operator.rulebook.publish([File("r.yaml", STARTER)], "the first")
        operator.apps.import_([b'{"id": "library"}'])
    page = _operated(browser, empty, "/settings/starter-codes")
    expect(page.get_by_role("heading", level=1)).to_have_text("No starter code has been issued.")
    page.get_by_role("button", name="Issue a code").click()
    expect(page.get_by_role("alert")).to_contain_text("there is no person")
    page.get_by_label("For whom").fill("salka")
    page.get_by_role("option", name="salka").click()
    page.get_by_label("For", exact=True).select_option("8h")
    page.get_by_role("button", name="Issue a code").click()
    expect(page.get_by_role("status")).to_contain_text("good until 2026-11-23 17:00 UTC, once")
    code = re.search(r"(\w{4}-){3}\w{4}", page.get_by_role("status").inner_text())
    assert code is not None
    asked = (authzen.Entity("person", "salka"), authzen.Action("enrol-device"), authzen.Entity("app", "library"))
    with Caddrel(empty.url, make_token(empty.data, "front", "door", 30, "tests")[1]) as door:
        told = {"auth.methods": {"pwd": 1}, "starter_code": code.group()}
        assert door.access.evaluate(authzen.Evaluation(*asked, told)).decision
    page.reload()
    expect(page.get_by_role("row").filter(has_text="salka")).to_contain_text("used 2026-11-23 09:00")


STARTER = """
caddrel: 1
proofs: {starter: {any_of: [[starter-code]]}}
notices: {rules: {title: House rules, version: 2, text: Behave.}}
policies:
  enrolment: {mode: enforced, operations: [enrol-device], rules: [{id: starter, then: require proof starter}]}
  house: {mode: enforced, apps: [library], rules: [{id: rules, then: require notice rules}]}
"""


def test_sign_ins_arrive_while_somebody_looks(browser: Browser, empty: Live) -> None:
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", STARTER)], "the first")
        operator.people.import_([b'{"id": "salka", "groups": [], "factors": ["password"]}'])
        operator.apps.import_([b'{"id": "library"}'])
    page = _operated(browser, empty, "/signins")
    page.get_by_role("button", name="Live").click()
    asked = (authzen.Entity("person", "salka"), authzen.Action("sign-in"), authzen.Entity("app", "library"))
    with Caddrel(empty.url, make_token(empty.data, "front", "door", 30, "tests")[1]) as door:
        door.access.evaluate(authzen.Evaluation(*asked, {"auth.methods": {"pwd": 1}}))
        expect(page.get_by_role("row").filter(has_text="salka")).to_have_count(1)
        expect(page.get_by_role("heading", level=1)).to_contain_text("1 sign-in")
        told = {"auth.methods": {"pwd": 1}, "accepted": [{"notice": "rules", "version": 2}]}
        assert door.access.evaluate(authzen.Evaluation(*asked, told)).decision
        expect(page.get_by_role("row").filter(has_text="salka")).to_have_count(2)
        expect(page.get_by_role("row").filter(has_text="allowed")).to_have_count(1)
    page.get_by_role("link", name="Settings").click()
    page.get_by_role("link", name="Acceptances").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("1 acceptance of notices.")
    with page.expect_download() as download:
        page.get_by_role("link", name="All as CSV").click()
    text = download.value.path().read_text(encoding="utf-8")
    assert text.splitlines()[1].startswith("salka,rules,2,2026-11-23T09:00:00Z,front,")


CLOSED = """
caddrel: 1
settings: {keyholders: [group:keepers]}
apps:
  tower: {stance: closed}
policies:
  in:
    title: Keyholders get in
    mode: enforced
    people: [group:keepers]
    apps: [tower]
    rules: [{id: in, then: require mfa}]
"""


def test_a_policy_is_written_by_keyboard_checked_published_and_taken_back(browser: Browser, empty: Live) -> None:
    with empty.client() as operator:
        operator.groups.import_([b'{"id": "keepers"}'])
        operator.apps.import_(
            [b'{"id": "tower", "title": "Tower", "labels": ["administration"]}', b"\n", b'{"id": "post"}']
        )
        key = b'{"id": "key", "title": "The keyholder", "groups": ["keepers"], "factors": ["password", "push"]}'
        operator.people.import_([key])
        operator.rulebook.publish([File("r.yaml", CLOSED)], "the first")
    page = _operated(browser, empty, "/drafts")
    page.get_by_label("A new draft").fill("post-needs-mfa")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Nothing is changed yet")
    page.get_by_label("Add an object").fill("Post needs MFA")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="As text").click()
    editor = page.get_by_label("Text of policies.post-needs-mfa")
    expect(editor).to_have_value("post-needs-mfa:\n  ")
    editor.press("Control+End")
    page.keyboard.insert_text("mode: enforced\n  apps: [post]\n  rules: [{id: mfa, then: require mfaa}]")
    expect(page.get_by_role("heading", level=1)).to_contain_text("1 error to mend")
    beside = page.get_by_label("What it says and does")
    expect(beside).to_contain_text("mfaa")
    for _ in range(3):
        page.keyboard.press("Backspace")
    page.keyboard.insert_text("a}]")
    page.keyboard.press("Control+s")
    editor.fill(editor.input_value().replace("mfaa", "mfa"))
    expect(page.get_by_role("heading", level=1)).to_contain_text(re.compile(r"1 object changed, \d warnings"))
    expect(page.get_by_text("Everyone, opening")).to_be_visible()
    expect(page.locator("[data-saved=true]")).to_be_visible()
    # Somebody else saves in between: what was typed stays, and both are shown.
    with empty.client("author") as other:
        seen = other.drafts.get("post-needs-mfa").info.version
        other.drafts.put_object("post-needs-mfa", seen, "policies.in", None)
    editor.fill(editor.input_value().replace("then: require mfa", "then: require mfa within 1h"))
    expect(page.get_by_role("alert")).to_contain_text("token test author saved this draft in between")
    expect(editor).to_have_value(re.compile("within 1h"))
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(editor).to_have_value(re.compile("within 1h"))
    editor.press("Control+s")
    expect(page.locator("[data-saved=true]")).to_be_visible()
    # The other's change would lock the keyholder out: refused, with the reason, until it is put back.
    page.get_by_role("link", name="What it changes, and publishing").click()
    expect(page.get_by_role("region", name="Text of Keyholders get in")).to_contain_text("require mfa")
    page.get_by_label("Why, for those who read").fill("mail needs a second factor")
    page.get_by_role("button", name="Publish it").click()
    expect(page.get_by_role("alert")).to_contain_text("The keyholder could not open Tower any more")
    page.get_by_role("link", name="in changed").click()
    page.get_by_role("button", name="Put back as it was").click()
    expect(page.get_by_label("Title", exact=True).first).to_have_value("Keyholders get in")
    page.get_by_role("link", name="What it changes, and publishing").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(re.compile(r"1 object changed, \d warnings"))
    page.get_by_label("Why, for those who read").fill("mail needs a second factor")
    page.get_by_role("button", name="Publish it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("2 revisions; revision 2 is current.")
    page.get_by_role("link", name="with 1").click()
    expect(page.get_by_role("region", name="Text of post-needs-mfa")).to_contain_text("put in: + rules")
    page.get_by_role("button", name="Restore revision 1").click()
    page.get_by_label("Why", exact=True).fill("not yet")
    page.get_by_role("button", name="Restore it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("3 revisions; revision 3 is current.")
    page.goto(f"{empty.url}/#/settings/audit?search=lockout")
    expect(page.get_by_role("row").filter(has_text="refused: lockout-risk")).to_have_count(1)
    page.get_by_role("button", name="Prove it whole").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("The audit trail is whole")


def test_a_table_of_two_facts_is_shown_and_a_cell_opens(open_console: Open) -> None:
    page = open_console("/rehearse?person.id=ines.faro&app.id=manifest")
    page.get_by_text("A table of two facts").click()
    page.get_by_label("Across", exact=True).select_option("device.owner")
    page.get_by_label("Down", exact=True).select_option("network.anonymiser")
    page.get_by_role("button", name="Show the table").click()
    table = page.get_by_role("region", name="The table")
    expect(table.get_by_role("row")).to_have_count(6)
    assert axe_findings(page) == []
    table.get_by_role("row").filter(has_text="tor").get_by_role("link").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(
        "does not get into Manifest, whatever else is so: “Nobody comes in through a hidden network” blocks it."
    )
    assert "network.anonymiser=tor" in page.url


def test_facts_are_chosen_from_what_there_is(open_console: Open) -> None:
    page = open_console("/rehearse?person.id=ines.faro&app.id=post")
    page.get_by_role("button", name="Other facts").click()
    country = page.get_by_label("network.country")
    country.fill("icel")
    page.get_by_role("option", name="Iceland").click()
    expect(country).to_have_value("IS")
    place = page.get_by_label("From a place")
    place.select_option("Head office")
    expect(page.get_by_label("network.ip")).to_have_value("192.0.2.1")
    page.get_by_label("Zone").select_option("UTC")
    page.get_by_label("On the next").select_option("Sunday")
    page.get_by_label("At", exact=True).fill("03:00")
    expect(page.get_by_label("time.at")).to_have_value(re.compile(r"T03:00:00Z$"))
    page.get_by_text("by the factor used").click()
    # The answer may move fields to what it turns on: only then does the next one stand where it stays.
    with page.expect_response(lambda answer: "otp:4h" in (answer.request.post_data or "")):
        page.get_by_label("the authenticator app").select_option("4 hours ago")
    expect(page.get_by_label("auth.methods")).to_have_value("otp:4h")
    # Her own devices come first.
    page.get_by_label("device.id").click()
    expect(page.locator("[data-combobox-item]").first).to_contain_text("tab-0117")
    page.keyboard.press("Escape")
    page.get_by_role("checkbox", name="Impossible trip").check()
    expect(page).to_have_url(re.compile("signals=too-fast"))


def test_who_it_is_and_the_policies_in_order(open_console: Open) -> None:
    page = open_console("/rehearse?person.id=salka.myhre&app.id=post")
    answer = page.get_by_label("Answer")
    expect(answer).to_contain_text("Everybody at Kelpline, through Deck crew, Crew")
    expect(answer).to_contain_text("has no factor for it")
    answer.get_by_role("radio", name="In the order of the sign-in").click()
    expect(answer.get_by_role("heading", name="Before the credentials")).to_be_visible()
    answer.get_by_role("radio", name="As a list").click()
    expect(answer.get_by_role("row").filter(has_text="Old mail clients stay outside")).to_contain_text("decides")
    assert axe_findings(page) == []


def test_two_rehearsals_stand_side_by_side(open_console: Open) -> None:
    page = open_console("/rehearse?person.id=ines.faro&app.id=manifest")
    page.get_by_role("link", name="Beside another").click()
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("Nothing differs.")
    that = page.get_by_label("That", exact=True)
    that.get_by_label("person.id").fill("bruno.krog")
    page.get_by_role("option", name="bruno.krog").click()
    expect(heading).to_contain_text("policies differ")
    expect(that).to_contain_text("Bruno Krog gets into Manifest")
    expect(page.get_by_role("row").filter(has_text="person.kind")).to_contain_text("contractor")
    assert axe_findings(page) == []
    page.reload()
    expect(that.get_by_label("person.id")).to_have_value("bruno.krog")
    # Then and now: another revision.
    that.get_by_label("Under").select_option("revision:1")
    expect(page).to_have_url(re.compile("revision%3D1"))
    expect(heading).to_contain_text("differ")
    page.get_by_role("link", name="That alone").click()
    expect(heading).to_contain_text("Bruno Krog gets into Manifest")
    expect(page.get_by_text("Rehearse · revision 1")).to_be_visible()


def test_a_rehearsal_is_kept_from_anywhere_into_a_new_draft(kelpline: Live, open_console: Open) -> None:
    page = open_console("/rehearse?person.id=ines.faro&app.id=manifest")
    page.get_by_label("Keep it in a draft").fill("The mate at sea")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_role("link", name="the-mate-at-sea").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("1 object changed")
    with kelpline.client("author") as author:
        [object] = [
            each for each in author.drafts.get("rehearsals").objects if each.path == "rehearsals.the-mate-at-sea"
        ]
        assert "expect_open: [challenged, blocked]" in object.text
        # The page asks for what becomes of the draft, for as long as it is open.
        page.close()
        author.drafts.discard("rehearsals")


def test_a_first_device_is_shown_step_by_step(open_console: Open) -> None:
    page = open_console("/rehearse?person.id=ines.faro&app.id=manifest")
    page.get_by_role("link", name="First device").click()
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("Ines Faro gets in with a first device in 3 steps, with a starter code")
    steps = page.get_by_label("The steps")
    expect(steps.get_by_role("heading")).to_have_count(3)
    page.get_by_label("enrolling.owner").select_option("personal")
    expect(heading).to_contain_text("cannot get past “Sign in from it”: it is a dead end.")
    assert axe_findings(page) == []
    steps.get_by_role("link", name="rehearse this step").first.click()
    expect(heading).to_contain_text("may enrol a factor for Manifest")


def test_the_first_page_tells_what_is_wrong_and_sets_it_aside(kelpline: Live, open_console: Open) -> None:
    page = open_console("/")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text(re.compile("wrong|due"))
    expect(page.get_by_role("img", name="blocked, by day")).to_be_visible()
    expect(page.get_by_role("heading", name="Policies in shadow")).to_be_visible()
    things = page.get_by_role("list", name="What is wrong, due or worth a look")
    first = things.get_by_role("listitem").first
    said = (first.get_by_role("link").inner_text()).strip()
    before = things.get_by_role("listitem").count()
    first.get_by_role("button", name="Set aside …").click()
    page.get_by_label("Why it is set aside").fill("It is looked into")
    page.get_by_role("button", name="Set aside until it changes").click()
    expect(things.get_by_role("listitem")).to_have_count(before - 1)
    page.get_by_text("1 thing is set aside").click()
    aside = page.get_by_role("list", name="What is set aside")
    expect(aside).to_contain_text(said)
    expect(aside).to_contain_text("It is looked into")
    aside.get_by_role("button", name="Take up again").click()
    expect(things.get_by_role("listitem")).to_have_count(before)
    assert kelpline.data.set_aside.all() == {}

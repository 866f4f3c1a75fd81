"""The first minutes with an empty service: the way in, pages of nothing, a rulebook to start from."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, expect
from tests.axe import axe_findings
from tests.conftest import Live

from caddrel import wiring


def test_a_one_time_way_in_works_in_a_tab_that_is_open_and_leaves_no_code_behind(browser: Browser, empty: Live) -> None:
    page = browser.new_context().new_page()
    page.goto(empty.url)
    expect(page.get_by_label("Password")).to_be_visible()
    page.goto(f"{empty.url}/#/enter?code=nonsense")
    expect(page.get_by_role("alert")).to_contain_text("one-time way in is unknown")
    page.goto(f"{empty.url}/#/enter?code={wiring.way_in(empty.data)}")
    steps = page.get_by_role("list", name="First steps")
    expect(steps.get_by_role("listitem")).to_have_count(7)
    expect(steps).to_contain_text("caddrel people import people.csv")
    assert "code=" not in page.url
    assert axe_findings(page) == []
    # Passed over, and taken up again: nothing is lost by it.
    page.get_by_role("button", name="Pass over: People and groups").click()
    expect(steps).to_contain_text("passed over by operator")
    expect(steps).to_contain_text("caddrel apps import apps.csv")
    page.get_by_role("button", name="Take up again: People and groups").click()
    expect(steps).to_contain_text("caddrel people import people.csv")
    page.goto(f"{empty.url}/#/signins")
    expect(page.get_by_role("heading", level=1)).to_contain_text("No sign-ins have been taken in yet")
    page.goto(f"{empty.url}/#/signins?person=nobody.here")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Nothing can match: there is no person nobody.here")
    page.goto(f"{empty.url}/#/rehearse")
    expect(page.get_by_role("alert").first).to_contain_text("o rulebook has been published yet")
    page.goto(f"{empty.url}/#/rulebook")
    expect(page.get_by_role("heading", name="Terminals shared by shifts")).to_be_visible()
    assert axe_findings(page) == []
    page.get_by_role("button", name="Start from it: A small office").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("3 policies: 0 enforced, 3 in shadow, 0 off.")
    page.goto(f"{empty.url}/#/watch")
    expect(page.get_by_role("list", name="First steps").get_by_text("done")).to_have_count(2)
    page.goto(f"{empty.url}/#/rulebook")
    # A policy from a pattern: a sentence whose blanks are filled in place.
    page.get_by_role("button", name="Write a policy").click()
    page.get_by_label("What is it for?").select_option(label="Only from places")
    sentence = page.get_by_role("form", name="From a pattern")
    expect(sentence).to_contain_text("only from")
    page.get_by_label("Which apps", exact=True).fill("payroll, label:money")
    page.get_by_label("From where", exact=True).select_option("office")
    # Nobody is there yet; and the id follows from what it is about to be called.
    expect(sentence.get_by_role("status")).to_have_text("It would cover 0 people and 0 apps.")
    expect(page.get_by_label("Its id")).to_have_value("payroll-label-money-only-from-office")
    page.get_by_label("Its title").fill("Payroll: only from here")
    expect(page.get_by_label("Its id")).to_have_value("payroll-only-from-here")
    page.get_by_label("Its id").fill("payroll-here")
    page.get_by_label("Its title").fill("")
    expect(page.get_by_label("Its id")).to_have_value("payroll-here")
    page.get_by_label("Who", exact=True).fill("staff")
    expect(sentence.get_by_role("status")).to_contain_text("did you mean")
    page.get_by_label("Who", exact=True).fill("everyone")
    expect(sentence.get_by_role("status")).to_have_text("It would cover 0 people and 0 apps.")
    assert axe_findings(page) == []
    page.get_by_role("button", name="Write it").click()
    expect(page).to_have_url(re.compile("policies.payroll-here$"))
    expect(sentence).to_have_count(0)
    expect(page.get_by_role("textbox", name="Title", exact=True).first).to_have_value(
        "payroll, label:money only from office"
    )
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Nothing is changed yet")
    page.get_by_role("button", name="Leave").click()
    expect(page.get_by_label("Password")).to_be_visible()
    page.context.close()

"""Edits through the real interface while the page, the server or the user do not wait."""

from __future__ import annotations

import json
import os
import signal
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.conftest import (
    ROOT,
    SIZE,
    Server,
    copied,
    dome_air,
    open_all_stations,
    read_until,
)
from tests.browser.test_first_light import type_value, value

CUTOFF = "ground.filter1.cutoff"
POSITION = "ground.source.position"


def saved(server: Server, url: str) -> dict[str, Any]:
    """A sound as the server has it."""
    number = url.rsplit("/", 1)[1]
    document: dict[str, Any] = httpx.get(f"{server.url}api/sounds/{number}").json()["document"]
    return document


def number(document: dict[str, Any], address: str) -> float:
    """One of the ground layer's values."""
    layer = next(layer for layer in document["layers"] if layer["id"] == "ground")
    _, part, key = address.split(".")
    found = [layer["source"], *layer["filters"]]
    return float(next(p for p in found if p["id"] == part)["params"][key])


def is_saved(page: Page) -> None:
    expect(page.get_by_role("status").filter(has_text="saved").first).to_have_text("saved")


@pytest.mark.parametrize("slow", [0, 300, 900])
def test_sounds_do_not_mix_however_slow_the_answers_are(
    page: Page, server: Server, slow: int
) -> None:
    """An edit of one sound is on its way while another is opened, and edited at once."""
    first, second = page.url, copied(server, dome_air())

    def late(route: Route) -> None:
        page.wait_for_timeout(slow)
        route.continue_()

    page.route("**/api/sounds/*", late)
    type_value(page, CUTOFF, "777")
    page.evaluate("""(to) => {
        window.history.pushState(null, "", new URL(to).pathname);
        window.dispatchEvent(new PopStateEvent("popstate"));
    }""", second)  # fmt: skip
    expect(value(page, CUTOFF)).not_to_contain_text("777")
    type_value(page, POSITION, "61")
    is_saved(page)
    page.wait_for_timeout(2 * slow + 200)
    before = json.loads((ROOT / "demo/sounds/dome_air.json").read_text())
    assert number(saved(server, first), CUTOFF) == 777.0
    assert number(saved(server, first), POSITION) == number(before, POSITION)
    assert number(saved(server, second), POSITION) == 61.0
    assert number(saved(server, second), CUTOFF) == number(before, CUTOFF)
    expect(value(page, POSITION)).to_contain_text("61")


def test_the_last_edits_outlive_the_page(page: Page, server: Server) -> None:
    """Three edits, and the page is left at once."""
    url = page.url
    type_value(page, CUTOFF, "431")
    type_value(page, POSITION, "17")
    type_value(page, CUTOFF, "871")
    page.goto("about:blank")
    for _ in range(50):
        document = saved(server, url)
        if number(document, CUTOFF) == 871.0:
            break
        page.wait_for_timeout(100)
    assert number(document, CUTOFF) == 871.0
    assert number(document, POSITION) == 17.0


def test_two_pages_keep_what_both_change(page: Page, browser: Browser, server: Server) -> None:
    """Both change something at the same moment, before either hears of the other."""
    other = browser.new_context(viewport=SIZE).new_page()
    other.goto(page.url)
    other.locator("[data-address]").first.wait_for()
    open_all_stations(other)
    held: list[Route] = []

    def hold(route: Route) -> None:
        if number(saved(server, page.url), CUTOFF) == 999.0:
            route.continue_()
        else:
            held.append(route)

    other.route("**/api/sounds/*", hold)
    type_value(other, POSITION, "33")
    type_value(page, CUTOFF, "999")
    is_saved(page)
    for route in held:
        route.continue_()
    is_saved(other)
    document = saved(server, page.url)
    assert number(document, CUTOFF) == 999.0
    assert number(document, POSITION) == 33.0
    expect(value(other, CUTOFF)).to_contain_text("999")
    expect(value(page, POSITION)).to_contain_text("33")
    other.context.close()


def test_an_edit_that_fails_is_kept_told_and_saved_later(page: Page, server: Server) -> None:
    asked: list[str] = []

    def full(route: Route) -> None:
        if route.request.method != "PATCH":
            route.continue_()
            return
        asked.append(route.request.url)
        body = json.dumps({"text": "The disk is full. Make room.", "problems": []})
        route.fulfill(status=507, content_type="application/json", body=body)

    page.route("**/api/sounds/*", full)
    type_value(page, CUTOFF, "1234")
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("The disk is full")
    expect(page.get_by_text("not saved, changes kept here")).to_be_visible()
    page.wait_for_timeout(2_500)
    assert len(asked) <= 3, "it asks again, but not all the time"
    expect(value(page, CUTOFF)).to_contain_text("1234")
    # It is pressed while it still fails: once it does not, the page may be the first to try.
    before = len(asked)
    alert.get_by_role("button", name="Try again now").click()
    assert read_until(page, lambda: len(asked), lambda read: read > before, 1.0) > before
    page.unroute("**/api/sounds/*")
    is_saved(page)
    expect(alert).to_have_count(0)
    assert number(saved(server, page.url), CUTOFF) == 1234.0


def test_an_edit_that_cannot_be_saved_is_kept_as_a_copy(page: Page, server: Server) -> None:
    url = page.url
    with httpx.Client(base_url=server.url) as client:
        client.get("/")
        headers = {"X-CSRFToken": client.cookies["csrftoken"], "Referer": server.url}
        client.delete(f"/api/sounds/{url.rsplit('/', 1)[1]}", headers=headers)
    type_value(page, CUTOFF, "1500")
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("deleted elsewhere")
    alert.get_by_role("button", name="Keep as a copy").click()
    expect(page.get_by_role("button", name="Sound: Dome Air (copy)")).to_be_visible()
    assert page.url != url
    assert number(saved(server, page.url), CUTOFF) == 1500.0


def test_a_server_that_hangs_is_told_of_and_forgiven(browser: Browser, own_server: Server) -> None:
    page = browser.new_context(viewport=SIZE).new_page()
    page.goto(copied(own_server, dome_air()))
    page.locator("[data-address]").first.wait_for()
    open_all_stations(page)
    page.get_by_role("button", name="Listen", exact=True).click()
    page.get_by_role("button", name="Stop", exact=True).wait_for()
    process = own_server.process
    os.kill(process, signal.SIGSTOP)
    try:
        away = page.get_by_text("Caligo does not answer; connecting again…")
        expect(away).to_be_visible()
        expect(page.get_by_role("button", name="Listen", exact=True)).to_be_visible()
    finally:
        os.kill(process, signal.SIGCONT)
    expect(away).to_have_count(0)
    type_value(page, CUTOFF, "640")
    is_saved(page)
    page.context.close()

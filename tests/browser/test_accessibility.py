"""What a screen reader and weak eyes need, by the rules of WCAG 2.1 A and AA.

The rules are run by axe-core. It cannot judge everything; using it all by keyboard is tested
beside each feature.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import ROOT
from tests.browser.test_material import open_material, source_kind

AXE = ROOT / "web/node_modules/axe-core/axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "best-practice"]
# What passes is told of by its number: all of it takes longer to pass on than to find.
ASK = """
async (rules) => {
  const runOnly = { type: "tag", values: rules };
  const found = await axe.run(document, { runOnly, resultTypes: ["violations"] });
  return { passed: found.passes.length, violations: found.violations };
}
"""


def violations(page: Page) -> list[str]:
    """Each broken rule with what breaks it."""
    page.evaluate(AXE.read_text())
    found: dict[str, Any] = page.evaluate(ASK, RULES)
    assert found["passed"] > 10
    return [
        f"{rule['id']}: {node['html'][:160]} ({node['failureSummary'].splitlines()[-1].strip()})"
        for rule in found["violations"]
        for node in rule["nodes"]
    ]


def main(page: Page) -> None:
    expect(page.locator("[data-trajectory]").first).to_be_visible()


def library(page: Page) -> None:
    page.get_by_role("button", name="Productions, cues and sounds").click()
    expect(page.get_by_role("button", name="New production")).to_be_visible()


def versions(page: Page) -> None:
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Keep this state").click()
    expect(page.get_by_role("button", name="Restore version 1")).to_be_visible()


def export(page: Page) -> None:
    page.get_by_role("button", name="Export").click()
    expect(page.get_by_role("dialog", name="Export")).to_be_visible()


def keys(page: Page) -> None:
    page.get_by_role("button", name="Keys", exact=True).click()


def score(page: Page) -> None:
    page.get_by_role("button", name="Chord").click()
    expect(page.get_by_role("dialog")).to_be_visible()


def routes(page: Page) -> None:
    page.get_by_role("button", name="Fine is moved by 1; edit routes").click()
    expect(page.get_by_role("dialog")).to_be_visible()


def material(page: Page) -> None:
    open_material(page)
    page.get_by_role("button", name="Dome rail").first.click()
    expect(page.get_by_role("button", name="Find loops")).to_be_visible()


def operators(page: Page) -> None:
    source_kind(page, "Operators")


VIEWS = (main, library, versions, export, keys, score, routes, material, operators)


@pytest.mark.parametrize("view", VIEWS, ids=lambda view: view.__name__)
def test_no_rule_is_broken(page: Page, view: Callable[[Page], None]) -> None:
    view(page)
    assert not (broken := violations(page)), "\n".join(broken)


def test_no_rule_is_broken_by_any_source(page: Page) -> None:
    for kind in ("Harmonic", "Grains", "Spectral", "Sampler", "Noise"):
        source_kind(page, kind)
        page.wait_for_timeout(700)
        assert not (broken := violations(page)), "\n".join(broken)

"""Listening goes on while the studio is away for a moment, and changes are heard at once."""

from __future__ import annotations

import os
import signal
import time

import numpy as np
import pytest
from playwright.sync_api import Page

from tests.browser.conftest import Server, captured, listened, underruns
from tests.browser.test_first_light import type_value

AWAY = 1.2


def steps(heard: np.ndarray) -> float:
    """The greatest third difference: a click raises it."""
    return float(np.abs(np.diff(heard, 3, axis=1)).max())


@pytest.mark.hears
def test_a_studio_that_is_away_for_a_second_leaves_no_gap(page: Page, server: Server) -> None:
    usual = listened(page, 2.5)
    before = page.evaluate("window.caligo.player.position()")
    os.kill(server.process, signal.SIGSTOP)
    try:
        page.wait_for_timeout(int(AWAY * 1000))
        meanwhile = captured(page)
    finally:
        os.kill(server.process, signal.SIGCONT)
    page.wait_for_timeout(500)
    afterwards = captured(page)
    assert underruns(page) == 0
    moved = page.evaluate("window.caligo.player.position()") - before
    assert moved > AWAY + 0.4
    # Brighter moments raise it too; a click that could be heard does so a hundred times.
    most = max(3.0 * steps(usual), 2e-4 * usual.std())
    for heard in (meanwhile, afterwards):
        assert steps(heard) < most
        quietest = min(piece.std() for piece in np.array_split(heard, 32, axis=1))
        assert quietest > 0.2 * usual.std()


@pytest.mark.hears
def test_a_fader_is_heard_soon_though_two_seconds_are_ahead(page: Page) -> None:
    page.get_by_text("Master", exact=True).click()
    before = listened(page, 2.5)
    type_value(page, "master.level", "-80")
    began = time.monotonic()
    while captured(page)[:, -2_048:].std() > 0.05 * before.std():
        assert time.monotonic() - began < 1.0, "what was ahead is played to its end"
        page.wait_for_timeout(20)
    assert underruns(page) == 0

"""How far ahead samples are made: much while nothing changes, little where it does."""

from __future__ import annotations

import pytest

from studio.live.lead import (
    AHEAD,
    BEYOND,
    CALM,
    MARGIN,
    MOST_MARGIN,
    RAMP,
    STEP_DOWN,
    STEP_UP,
    UNREPORTED,
    Lead,
)

RATE = 48_000


class Clock:
    """A clock that is set."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def lead(clock: Clock) -> Lead:
    """Ten thousand frames have been heard just now, two seconds more were sent."""
    made = Lead(clock)
    made.begin()
    made.sent(0, 10_000 + AHEAD)
    made.report(10_000)
    return made


def test_a_change_is_heard_after_the_margin_and_what_was_heard_since(
    lead: Lead, clock: Clock
) -> None:
    assert lead.replaceable() == 10_000 + MARGIN
    clock.now += 0.01
    assert lead.replaceable() == pytest.approx(10_000 + 480 + MARGIN, abs=1)
    clock.now += 60.0  # the browser hangs: it has not gone on for a minute
    assert lead.replaceable() == 10_000 + UNREPORTED + MARGIN


def test_before_it_is_heard_nothing_is(clock: Clock) -> None:
    made = Lead(clock)
    made.begin()
    clock.now += 3.0
    assert made.replaceable() == MARGIN


def test_more_is_wanted_the_longer_nothing_changes(lead: Lead, clock: Clock) -> None:
    assert lead.wanted(far=True) == AHEAD
    assert lead.wanted(far=False) == MARGIN + BEYOND
    lead.changed()
    assert lead.wanted(far=True) == MARGIN + BEYOND
    clock.now += 0.25
    assert lead.wanted(far=True) == MARGIN + BEYOND + RAMP * 0.25 * RATE
    clock.now += 2.0
    assert lead.wanted(far=True) == AHEAD


def test_what_comes_too_late_widens_the_margin_and_what_comes_in_time_narrows_it(
    lead: Lead,
) -> None:
    for i in range(1, 10):
        lead.sent(9_900, 12_000)
        assert lead.margin == min(MOST_MARGIN, MARGIN + i * STEP_UP)
    lead.sent(12_000, 150_000)
    lead.sent(lead.replaceable() - 500, 120_000)
    assert lead.margin == MOST_MARGIN - STEP_DOWN
    lead.sent(120_000, 122_000)
    assert lead.margin == MOST_MARGIN - STEP_DOWN, "nothing was replaced"
    for _ in range(40):
        lead.sent(12_000, 14_000)
    assert lead.margin == MARGIN


def test_running_dry_counts_once_and_calm_forgets_it(lead: Lead) -> None:
    lead.report(10_000 + AHEAD)
    lead.report(10_000 + AHEAD)
    assert lead.margin == MARGIN + STEP_UP
    lead.sent(10_000 + AHEAD, 10_000 + 2 * AHEAD)
    lead.report(10_000 + 2 * AHEAD)
    assert lead.margin == MARGIN + 2 * STEP_UP
    lead.sent(10_000 + 2 * AHEAD, 10_000 + 9 * AHEAD)
    for _ in range(CALM):
        lead.report(10_000 + 2 * AHEAD + 100)
    assert lead.margin == MARGIN + 2 * STEP_UP - STEP_DOWN


def test_a_start_is_not_running_dry(clock: Clock) -> None:
    made = Lead(clock)
    made.begin()
    made.report(0)
    assert made.margin == MARGIN


def test_what_is_sent_too_late_as_a_whole_leaves_what_the_browser_has(lead: Lead) -> None:
    left = lead.left
    lead.sent(8_000, 9_999)
    assert lead.left == left
    lead.sent(9_999, 14_000)
    assert lead.left == 4_000


def test_as_many_blocks_are_made_at_once_as_half_of_the_time_allows(lead: Lead) -> None:
    assert lead.blocks(10_000 + RATE, 0.01) == 50
    assert lead.blocks(10_000 + MARGIN, 0.01) == 3
    assert lead.blocks(10_000 + MARGIN, 5.0) == 1
    # Too late as it is: as many as lead to where it is needed.
    assert lead.blocks(10_000, 5.0) == 1
    assert lead.blocks(5_000, 5.0) == 4

"""Returns after: least common multiples, checked against counting and `math.lcm`."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from caligo.document import Score, Sound, read_sound
from caligo.document.score import TempoChange
from caligo.movement.readings import too_fast
from caligo.movement.returns import least_common_multiple, returns_after
from tests.core.builders import plain_layer

SCORE = Score(length=600.0)


def sound(*modulators: dict[str, Any], **more: Any) -> Sound:
    """Modulators that each move the level."""
    made = [{"id": f"m{i}", "name": f"M{i}", **m} for i, m in enumerate(modulators)]
    routes = [{"id": f"r{i}", "from": m["id"], "to": "ground.level", "depth": 1}
              for i, m in enumerate(made)]  # fmt: skip
    return read_sound({"name": "R", "layers": [plain_layer()], "modulators": made,
                       "routes": routes, **more})  # fmt: skip


def cycle(value: float, unit: str = "s", kind: str = "lfo", **params: Any) -> dict[str, Any]:
    return {"kind": kind, "params": {"period": {"value": value, "unit": unit}, **params}}


@given(st.lists(st.tuples(st.integers(1, 60), st.integers(1, 12)), min_size=1, max_size=4))
def test_it_is_the_first_whole_number_of_every_period(pairs: list[tuple[int, int]]) -> None:
    periods = [Fraction(a, b) for a, b in pairs]
    found = least_common_multiple(periods)
    common = math.lcm(*(p.denominator for p in periods))
    assert found == Fraction(math.lcm(*(int(p * common) for p in periods)), common)
    assert all((found / p).denominator == 1 for p in periods)


def test_33_sixteenths_meet_the_bar_line_after_33_bars() -> None:
    """Common practice."""
    pattern = cycle(0.25, "beats", "steps", values=[float(i) for i in range(33)])
    found = returns_after(sound(pattern, cycle(4, "beats")), SCORE)
    assert found.whole.seconds == 33 * 2  # bars of 2 s at 120 BPM
    assert found.modulators["m0"].seconds == Fraction(33, 8)


def test_seconds_are_exact_and_the_soonest_pair_is_named() -> None:
    found = returns_after(sound(cycle(10.4), cycle(26), cycle(7.3)), SCORE)
    assert found.whole.seconds == Fraction(52 * 73)  # 10.4 = 52/5, 26, 7.3 = 73/10
    assert found.soonest == ("m0", "m1", Fraction(52))


@pytest.mark.parametrize(
    ("modulator", "why"),
    [
        ({"kind": "random"}, "free"),
        (cycle(3, period_change=20), "uneven"),
        (cycle(1, kind="steps", chances=[50]), "chance"),
    ],
)
def test_it_never_returns_where_chance_is_free(modulator: dict[str, Any], why: str) -> None:
    found = returns_after(sound(cycle(10), modulator), SCORE)
    assert found.whole.seconds is None
    assert why in found.whole.why
    assert "M1" in found.whole.why


def test_what_does_not_move_anything_does_not_count() -> None:
    made = sound(cycle(10), {"kind": "random"})
    made.routes[1].muted = True
    assert returns_after(made, SCORE).whole.seconds == 10
    by_way_of = sound(cycle(10), {"kind": "random"})
    by_way_of.routes[1].target = "m0.phase"
    assert returns_after(by_way_of, SCORE).whole.seconds is None


def test_the_pace_counts_and_a_changing_tempo_is_no_period() -> None:
    assert returns_after(sound(cycle(10), params={"pace": 200}), SCORE).whole.seconds == 5
    own = sound(cycle(10, paced=False), params={"pace": 200})
    assert returns_after(own, SCORE).whole.seconds == 10
    changing = SCORE.model_copy(update={"tempo": [TempoChange(), TempoChange(time=9, bpm=90)]})
    assert "tempo" in returns_after(sound(cycle(4, "beats")), changing).whole.why


def test_notes_and_curves_that_run_once_keep_nothing_from_returning() -> None:
    found = returns_after(sound(cycle(12), {"kind": "velocity"}, cycle(5, kind="curve")), SCORE)
    assert found.whole.seconds == 12
    round_again = cycle(8, kind="curve", runs="round", loop_from=25, loop_to=75)
    assert returns_after(sound(round_again), SCORE).whole.seconds == 4


def test_chance_that_is_moved_and_a_lane_keep_a_cycle_from_returning() -> None:
    made = sound(cycle(10), cycle(4)).as_document()
    route = {"id": "x", "from": "m1", "to": "m0.period_change", "depth": 50}
    uneven = made | {"routes": [*made["routes"], route]}
    assert "chance" in returns_after(read_sound(uneven), SCORE).modulators["m0"].why
    drawn = made | {"lanes": [{"id": "l", "to": "m0.skew", "points": [{"time": 0, "value": 9}]}]}
    assert "lane" in returns_after(read_sound(drawn), SCORE).whole.why
    drawn["lanes"][0]["muted"] = True
    assert returns_after(read_sound(drawn), SCORE).whole.seconds == 20


def test_what_turns_too_often_is_named() -> None:
    made = sound(cycle(0.04), cycle(0.3))
    assert list(too_fast(made, returns_after(made, SCORE).periods)) == ["m0"]

"""The mixer is a graph: buses into buses, sends ahead of the fader, latency, side chains, taps."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from caligo.document import DocumentError, read_sound
from caligo.document.sound import Sound
from caligo.engine.layers.metering import SlotMeter
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.store import PIECE_TICKS, StemStore
from caligo.engine.views.long_view import slot_lines
from caligo.signal.ticks import TICK, Span
from tests.core.builders import RATE, decibels, one_note, plain_layer
from tests.core.trial import effect, with_trial_modules
from tests.sweeps import widest


@pytest.fixture(autouse=True)
def _trial_modules() -> Iterator[None]:
    with with_trial_modules():
        yield


def send(bus: str, level: float = 0.0, taken: str = "behind", id: str = "s") -> dict[str, Any]:
    return {"id": id, "bus": bus, "params": {"level": level, "from": taken}}


def bus(id: str, *effects: Any, sends: Any = (), **params: Any) -> dict[str, Any]:
    return {"id": id, "name": id.title(), "effects": list(effects), "sends": list(sends),
            "params": params}  # fmt: skip


def sound(
    *buses: Any, sends: Any = (), inserts: Any = (), level: float = 0.0, **more: Any
) -> Sound:
    layer = plain_layer(table="sine") | {
        "sends": list(sends),
        "inserts": list(inserts),
        "params": {"level": level},
    }
    return read_sound({"name": "Graph", "layers": [layer], "buses": list(buses), **more})


def loud(made: Sound, seconds: float = 1.0) -> float:
    signal = render_array(made, one_note(57, 2.0), length=seconds)
    return decibels(float(np.sqrt(np.mean(signal[:, RATE // 2 :] ** 2))))


def test_buses_feed_buses_in_any_order_of_the_document() -> None:
    """The first bus is fed by the second, so the second has to come first."""
    alone = sound(level=-20)
    chained = sound(
        bus("first"), bus("second", sends=[send("first")]), sends=[send("second")], level=-20
    )
    # Direct, by the second, and by the second and the first: three times the amplitude.
    assert loud(chained) - loud(alone) == pytest.approx(20 * np.log10(3), abs=0.01)


def test_a_send_ahead_of_the_fader_does_not_follow_it() -> None:
    behind = sound(bus("b"), sends=[send("b")], level=-80)
    ahead = sound(bus("b"), sends=[send("b", taken="ahead")], level=-80)
    assert loud(behind) < -150
    assert loud(ahead) == pytest.approx(loud(sound()), abs=0.01)


@pytest.mark.parametrize("circle", [("a", "b"), ("a", "b", "c")])
def test_a_circle_of_buses_is_refused_by_name(circle: tuple[str, ...]) -> None:
    after = dict(zip(circle, circle[1:] + circle[:1], strict=True))
    with pytest.raises(DocumentError, match=r"circle: .*A to .*B") as refused:
        sound(*(bus(name, sends=[send(after[name])]) for name in circle))
    assert "take one of these sends out" in str(refused.value)


@pytest.mark.parametrize("samples", widest([1, 100, 4097, 63, 64, 1000], 3))
def test_latency_is_made_up_for_along_parallel_ways(samples: int) -> None:
    """A copy that went through a late bus comes out with the direct signal, and on time."""
    plain = render_array(sound(level=-20), one_note(57, 1.0))
    made = sound(
        bus("b", effect("late", "late", samples=samples)), bus("c"), level=-20,
        sends=[send("b"), send("c", id="t")],
        master={"effects": [effect("m", "late", samples=samples)]},
    )  # fmt: skip
    both = render_array(made, one_note(57, 1.0))
    assert np.abs(both - 3.0 * plain).max() < 1e-6
    blocks = render_array(made, one_note(57, 1.0), block=64, ahead=False)
    assert np.array_equal(both, blocks)
    # From the middle, too, the delays are filled.
    later = render_array(made, one_note(57, 1.0), start=0.5, length=0.25)
    assert np.abs(later - both[:, RATE // 2 : RATE * 3 // 4]).max() < 1e-6


def test_bypassing_something_late_moves_nothing_in_time() -> None:
    plain = render_array(sound(level=-20), one_note(57, 1.0))
    late = effect("late", "late", samples=700) | {"bypass": True}
    made = sound(bus("b", late), sends=[send("b")], level=-20)
    assert np.abs(render_array(made, one_note(57, 1.0)) - 2.0 * plain).max() < 1e-6


def test_a_side_chain_is_heard_and_may_not_lead_in_a_circle() -> None:
    """The keyed layer stands first in the document, and what it listens to behind it."""

    def keyed(side: str, other_note: bool) -> np.ndarray:
        first = plain_layer(table="sine") | {"inserts": [effect("k", "keyed", side=side)]}
        other = plain_layer(table="sine") | {
            "id": "other",
            "params": {"level": -80, "key_low": 0 if other_note else 127},
        }
        made = read_sound({"name": "Keyed", "layers": [first, other]})
        return render_array(made, one_note(57, 1.0), start=0.4, length=0.3)

    assert np.abs(keyed("", True)).max() > 0.01
    assert np.abs(keyed("other", True)).max() < 1e-4
    assert np.abs(keyed("other", False)).max() > 0.01
    with pytest.raises(DocumentError, match="circle"):
        sound(bus("b", effect("k", "keyed", side="c")), bus("c", sends=[send("b", id="x")]),
              bus("d", effect("k", "keyed", side="d")))  # fmt: skip


def test_effects_hold_chains_of_effects() -> None:
    inner = {"id": "one", "effects": [effect("late", "late", samples=10)]}
    made = sound(level=-20, master={"effects": [effect("both", "both") | {"chains": [inner]}]})
    assert [chain.id for chain in made.master.effects[0].chains] == ["one", "two"]
    plain = render_array(sound(level=-20), one_note(57, 1.0))
    twice = render_array(made, one_note(57, 1.0))
    expected = plain[:, 10:] + plain[:, :-10]
    assert np.abs(twice[:, 10:] - expected).max() < 1e-6
    with pytest.raises(DocumentError, match="no such chain"):
        sound(master={"effects": [effect("both", "both") | {"chains": [{"id": "three"}]}]})


def test_an_inner_effect_has_an_address_and_can_be_moved() -> None:
    inner = {"id": "one", "effects": [effect("r", "reverb", mix=0)]}
    made = sound(
        master={"effects": [effect("both", "both") | {"chains": [inner]}]},
        modulators=[{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 1}}}],
        routes=[{"id": "r", "from": "m", "to": "master.both.one.r.mix", "depth": 40}],
    )
    still = made.model_copy(update={"routes": []})
    moved, plain = (render_array(x, one_note(57, 1.0)) for x in (made, still))
    assert np.abs(moved - plain).max() > 1e-3


def test_nothing_takes_up_the_state_of_another_kind() -> None:
    """Same address, another kind: the echo of the one is no business of the other."""

    def engine(kind: str) -> Engine:
        params = {"samples": 4000} if kind == "late" else {}
        return Engine(sound(master={"effects": [effect("fx", kind, **params)]}), one_note(57, 2.0))

    before = engine("late")
    before.render(200)
    for kind in ("frozen", "reverb"):
        after = engine(kind)
        fresh = after.mixer.save_state()["chains"]
        after.restore_state(before.save_state())
        now = after.mixer.save_state()["chains"]
        (key,) = now.keys() - {"master.amount"}
        assert key == f"master.fx effect/{kind}"
        for name, array in now[key]["processor"].items():
            assert np.array_equal(array, fresh[key]["processor"][name])


def test_levels_are_told_behind_every_stage() -> None:
    layer = plain_layer(table="sine") | {
        "filters": [effect("f", "lowpass", cutoff=220, slope="12")],
        "params": {"level": -12, "octave": 1},
        "sends": [send("b", level=-6)],
    }
    made = read_sound({"name": "Taps", "layers": [layer], "buses": [bus("b", level=-3)]})
    meter = SlotMeter()
    engine = Engine(made, one_note(57, 3.0), meter=meter)
    for _ in engine.stream(engine.length_ticks):
        pass
    now = {slot: power for slot, (power, _) in meter.now().items()}
    assert set(now) == {"ground.source", "ground.f", "ground.envelope", "ground", "b", "master",
                        "output"}  # fmt: skip
    # A second-order Butterworth low-pass an octave above its corner: 10 log10(1 + 2^4) dB.
    assert now["ground.source"] - now["ground.f"] == pytest.approx(12.3, abs=0.1)
    assert now["ground.envelope"] == pytest.approx(now["ground.f"], abs=0.01)
    assert now["ground.envelope"] - now["ground"] == pytest.approx(12.0, abs=0.02)
    assert now["ground"] - now["b"] == pytest.approx(9.0, abs=0.02)
    assert now["output"] == pytest.approx(now["master"], abs=0.05)


def test_levels_come_out_of_stored_stems_as_well(tmp_path: Path) -> None:
    made, score = sound(bus("b", effect("r", "reverb")), sends=[send("b")]), one_note(57, 15.0)
    store = StemStore(tmp_path)

    def levels() -> dict[str, np.ndarray]:
        meter = SlotMeter()
        engine = Engine(made, score, stems=store, meter=meter)
        for _ in engine.stream(PIECE_TICKS + 2_000, 32_768):
            pass
        return {slot: level.power for slot, level in meter.levels().items()}

    first, second = levels(), levels()
    assert first.keys() == second.keys()
    for slot, power in first.items():
        assert np.abs(power - second[slot]).max() < 1e-9, slot


def test_a_start_from_the_mixers_own_state_is_exact(tmp_path: Path) -> None:
    """Bit for bit, with an effect that never fades; without the state it runs in from zero."""
    made = sound(bus("b", effect("f", "frozen"), effect("r", "reverb", decay=20)), level=-20,
                 sends=[send("b")])  # fmt: skip
    score = one_note(57, 30.0)
    store = StemStore(tmp_path)
    whole = np.concatenate(list(Engine(made, score, stems=store).stream(20_000)), axis=1)
    tick = 2 * PIECE_TICKS + 77
    engine = Engine(made, score, stems=store)
    engine.start(tick)
    part = engine.render(200)
    assert np.array_equal(part, whole[:, tick * TICK : (tick + 200) * TICK])
    plain = Engine(made, score)
    plain.start(tick)
    assert np.array_equal(plain.render(200), part)


def test_a_run_in_can_be_stopped_and_is_capped() -> None:
    made = sound(bus("b", effect("f", "frozen")), sends=[send("b")])
    engine = Engine(made, one_note(57, 600.0))
    asked = []

    def interrupted() -> bool:
        asked.append(True)
        return len(asked) > 2

    engine.start(300_000, interrupted=interrupted)
    assert len(asked) == 3
    engine.start(300_000, most=0.5)
    assert engine.tick == 300_000


def test_a_stage_that_has_fallen_silent_leaves_no_empty_line() -> None:
    """Its levels were kept as none at all, and the picture that took them over failed."""
    meter = SlotMeter()
    meter.add("ground.filter", Span(0, 100, RATE), np.ones((2, 6_400), np.float32))
    kept = meter.since(4_000, "ground")
    assert kept == {}
    other = SlotMeter()
    other.take({"ground.filter": (5, np.zeros((0, 2)))})
    assert slot_lines(other, 1_000) == {}

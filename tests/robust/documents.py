"""Random documents with random chains in every place, rendered for long.

    python -m tests.robust.documents [documents] [seconds each]

None may end in an exception, hold anything but numbers, pass the ceiling or end with an offset.
One that does is kept in build/robust.
"""

from __future__ import annotations

import json
import sys
import time
import traceback
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import HealthCheck, Phase, given, settings

from caligo.document import DocumentError, read_sound
from caligo.document.held import held_chord
from caligo.engine.render.engine import Engine
from tests.core.builders import decibels
from tests.core.documents import any_document

MOST = 3
"""Effects in each chain at most."""
OFFSET = -40.0
"""Decibels under full scale of direct current at most, over the last half."""
BLOCK = 16_384
KEPT = Path(__file__).parents[2] / "build" / "robust"


def outcome(document: dict[str, Any], seconds: float) -> str:
    """What became of a document: ``fine``, ``refused``, or what is wrong with it."""
    try:
        sound = read_sound(document)
    except DocumentError:
        return "refused"
    engine = Engine(sound, held_chord("C1 A3 C8", seconds))
    ceiling = 10.0 ** (sound.master.number("ceiling") / 20.0)
    late, largest, half = [np.zeros((2, 0), np.float32)], 0.0, engine.length_ticks // 2
    for block in engine.stream(engine.length_ticks, BLOCK):
        if not np.isfinite(block).all():
            return "no number"
        largest = max(largest, float(np.abs(block).max()))
        if engine.tick > half:
            late.append(block)
    if largest > ceiling * 1.0001:
        return "over the ceiling"
    heard = np.concatenate(late, axis=1)
    # Weighted, so that a wave which is cut off at either end does not count as direct current.
    weights = np.hanning(heard.shape[1] + 2)[1:-1]
    offset = np.abs(heard @ weights).max() / weights.sum() if heard.size else 0.0
    return "offset" if float(decibels(offset + 1e-12)) > OFFSET else "fine"


def main() -> None:
    """Render so many documents and print the tally."""
    documents = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    seconds = float(sys.argv[2]) if len(sys.argv) > 2 else 60.0
    tally: Counter[str] = Counter()
    began = time.perf_counter()

    @settings(
        max_examples=documents,
        deadline=None,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(any_document(MOST))
    def each(document: dict[str, Any]) -> None:
        try:
            found = outcome(document, seconds)
        except Exception:
            found = "an exception"
            traceback.print_exc()
        tally[found] += 1
        if tally.total() % 100 == 0:
            print(f"{tally.total()} so far: {dict(tally)}", flush=True)
        if found not in ("fine", "refused"):
            effects = [part["kind"] for part in document["layers"][0]["inserts"]]
            effects += [part["kind"] for part in document["buses"][0]["effects"]]
            effects += [part["kind"] for part in document["master"]["effects"]]
            filters = [part["kind"] for part in document["layers"][0]["filters"]]
            source = document["layers"][0]["source"]["kind"]
            KEPT.mkdir(parents=True, exist_ok=True)
            kept = KEPT / f"{found.replace(' ', '-')}-{tally[found]}.json"
            kept.write_text(json.dumps(document, indent=1), encoding="utf-8")
            print(f"{found}: {kept.name}, {source}, {filters}, {effects}", flush=True)

    each()
    taken = time.perf_counter() - began
    print(f"{documents} documents of {seconds:.0f} s in {taken:.0f} s: {dict(tally)}")
    raise SystemExit(0 if set(tally) <= {"fine", "refused"} else 1)


if __name__ == "__main__":
    main()

"""What the page is tested against is what the core computes."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.vectors import FILE, vectors


def _alike(one: Any, other: Any) -> bool:
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(_alike(one[k], other[k]) for k in one)
    if isinstance(one, list):
        return len(one) == len(other) and all(map(_alike, one, other))
    if isinstance(one, float):
        return one == pytest.approx(other, rel=1e-9, abs=1e-9)
    return bool(one == other)


def test_vectors_are_what_the_core_computes() -> None:
    written = json.loads(FILE.read_text())
    for name, found in json.loads(json.dumps(vectors())).items():
        assert _alike(found, written[name]), f"{name}: run python -m tests.vectors"

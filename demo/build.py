"""Short ways to write down a sound document."""

from __future__ import annotations

from typing import Any

from caligo.material.store import SHIPPED, MaterialStore

Document = dict[str, Any]


def seconds(value: float) -> Document:
    """A time in seconds."""
    return {"value": value, "unit": "s"}


def beats(value: float) -> Document:
    """A time in beats."""
    return {"value": value, "unit": "beats"}


def hold(value: float) -> Document:
    """A time as a fraction of the held note."""
    return {"value": value, "unit": "hold"}


def part(id: str, kind: str, **params: Any) -> Document:
    """A filter or effect."""
    return {"id": id, "kind": kind, "params": params}


def _source(kind: str, params: Document, items: list[Document] | None = None) -> Document:
    return {"id": "source", "kind": kind, "params": params, "items": items or []}


def source(kind: str, *items: Document, **params: Any) -> Document:
    """A source of any kind, with what it is made of."""
    return _source(kind, params, list(items))


def beside(id: str, kind: str, **params: Any) -> Document:
    """A further source of a layer."""
    return {"id": id, "kind": kind, "params": params, "items": []}


def operator(number: int, **params: Any) -> Document:
    """An operator of the operators source."""
    return part(f"operator{number}", "operator", **params)


def acts(number: int, on: int, amount: float) -> Document:
    """One operator acting on another, by an index in radians."""
    params = {"from": f"operator{number}", "to": f"operator{on}", "amount": amount}
    return {"id": f"modulation{number}{on}", "kind": "modulation", "params": params}


def layer(
    id: str,
    name: str,
    source: Document,
    *,
    filters: list[Document],
    envelope: Document,
    sends: dict[str, float],
    params: Document | None = None,
    inserts: list[Document] | None = None,
    more: list[Document] | None = None,
) -> Document:
    """A layer; `source` is the wavetable's values, or what `source` made; sends in dB by bus."""
    return {
        "id": id,
        "name": name,
        "params": params or {},
        "source": source if "kind" in source else _source("wavetable", source),
        "more_sources": more or [],
        "filters": filters,
        "envelope": {"params": envelope},
        "inserts": inserts or [],
        "sends": [
            {"id": f"to_{bus}", "bus": bus, "params": {"level": level}}
            for bus, level in sends.items()
        ],
    }


SPACE = 4.5
"""Decibels by which the spaces of the production are louder than what goes into them."""


def nave(decay: float, *, chorus: Document | None = None, **reverb: Any) -> Document:
    """The bus with chorus and reverb."""
    effects = [part("chorus", "chorus", **chorus)] if chorus else []
    effects.append(part("reverb", "reverb", decay=decay, level=SPACE, **reverb))
    return {"id": "nave", "name": "Nave", "effects": effects}


def bus(id: str, name: str, *effects: Document) -> Document:
    """A bus with any effects."""
    return {"id": id, "name": name, "effects": list(effects)}


def mover(
    id: str, name: str, kind: str, *, per_note: bool = False, seed: int = 1, **params: Any
) -> Document:
    """A modulator."""
    return {
        "id": id,
        "name": name,
        "kind": kind,
        "seed": seed,
        "scope": "note" if per_note else "sound",
        "params": params,
    }


def routes(*rows: tuple[str, str, float]) -> list[Document]:
    """Routes from rows of modulator, target and depth; a trailing + makes one unipolar."""
    return [
        {
            "id": f"r{i}",
            "from": source.rstrip("+"),
            "to": target,
            "depth": depth,
            "polarity": "unipolar" if source.endswith("+") else "bipolar",
        }
        for i, (source, target, depth) in enumerate(rows, start=1)
    ]


def by_name() -> dict[str, str]:
    """The keys of the shipped pieces by the names of their makers, as in ``bowed_wire``."""
    return {
        card.name.lower().replace(" ", "_"): card.key for card in MaterialStore([SHIPPED]).cards()
    }

"""Sampled instruments between SFZ and the sampler's zones."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from pathlib import PurePosixPath
from typing import Any

from caligo.formats.sfz import Sfz, SfzZone, write_sfz
from caligo.material.cards import RecordingCard
from caligo.material.recording import MIDDLE_C
from caligo.material.store import MaterialStore

Params = dict[str, Any]


def base_name(sample: str) -> str:
    """A sample's file name without its folders, in lower case: how files are matched."""
    return PurePosixPath(sample.replace("\\", "/")).name.lower()


def _softer(cards: Iterable[RecordingCard]) -> dict[str, float]:
    """By how many decibels each recording is softer than the loudest, at most 0, by its key.

    A sampler brings recordings to one level; an instrument's are as far apart as they were made.
    """
    known = {card.key: card.evened for card in cards if card.evened is not None}
    loudest = max(known.values(), default=0.0)
    return {key: loudness - loudest for key, loudness in known.items()}


def zones_of(sfz: Sfz, cards: Mapping[str, RecordingCard]) -> tuple[list[Params], dict[str, int]]:
    """The sampler's zones of an SFZ file, and what was skipped.

    `cards` holds the recordings by `base_name` of their files.
    """
    zones: list[Params] = []
    skipped = dict(sfz.skipped)
    named = {base_name(zone.sample) for zone in sfz.zones}
    softer = _softer(card for name, card in cards.items() if name in named)
    for zone in sfz.zones:
        card = cards.get(base_name(zone.sample))
        if card is None:
            name = f"{base_name(zone.sample)} is missing"
            skipped[name] = skipped.get(name, 0) + 1
            continue
        root = MIDDLE_C if card.root is None else card.root
        zones.append(
            {
                "recording": card.key,
                "gain": min(max(zone.volume + softer.get(card.key, 0.0), -48.0), 24.0),
                # The zone's tuning leads from the recording's root to the file's.
                "tune": min(max(zone.tune + 100.0 * (root - zone.root), -2400.0), 2400.0),
                "key_low": zone.key_low,
                "key_high": zone.key_high,
                "velocity_low": zone.velocity_low,
                "velocity_high": zone.velocity_high,
                "start": zone.offset / card.rate,
                "loop": zone.loop,
                "loop_start": zone.loop_start / card.rate,
                "loop_end": zone.loop_end / card.rate,
                "loop_fade": min(zone.loop_fade, 10.0),
            }
        )
    return zones, skipped


def sfz_of(zones: list[Params], store: MaterialStore, title: str) -> tuple[str, dict[str, str]]:
    """SFZ text of the sampler's zones, and the files it names by the recordings' keys."""
    files: dict[str, str] = {}
    written = []
    recordings = [store.recording(str(zone["recording"])) for zone in zones]
    softer = _softer(recording.card for recording in recordings if recording is not None)
    for zone, recording in zip(zones, recordings, strict=True):
        if recording is None:
            continue
        card = recording.card
        file = files.setdefault(card.key, f"{_plain(card.name)}-{card.key[:6]}.wav")
        loop, kind = card.loop, str(zone["loop"])
        start, end, fade = (float(zone[f"loop_{k}"]) for k in ("start", "end", "fade"))
        if kind == "recording":
            kind = "none" if loop is None else "own"
            start, end, fade = (0, 0, 0) if loop is None else (loop.start, loop.end, loop.fade)
        to = round(end * card.rate) if end > 0.0 else recording.frames
        written.append(
            SfzZone(
                sample=file,
                key_low=int(zone["key_low"]),
                key_high=int(zone["key_high"]),
                velocity_low=int(zone["velocity_low"]),
                velocity_high=int(zone["velocity_high"]),
                root=recording.root,
                volume=float(zone["gain"]) - softer.get(card.key, 0.0),
                tune=float(zone["tune"]),
                offset=round(float(zone["start"]) * card.rate),
                loop=kind,
                loop_start=round(start * card.rate),
                loop_end=min(to, recording.frames),
                loop_fade=fade,
            )
        )
    return write_sfz(written, title), files


def _plain(name: str) -> str:
    """A name that every file system takes."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower()[:40] or "sample"

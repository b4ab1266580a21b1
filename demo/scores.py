"""The cues of The Long Exposure: what is held, for how long, and where the picture turns."""

from __future__ import annotations

from dataclasses import dataclass

from caligo.document import Marker, Note, Score
from caligo.document.pitch import chord
from caligo.document.score import Lane, LanePoint, TempoChange


@dataclass(frozen=True, slots=True)
class DemoCue:
    """A cue of the demo: its number, name, sounds and score."""

    number: str
    name: str
    sounds: tuple[str, ...]
    score: Score


def _notes(*rows: tuple[str, float, float]) -> list[Note]:
    """Notes from rows of chord, start and end in seconds."""
    notes: list[Note] = []
    for text, start, end in rows:
        for key in chord(text):
            notes.append(
                Note(
                    id=f"n{len(notes) + 1}",
                    pitch=key,
                    start=start,
                    length=end - start,
                    velocity=92 if key < 55 else 80,
                )
            )
    return notes


def _markers(*rows: tuple[float, str]) -> list[Marker]:
    return [Marker(id=f"m{i}", time=at, name=name) for i, (at, name) in enumerate(rows, start=1)]


CUES = (
    DemoCue(
        "1m1",
        "Shutter Open",
        ("Dome Air", "Cold Storage", "Meridian"),
        Score(
            name="Shutter Open",
            length=240.0,
            tempo=[TempoChange(bpm=60)],
            notes=_notes(("C2 G2 D3", 0.0, 224.0), ("A3", 53.0, 224.0)),
            markers=_markers((31.0, "Shutter"), (102.0, "Plates"), (190.0, "Snow on glass")),
        ),
    ),
    DemoCue(
        "2m3",
        "Silver and Gelatin",
        ("Gelatin Choir", "Plate Glass", "Darkroom"),
        Score(
            name="Silver and Gelatin",
            length=270.0,
            tempo=[TempoChange(bpm=72)],
            notes=_notes(
                ("A2 E3 B3 C4", 0.0, 92.0),
                ("F2 C3 G3 A3", 90.0, 182.0),
                ("D2 A2 E3 F3 C4", 180.0, 256.0),
            ),
            markers=_markers((44.0, "Darkroom"), (90.0, "The face appears"), (181.0, "Wash")),
            lanes=[
                Lane(
                    id="cc1",
                    controller=1,
                    points=[
                        LanePoint(time=0.0, value=0.1),
                        LanePoint(time=90.0, value=0.6),
                        LanePoint(time=250.0, value=0.2),
                    ],
                )
            ],
        ),
    ),
    DemoCue(
        "3m2",
        "Snow on the Dome",
        ("Snowblind", "Slit Wind", "Polar Axis", "Night Watch"),
        Score(
            name="Snow on the Dome",
            length=300.0,
            tempo=[TempoChange(bpm=54)],
            notes=_notes(("D2 A2 E3 F#3 C#4", 0.0, 150.0), ("B1 F#2 D3 A3 C#4", 148.0, 286.0)),
            markers=_markers((62.0, "First flakes"), (148.0, "The slit closes")),
        ),
    ),
    DemoCue(
        "4m1",
        "Counting Plates",
        ("Tracking Motor", "Lamp Hum", "Radio Room"),
        Score(
            name="Counting Plates",
            length=210.0,
            tempo=[TempoChange(bpm=96)],
            notes=_notes(("E2 B2 F#3", 0.0, 100.0), ("C2 G2 E3", 100.0, 198.0)),
            markers=_markers((25.0, "Plate 1"), (100.0, "Plate 40 000")),
        ),
    ),
    DemoCue(
        "5m2",
        "The Last Winter",
        ("Last Winter",),
        Score(
            name="The Last Winter",
            length=1260.0,
            tempo=[TempoChange(bpm=66)],
            notes=_notes(("D2 A2 D3 E3 A3", 0.0, 1230.0)),
            markers=_markers((275.0, "Midnight"), (600.0, "The sky turns"), (790.0, "First light")),
        ),
    ),
)

"""Sound and score documents: their shape, rules, addresses, times and edits."""

from caligo.document.addresses import Address, find_parameter, moved_parameters
from caligo.document.patch import Edited, apply_patch
from caligo.document.problems import DocumentError, Problem
from caligo.document.reading import read_score, read_sound
from caligo.document.score import Marker, Note, Score
from caligo.document.sound import Bus, Layer, Master, Modulator, Part, Route, Send, Sound
from caligo.document.times import Time

__all__ = [
    "Address",
    "Bus",
    "DocumentError",
    "Edited",
    "Layer",
    "Marker",
    "Master",
    "Modulator",
    "Note",
    "Part",
    "Problem",
    "Route",
    "Score",
    "Send",
    "Sound",
    "Time",
    "apply_patch",
    "find_parameter",
    "moved_parameters",
    "read_score",
    "read_sound",
]

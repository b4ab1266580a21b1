"""Pictures of sources and filters: what they do over the whole length, without rendering it."""

from __future__ import annotations

import base64
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import module
from caligo.document.score import Score
from caligo.document.sound import Layer, Sound, SourcePart
from caligo.engine.layers.voices import LayerVoices
from caligo.engine.layers.voicing import Voicing
from caligo.engine.render.engine import DEFAULT_RATE
from caligo.movement.block import SourceBlock
from caligo.movement.hold_still import HoldStill
from caligo.movement.movement import Movement
from caligo.processing.filter import Filter
from caligo.signal.ticks import TICK, Span
from caligo.synthesis.portrait import levels_of

MOMENTS = 96
"""Moments at which a source is looked at, evenly over the length."""
FRAME = 64
"""Ticks that are rendered for a spectrum."""
ROWS = 112
LOWEST, HIGHEST = 30.0, 20_000.0
ITEM_MOMENTS = 8
RESPONSE_MOMENTS = 32
IMPULSE = 0.01
"""What filters answer: low enough that a loop which is driven does not bend it."""
TOP = 8.0
"""The factor that the highest byte of a response stands for: 18 dB."""


class LayerPortrait:
    """The first voice of a layer at moments over the whole length.

    Parameters
    ----------
    moments
        In seconds.
    """

    def __init__(self, voices: LayerVoices, length: float, rate: int, count: int) -> None:
        self._voices = voices
        self.rate = rate
        self.moments: Sequence[float] = [length * (i + 0.5) / count for i in range(count)]

    def block(self, seconds: float, ticks: int) -> SourceBlock | None:
        """The block at a moment with the lowest of the voices that sound then, or None."""
        span = Span(int(seconds * self.rate / TICK), ticks, self.rate)
        rows = self._voices.active(span.times)
        if not rows:
            return None
        lowest = min(rows, key=lambda row: self._voices.voicing.voices[row].key)
        return self._voices.block(span, [lowest], self._voices.inputs[0])

    def blocks(self, ticks: int) -> Iterator[tuple[float, SourceBlock]]:
        """Every moment at which something sounds, with its block."""
        for moment in self.moments:
            block = self.block(moment, ticks)
            if block is not None:
                yield moment, block


def _packed(values: NDArray[Any]) -> dict[str, Any]:
    """An array as plain data: its shape, and its bytes in base 64."""
    whole = np.ascontiguousarray(values)
    return {
        "shape": list(whole.shape),
        "type": str(whole.dtype),
        "data": base64.b64encode(whole.tobytes()).decode(),
    }


def _rows(wave: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """The spectrum of a stretch in rows of log frequency ``[ROWS]``."""
    window = np.hanning(len(wave))
    found = 2.0 * np.abs(np.fft.rfft(wave * window)) / window.sum()
    edges = LOWEST * (HIGHEST / LOWEST) ** (np.arange(ROWS + 1) / ROWS)
    borders = np.clip(np.round(edges * len(wave) / rate).astype(int), 0, len(found) - 1)
    out = np.empty(ROWS)
    for r in range(ROWS):
        out[r] = found[borders[r] : max(borders[r] + 1, borders[r + 1])].max()
    return out


def _spectra(voices: LayerVoices, length: float, rate: int, count: int) -> dict[str, Any]:
    portrait = LayerPortrait(voices, length, rate, count)
    levels = np.zeros((count, ROWS), np.uint8)
    for moment, block in portrait.blocks(FRAME):
        out = np.zeros((1, 2, FRAME * TICK), np.float32)
        voices.source.render(block, out)
        if block.unfiltered is not None:
            out += block.unfiltered
        # A sine of a voice's full level has an amplitude of 0.1.
        rows = 10.0 * _rows(out[0].mean(axis=0), rate)
        levels[min(count - 1, int(moment / length * count))] = levels_of(rows)
    return {"levels": _packed(levels), "low": LOWEST, "high": HIGHEST}


def _response(answer: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """The amplitudes in rows of log frequency ``[ROWS]`` of what answers `IMPULSE`."""
    found = np.abs(np.fft.rfft(answer.astype(np.float64))) / IMPULSE
    centres = LOWEST * (HIGHEST / LOWEST) ** ((np.arange(ROWS) + 0.5) / ROWS)
    # Powers between bins: in the lows a bin serves several rows.
    power = np.interp(centres * len(answer) / rate, np.arange(len(found)), found**2)
    return np.sqrt(power)


def _responses(voices: LayerVoices, length: float, rate: int) -> dict[str, Any]:
    """What each filter does to each frequency over the length, by its id.

    Each answers an impulse with the values that it has at the moment, as a voice would hear it, so
    that a filter of any kind has a picture; the mean power of both channels is shown.
    """
    portrait = LayerPortrait(voices, length, rate, RESPONSE_MOMENTS)
    found: dict[str, Any] = {}
    for part, slot in zip(voices.layer.filters, voices.filters.slots, strict=True):
        levels = np.zeros((RESPONSE_MOMENTS, ROWS), np.uint8)
        for moment, block in portrait.blocks(FRAME):
            signal = np.zeros((1, 2, FRAME * TICK), np.float32)
            signal[0, :, 0] = IMPULSE
            slot.processor.reset()
            assert isinstance(slot.processor, Filter)
            slot.processor.answer(block, signal)
            channels = [_response(signal[0, channel], rate) for channel in range(2)]
            rows = np.sqrt(0.5 * (channels[0] ** 2 + channels[1] ** 2))
            index = min(RESPONSE_MOMENTS - 1, int(moment / length * RESPONSE_MOMENTS))
            levels[index] = levels_of(rows / TOP)
        slot.processor.reset()
        found[part.id] = _packed(levels)
    return found


def _alone(layer: Layer, item: str) -> Layer:
    """The layer with one operator heard alone, and all that acts on it."""
    source = SourcePart.model_validate(layer.source.model_dump())
    for other in source.of_kind("operator"):
        other.params["level"] = 0.0 if other.id == item else -80.0
    return layer.model_copy(update={"source": source})


def picture(
    sound: Sound,
    score: Score,
    layer: Layer,
    *,
    rate: int = DEFAULT_RATE,
    hold_still: HoldStill = False,
) -> dict[str, Any]:
    """What the pictures of a layer's source and filters show, as plain data.

    Parameters
    ----------
    sound : Sound
    score : Score
    layer : Layer
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.

    Returns
    -------
    dict
        ``kind`` says which picture the source's is; see the sources' own `picture` for what else
        there is. ``responses`` are those of the filters by their ids, see `_responses`.

    Examples
    --------
    >>> from caligo.document import read_sound
    >>> from caligo.document.held import held_chord
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "wavetable"}}
    >>> sound = read_sound({"name": "Plain", "layers": [layer]})
    >>> sorted(picture(sound, held_chord("A2", 2.0), sound.layers[0]))[:2]
    ['cycles', 'kind']
    """
    spec = module("source", layer.source.kind)
    movement = Movement(sound, score, hold_still=hold_still)
    voicing = Voicing(sound, score.notes, movement.setting.tempo)
    voices = LayerVoices(sound, layer, movement, voicing, rate)
    described: dict[str, Any] = {"kind": spec.picture, "length": score.length}
    described["responses"] = _responses(voices, score.length, rate)
    if spec.picture == "spectrum":
        described |= _spectra(voices, score.length, rate, MOMENTS)
        described["items"] = {
            item.id: _spectra(
                LayerVoices(sound, _alone(layer, item.id), movement, voicing, rate),
                score.length,
                rate,
                ITEM_MOMENTS,
            )["levels"]
            for item in layer.source.of_kind("operator")
        }
        return described
    shown = voices.source.picture(LayerPortrait(voices, score.length, rate, MOMENTS))
    for key, value in shown.items():
        described[key] = _packed(value) if isinstance(value, np.ndarray) else value
    return described


def close_up(
    sound: Sound, score: Score, layer: Layer, start: float, end: float, rate: int = DEFAULT_RATE
) -> dict[str, Any]:
    """What a layer's picture shows of a stretch, for all voices that sound in it.

    Parameters
    ----------
    sound : Sound
    score : Score
    layer : Layer
    start, end : float
        Seconds.
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.

    Returns
    -------
    dict
        As `picture` has it.
    """
    movement = Movement(sound, score)
    voices = LayerVoices(
        sound, layer, movement, Voicing(sound, score.notes, movement.setting.tempo), rate
    )
    first = max(0, int(start * rate / TICK))
    span = Span(first, max(1, int(end * rate / TICK) - first), rate)
    shown = voices.source.close_up(voices.block(span, voices.active(span.times), voices.inputs[0]))
    return {k: _packed(v) if isinstance(v, np.ndarray) else v for k, v in shown.items()}

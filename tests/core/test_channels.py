"""Recordings of more than two channels."""

from __future__ import annotations

import pickle
from pathlib import Path

import numpy as np
import pytest
import soundfile

from caligo.material.channels import matrix
from caligo.material.reading import MaterialError, TooManyChannels, read_recording
from caligo.material.store import MaterialStore

RATE = 48_000


def written(folder: Path, channels: int) -> tuple[Path, np.ndarray]:
    """A file in which each channel is a tone of its own."""
    t = np.arange(RATE // 2) / RATE
    tones = np.stack([0.2 * np.sin(2 * np.pi * 110.0 * (c + 1) * t) for c in range(channels)])
    path = folder / "many.wav"
    soundfile.write(path, tones.T, RATE, subtype="FLOAT")
    return path, tones.astype(np.float32)


def test_a_mix_of_five_channels_and_low_frequencies_is_that_of_the_standard() -> None:
    """ITU-R BS.775-3, table 2, 2/0: centre and surrounds at 0.7071, no low-frequency effects."""
    found = matrix(6, "mix")
    np.testing.assert_allclose(found / found[0, 0], [
        [1.0, 0.0, 0.7071, 0.0, 0.7071, 0.0],
        [0.0, 1.0, 0.7071, 0.0, 0.0, 0.7071],
    ], atol=1e-4)  # fmt: skip
    for channels in range(3, 9):
        sums = matrix(channels, "mix").sum(axis=1)
        np.testing.assert_allclose(sums, [1.0, 1.0], err_msg=str(channels))


@pytest.mark.parametrize("channels", range(3, 9))
def test_what_is_taken_is_on_the_shelf(tmp_path: Path, channels: int) -> None:
    path, tones = written(tmp_path, channels)
    with pytest.raises(TooManyChannels, match=f"has {channels} channels") as refused:
        read_recording(path)
    assert pickle.loads(pickle.dumps(refused.value)).channels == channels
    shelf = MaterialStore([tmp_path / "shelf"])
    for take in ("mix", f"{channels}-1"):
        card, fresh = shelf.add_recording(path, "Many", take=take)
        assert fresh
        assert card.channels == 2
        found = shelf.original(card.key)
        assert found is not None
        np.testing.assert_allclose(found[1], matrix(channels, take) @ tones, atol=1e-6)
    assert not list(tmp_path.glob("tmp*"))


@pytest.mark.parametrize("take", ["1-7", "mix"])
def test_what_is_not_there_cannot_be_taken(tmp_path: Path, take: str) -> None:
    path, _ = written(tmp_path, 2)
    with pytest.raises(MaterialError, match="2 channels"):
        MaterialStore([tmp_path / "shelf"]).add_recording(path, "Two", take=take)

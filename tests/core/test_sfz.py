"""SFZ in and out, by the format's opcode list."""

from __future__ import annotations

import pytest

from caligo.formats.sfz import SfzError, SfzZone, key_number, read_sfz, write_sfz

TEXT = r"""
// a small instrument
<control> default_path=plates\
<global> volume=-3 ampeg_attack=0.4
<group> lokey=c2 hikey=b3 /* low */ pitch_keycenter=48
<region> sample=low plate soft.wav hivel=63
<region> sample=low plate hard.wav lovel=64 tune=-12 loop_mode=loop_continuous
loop_start=1000 loop_end=20000 loop_crossfade=0.05
<group>
<region> sample=one.wav key=60 offset=480 transpose=1 loop_mode=one_shot fil_type=lpf_2p
<region> sample=*sine
<curve> curve_index=7
"""


def test_headers_hand_down_what_they_say() -> None:
    zones = read_sfz(TEXT).zones
    assert [z.sample for z in zones] == [
        "plates/low plate soft.wav",
        "plates/low plate hard.wav",
        "plates/one.wav",
    ]
    soft, hard, one = zones
    assert (soft.key_low, soft.key_high, soft.root) == (36, 59, 48)
    assert (soft.velocity_low, soft.velocity_high, hard.velocity_low) == (0, 63, 64)
    assert (soft.volume, hard.tune) == (-3, -12)
    assert (hard.loop, hard.loop_start, hard.loop_end, hard.loop_fade) == ("own", 1000, 20001, 0.05)
    assert (one.key_low, one.key_high, one.root, one.offset) == (60, 60, 60, 480)
    assert (one.tune, one.loop) == (100, "none")


def test_what_is_skipped_is_told() -> None:
    skipped = read_sfz(TEXT).skipped
    assert skipped["ampeg_attack"] == 1
    assert skipped["fil_type"] == 1
    assert skipped["<curve>"] == 1
    assert skipped["sample=*sine"] == 1


def test_what_is_written_reads_the_same() -> None:
    zones = [
        SfzZone("a.wav", 0, 59, 0, 127, 48.25, -2.0, 5.0, 10, "own", 100, 900, 0.02),
        SfzZone("b.wav", 60, 127, 20, 100, 72, loop="none"),
        SfzZone("c c.wav", root=50),
    ]
    again = read_sfz(write_sfz(zones, "Plates")).zones
    assert again[1:] == zones[1:]
    # A root between two keys comes back as a tuning.
    assert again[0].root - again[0].tune / 100 == pytest.approx(48.25 - 0.05)
    assert (again[0].loop_start, again[0].loop_end) == (100, 900)


@pytest.mark.parametrize(
    "text", ["", "Dear composer", "<region> volume=3", "<region> sample=a.wav lokey=h9"]
)
def test_what_is_no_instrument_is_told(text: str) -> None:
    with pytest.raises(SfzError):
        read_sfz(text)


def test_keys_are_numbers_or_names() -> None:
    assert [key_number(t) for t in ("0", "C-1", "a4", "Eb3", "g#9")] == [0, 0, 69, 51, 128]

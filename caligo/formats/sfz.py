"""SFZ, the open text format for sampled instruments: a subset in and out.

Read from the format's published opcode list (version 1, with ``loop_crossfade`` of version 2);
what is not understood is reported, never dropped in silence.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from caligo.errors import InputRefused

HEADERS = ("control", "global", "master", "group", "region")
NOTES = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
READ = (
    "sample", "lokey", "hikey", "key", "lovel", "hivel", "pitch_keycenter", "volume", "tune",
    "transpose", "offset", "loop_mode", "loopmode", "loop_start", "loopstart", "loop_end",
    "loopend", "loop_crossfade", "default_path", "note_offset", "octave_offset",
)  # fmt: skip
WORD = re.compile(r"<(\w{1,32})>|(?<![A-Za-z_0-9])([A-Za-z_0-9]{1,64})=")
MOST_CHARACTERS, MOST_ZONES = 1 << 20, 4_000
LARGEST = 1e12
"""No number of an SFZ file is larger."""


class SfzError(InputRefused):
    """A text that is not SFZ, or names no samples."""


@dataclass(frozen=True)
class SfzZone:
    """A region: a sample, where it plays, and its loop in samples (None for the file's own)."""

    sample: str
    key_low: int = 0
    key_high: int = 127
    velocity_low: int = 0
    velocity_high: int = 127
    root: float = 60.0
    volume: float = 0.0
    tune: float = 0.0
    offset: int = 0
    loop: str = "recording"
    loop_start: int = 0
    loop_end: int = 0
    loop_fade: float = 0.0


@dataclass(frozen=True)
class Sfz:
    """What was read, and what was not understood, with how often it came up."""

    zones: list[SfzZone]
    skipped: dict[str, int] = field(default_factory=dict)


def key_number(text: str) -> int:
    """A key as SFZ writes it: a number, or a name in which C4 is 60.

    >>> key_number("60"), key_number("c#4"), key_number("Bb-1")
    (60, 61, 10)
    """
    text = text.strip().lower()
    if re.fullmatch(r"-?\d{1,4}", text):
        return int(text)
    match = re.fullmatch(r"([a-g])([#b♯♭]?)(-?\d+)", text)
    if match is None:
        raise SfzError(f"{text[:40]!r} is not a key; write a number or a name such as c#4")
    letter, accidental, octave = match.groups()
    shift = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}[accidental]
    return 12 * (int(octave) + 1) + NOTES[letter] + shift


def _without_remarks(text: str) -> str:
    """The text without what stands between ``/*`` and ``*/``; one that never ends goes to the end.

    By searching, since a pattern would look through the rest again for each that never ends.
    """
    kept, at = [], 0
    while (begin := text.find("/*", at)) >= 0:
        kept.append(text[at:begin])
        end = text.find("*/", begin + 2)
        if end < 0:
            return "".join(kept)
        at = end + 2
    return "".join([*kept, text[at:]])


def _tokens(text: str) -> list[tuple[str, str]]:
    """``("<", header)`` and ``(opcode, value)`` in order; values may hold spaces."""
    plain = re.sub(r"//.*", "", _without_remarks(text))
    found = list(WORD.finditer(plain))
    tokens = []
    for i, match in enumerate(found):
        if match.group(1):
            tokens.append(("<", match.group(1).lower()))
            continue
        end = found[i + 1].start() if i + 1 < len(found) else len(plain)
        value = plain[match.end() : end].split("\n")[0].strip()
        tokens.append((match.group(2).lower(), value))
    return tokens


def read_sfz(text: str) -> Sfz:
    """Zones from SFZ text.

    Parameters
    ----------
    text : str

    Returns
    -------
    Sfz

    Raises
    ------
    SfzError
        If it holds no regions with samples, or a value makes no sense.

    Examples
    --------
    >>> read_sfz("<region> sample=low.wav key=36").zones[0].sample
    'low.wav'
    """
    if len(text) > MOST_CHARACTERS:
        raise SfzError(f"it is longer than {MOST_CHARACTERS >> 20} MB, too long for an SFZ file")
    scopes: dict[str, dict[str, str]] = {header: {} for header in HEADERS}
    regions: list[dict[str, str]] = []
    skipped: Counter[str] = Counter()
    here = ""
    for word, value in _tokens(text):
        if word == "<":
            here = value
            if here not in HEADERS:
                skipped[f"<{here}>"] += 1
                continue
            for inner in HEADERS[HEADERS.index(here) :]:
                scopes[inner] = {}
            if here == "region" and len(regions) >= MOST_ZONES:
                raise SfzError(f"it has more than {MOST_ZONES} regions")
            if here == "region":
                regions.append({k: v for outer in HEADERS[:-1] for k, v in scopes[outer].items()})
                scopes["region"] = regions[-1]
        elif here in HEADERS:
            if word not in READ:
                skipped[word] += 1
            scopes[here][word] = value
    zones = [_zone(region) for region in regions if region.get("sample")]
    without = len(regions) - len(zones)
    if without:
        skipped["regions without a sample"] += without
    for zone in [z for z in zones if "*" in z.sample]:
        # A sample whose name begins with an asterisk is a wave that the player makes itself.
        skipped[f"sample={zone.sample[zone.sample.index('*') :]}"] += 1
        zones.remove(zone)
    if not zones:
        raise SfzError("there are no regions with samples in it; is it an SFZ file?")
    return Sfz(zones, dict(skipped))


def _number(region: dict[str, str], key: str, default: float, of: Callable[[str], float]) -> float:
    if key not in region:
        return default
    try:
        found = of(region[key])
        if abs(found) <= LARGEST:  # not a number is not
            return found
    except ValueError:
        pass
    raise SfzError(f"{key}={region[key][:40]} is not possible")


def _zone(region: dict[str, str]) -> SfzZone:
    shift = int(
        _number(region, "note_offset", 0, int) + 12 * _number(region, "octave_offset", 0, int)
    )
    root = _number(region, "pitch_keycenter", 60.0, key_number)
    low, high = (int(_number(region, k, d, key_number)) for k, d in (("lokey", 0), ("hikey", 127)))
    if "key" in region:
        key = int(_number(region, "key", 60, key_number))
        low = high = key
        root = _number(region, "pitch_keycenter", key, key_number)
    mode = region.get("loop_mode", region.get("loopmode", ""))
    begin, end = (
        int(_number(region, k, _number(region, k.replace("_", ""), 0, int), int))
        for k in ("loop_start", "loop_end")
    )
    loops = mode in ("loop_continuous", "loop_sustain") or (mode == "" and end > begin)
    kind = "none" if mode in ("no_loop", "one_shot") else "own" if loops and end else "recording"
    return SfzZone(
        sample=(region.get("default_path", "") + region["sample"]).replace("\\", "/"),
        key_low=min(max(low + shift, 0), 127),
        key_high=min(max(high + shift, 0), 127),
        velocity_low=int(_number(region, "lovel", 0, int)),
        velocity_high=int(_number(region, "hivel", 127, int)),
        root=root + shift,
        volume=_number(region, "volume", 0.0, float),
        tune=_number(region, "tune", 0.0, float) + 100.0 * _number(region, "transpose", 0.0, float),
        offset=int(_number(region, "offset", 0, int)),
        loop=kind,
        loop_start=begin,
        # SFZ names the last sample that is played; here the end is the first that is not.
        loop_end=end + 1 if end else 0,
        loop_fade=_number(region, "loop_crossfade", 0.0, float),
    )


def write_sfz(zones: list[SfzZone], title: str = "") -> str:
    """SFZ text of zones."""
    lines = [f"// {title}"] if title else []
    for zone in zones:
        root = round(zone.root)
        values: dict[str, Any] = {
            "sample": zone.sample,
            "lokey": zone.key_low,
            "hikey": zone.key_high,
            "lovel": zone.velocity_low,
            "hivel": zone.velocity_high,
            "pitch_keycenter": root,
            # A root between two keys is reported by the tuning.
            "tune": round(zone.tune - 100.0 * (zone.root - root), 2),
            "volume": round(zone.volume, 2),
            "offset": zone.offset,
        }
        if zone.loop == "none":
            values["loop_mode"] = "no_loop"
        elif zone.loop == "own":
            values |= {
                "loop_mode": "loop_continuous",
                "loop_start": zone.loop_start,
                "loop_end": zone.loop_end - 1,
                "loop_crossfade": round(zone.loop_fade, 4),
            }
        lines.append("<region>")
        lines += [f"{key}={value}" for key, value in values.items()]
    return "\n".join(lines) + "\n"

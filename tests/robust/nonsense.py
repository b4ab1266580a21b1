"""Requests that make no sense, over every route of the API.

    python -m tests.robust.nonsense 2000

None may be answered with 500, with more than 2 kB where it is an error, or with anything but JSON
that says what is wrong.
"""

from __future__ import annotations

import json
import random
import sys
from collections import Counter
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import quote

from django.core.files.uploadedfile import SimpleUploadedFile

from tests.robust.studio import Client, in_a_folder

LARGEST_ERROR = 2_048
WORDS: list[Any] = [
    "%00", "..", "../../etc", "a" * 3_000, "", "null", "nan", "NaN", "inf", "-inf", "1e999", "-1",
    "0", "1", "2", "99999999999999999999999", "1.5", "true", "é", "💥", "'; --", "[]", "{}",
]  # fmt: skip


def _deep(levels: int) -> Any:
    found: Any = 1
    for _ in range(levels):
        found = [found]
    return found


VALUES: list[Callable[[random.Random], Any]] = [
    lambda r: None,
    lambda r: r.choice([True, False]),
    lambda r: r.choice([0, 1, -1, 2**31, 2**63, 2**64, -(2**70), 10**30]),
    lambda r: r.choice([0.0, -0.5, 1e308, float("nan"), float("inf"), -float("inf")]),
    lambda r: r.choice(WORDS),
    lambda r: "x" * r.choice([81, 5_000, 200_000]),
    lambda r: [VALUES[r.randrange(5)](r) for _ in range(r.randrange(4))],
    lambda r: {r.choice(["id", "kind", "text", "revision", "patch"]): VALUES[r.randrange(5)](r)},
    lambda r: _deep(r.choice([3, 60, 500, 900])),
]
PATCHES: list[list[dict[str, Any]]] = [
    [{"op": "copy", "from": "", "path": f"/x{i}"} for i in range(20)],
    [{"op": "replace", "path": "/layers/0/level", "value": float("nan")}],
    [{"op": "replace", "path": "", "value": _deep(500)}],
    [{"op": "add", "path": "/layers/-", "value": {}}],
    [{"op": "remove", "path": ""}],
    [{"op": "test", "path": "/name", "value": 4}],
    [{"op": "move", "from": "/layers/0", "path": "/layers/0/source"}],
    [{"op": "fly", "path": "/name"}],
    [{"path": 4}],
    [{"op": "replace", "path": "/name", "value": "x" * 100_000}],
    [{"op": "add", "path": "/layers/0/params/level", "value": 10**400}],
]


def _value(r: random.Random) -> Any:
    return r.choice(VALUES)(r)


def _body(r: random.Random, schema: dict[str, Any], known: dict[str, Any]) -> Any:
    """A body that is near to what is wanted, or nothing of the kind."""
    if r.random() < 0.2:
        return _value(r)
    name = str(schema.get("$ref", "")).rpartition("/")[2]
    fields = known.get(name, {}).get("properties", {})
    body = {field: _value(r) for field in fields if r.random() < 0.8}
    if "patch" in fields:
        body |= {"patch": r.choice([*PATCHES, _value(r)]), "revision": r.choice([0, 1, 2, 2**70])}
    if "name" in fields and r.random() < 0.5:
        body["name"] = r.choice(["A", "", "é", "n" * 90])
    return body


def _path(r: random.Random, path: str, keys: list[str]) -> str:
    while "{" in path:
        before, _, rest = path.partition("{")
        _, _, after = rest.partition("}")
        sense = r.choice(["1", "1", *keys])
        path = before + (sense if r.random() < 0.4 else quote(str(r.choice(WORDS)))) + after
    return path


def requests(seed: int, keys: list[str]) -> Iterator[tuple[str, str, Any, dict[str, Any]]]:
    """Method, path, body and files of one request after the other."""
    from studio.api import api

    r = random.Random(seed)
    schema = json.loads(json.dumps(api.get_openapi_schema(), default=str))
    known = schema["components"]["schemas"]
    routes = [
        (method, path, operation)
        for path, methods in schema["paths"].items()
        for method, operation in methods.items()
    ]
    while True:
        method, path, operation = r.choice(routes)
        if r.random() < 0.05:
            method = r.choice(["get", "post", "put", "delete", "options"])
        where = _path(r, path, keys) + r.choice(["", "", "", "/", "x"])
        query = [
            f"{p['name']}={quote(str(r.choice(WORDS)))}"
            for p in operation.get("parameters", [])
            if p["in"] == "query" and r.random() < 0.7
        ]
        content = operation.get("requestBody", {}).get("content", {})
        files: dict[str, Any] = {}
        body: Any = None
        if "multipart/form-data" in content:
            name = r.choice(["a.wav", "b.mid", "c.sfz", "d.scl", "e.png", "f.json", "é" * 200])
            data = r.choice([b"", b"\0" * 50, b"MThd\0\0", r.randbytes(400), b"{" * 3_000])
            files = {r.choice(["file", "files"]): SimpleUploadedFile(name, data)}
        elif content:
            body = _body(r, next(iter(content.values()))["schema"], known)
        yield method.upper(), where + ("?" + "&".join(query) if query else ""), body, files


def complaint(answer: Any) -> str:
    """What is wrong with an answer, or nothing."""
    if answer.status_code < 400:
        return ""
    if answer.status_code == 500:
        return "500"
    content = answer.content
    if len(content) > LARGEST_ERROR:
        return f"{len(content)} bytes"
    try:
        said = json.loads(content, parse_constant=lambda name: 1 / 0)
    except (ValueError, ZeroDivisionError):
        return "not JSON"
    return "" if isinstance(said, dict) and said.get("text") else "no text"


def run(count: int, seed: int = 1) -> tuple[Counter[int], list[str]]:
    """The answers by status, and complaints."""
    client = Client()
    keys = [piece["card"]["key"] for piece in client.get("/api/material").json()]
    statuses: Counter[int] = Counter()
    complaints = []
    made = requests(seed, keys[:3])
    for _ in range(count):
        method, path, body, files = next(made)
        answer = client.send(method, path, body, files)
        statuses[answer.status_code] += 1
        wrong = complaint(answer)
        if wrong:
            complaints.append(f"{wrong}: {method} {path[:120]} {json.dumps(body)[:160]}")
    return statuses, complaints


def main() -> None:
    """Print the tally."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2_000
    with in_a_folder():
        statuses, complaints = run(count)
    for status, times in sorted(statuses.items()):
        print(f"{status}: {times}")
    print(f"{count} requests, {len(complaints)} complaints")
    print("\n".join(complaints[:40]))
    raise SystemExit(1 if complaints else 0)


if __name__ == "__main__":
    main()

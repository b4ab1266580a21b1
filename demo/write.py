"""Write the demo's documents as JSON files: ``python -m demo.write``."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from caligo.document import read_sound
from demo.scores import CUES
from demo.sounds import SOUNDS

FOLDER = Path(__file__).parent


def documents() -> dict[str, Any]:
    """Every demo document, complete, by its path under the demo's folder."""
    found: dict[str, Any] = {}
    for make in SOUNDS:
        found[f"sounds/{make.__name__}.json"] = read_sound(make()).as_document()
    for cue in CUES:
        found[f"scores/{cue.number}.json"] = cue.score.model_dump(mode="json")
    return found


def main() -> None:
    """Write the files, or with ``--check`` say which differ from what would be written."""
    stale = []
    for path, document in documents().items():
        file, text = FOLDER / path, json.dumps(document, indent=1) + "\n"
        if "--check" not in sys.argv:
            file.parent.mkdir(exist_ok=True)
            file.write_text(text)
        elif not file.exists() or file.read_text() != text:
            stale.append(path)
    if stale:
        sys.exit(f"demo: {', '.join(stale)} differ from the scripts; run python -m demo.write")


if __name__ == "__main__":
    main()

"""What a studio that was killed has left behind: swept away at the next start."""

from __future__ import annotations

import logging
import shutil
from pathlib import Path

from django.conf import settings

logger = logging.getLogger("studio.cleanup")

PICTURES = "pictures"
"""The folder of finished pictures, in that of the stems."""
UPLOADS = "upload-"
"""How the folders of uploads begin."""


def sweep() -> int:
    """Remove scratch files, uploads half taken in, and recordings without a card; how many.

    What was made of long recordings goes as well: it is made again where it is needed.
    Unfinished renders are swept by `studio.renders.jobs.recover`, which marks them.
    """
    data = Path(settings.DATA_DIR)
    left = list(data.glob(f"{UPLOADS}*"))
    stems = Path(settings.STEMS_DIR)
    pictures = stems / PICTURES
    left += [p for p in stems.glob("*") if p.suffix != ".stem" and p != pictures]
    left += [path for path in pictures.glob("*") if path.suffix != ".npz"]
    left += _without_cards(data / "material")
    for path in left:
        if path.is_dir():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
    if left:
        logger.info("swept away %d files that were left behind", len(left))
    return len(left)


def _without_cards(store: Path) -> list[Path]:
    """Scratch files, and files whose card was never written; cards put aside keep theirs."""
    found = list(store.glob(".*"))
    keys = {path.stem for path in store.glob("*") if path.suffix in (".json", ".let-go")}
    return found + [p for p in store.glob("*") if p.stem not in keys and not p.name.startswith(".")]

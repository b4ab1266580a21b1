"""Starting after a kill, on a full disk, and renders whose end cannot be written down."""

from __future__ import annotations

import shutil
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from django.db import OperationalError
from django.db.models import QuerySet

from studio import serve
from studio.cleanup import PICTURES, sweep
from studio.library.models import Sound
from studio.renders import jobs
from studio.renders.models import Render


def test_what_a_kill_leaves_behind_is_swept_away(settings: Any, tmp_path: Path) -> None:
    settings.DATA_DIR = tmp_path
    shelf = tmp_path / "material"
    kept = [
        shelf / "aa.json", shelf / "aa.wav", shelf / "bb.let-go", shelf / "bb.npy",
        tmp_path / "stems" / "k-000001.stem", tmp_path / "stems" / PICTURES / "f-k.npz",
        tmp_path / "renders" / "4.wav", tmp_path / "studio.sqlite3",
    ]  # fmt: skip
    left = [
        shelf / "cc.wav", shelf / ".aa.77.wav", tmp_path / "upload-x1" / "upload.wav",
        tmp_path / "stems" / "k-000002.12-9", tmp_path / "stems" / PICTURES / "k.12-9",
        shelf / "made" / "aa.npy",
    ]  # fmt: skip
    for path in [*kept, *left]:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"x")
    assert sweep() == len(left)
    assert not (shelf / "made").exists()
    assert all(path.exists() for path in kept)
    assert not any(path.exists() for path in left)
    assert sweep() == 0


def test_a_start_without_room_says_so_and_changes_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=100 << 10))
    with pytest.raises(SystemExit, match="only 100 kB are free"):
        serve.check_space(tmp_path)
    assert list(tmp_path.iterdir()) == []


@pytest.fixture
def render(sound: Sound) -> Render:
    return Render.objects.create(
        sound=sound, document=sound.document, score=sound.cue.score.document, container="wav",
        sample_format="pcm24", rate=48_000, start=0.0, end=1.0, state=Render.State.RUNNING,
    )  # fmt: skip


def test_an_end_is_written_down_once_there_is_room(
    render: Render, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(jobs, "WAITS", (0.0, 0.0, 0.0))
    tries = 0
    update = QuerySet.update

    def full(self: QuerySet[Any], **more: Any) -> int:
        nonlocal tries
        tries += 1
        if tries < 3:
            raise OperationalError("database or disk is full")
        return update(self, **more)

    monkeypatch.setattr(QuerySet, "update", full)
    jobs._finish(render, Render.State.FAILED, "The disk is full.")
    render.refresh_from_db()
    assert (tries, render.state, render.message) == (3, Render.State.FAILED, "The disk is full.")


def test_a_render_that_nobody_works_on_can_be_cancelled(render: Render) -> None:
    jobs.cancel(render)
    render.refresh_from_db()
    assert render.state == Render.State.CANCELLED

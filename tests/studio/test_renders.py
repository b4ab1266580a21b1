"""Renders in the background: progress, cancelling, failure, being cut off."""

from __future__ import annotations

import io
import time
from pathlib import Path
from typing import Any, get_args

import pytest
import soundfile

from caligo.formats.audio import SAMPLE_FORMATS
from studio.library.models import Sound
from studio.renders import jobs
from studio.renders.models import Render
from studio.renders.schemas import RenderIn
from studio.workers import Worker
from tests.studio.conftest import Api, gathered

pytestmark = pytest.mark.django_db(transaction=True)


def wait_for(render_id: int, *states: str, seconds: float = 60.0) -> Render:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        render = Render.objects.get(pk=render_id)
        if render.state in states:
            return render
        time.sleep(0.05)
    raise AssertionError(f"the render is still {render.state}")


def begun(api: Api, sound: Sound, **more: Any) -> int:
    answer = api("POST", f"/sounds/{sound.pk}/renders", more)
    assert answer.status_code == 201, answer.content
    return int(answer.json()["id"])


@pytest.mark.parametrize(("container", "sample_format"), [("wav", "pcm24"), ("flac", "pcm16")])
def test_a_render_becomes_a_file(
    api: Api, sound: Sound, container: str, sample_format: str
) -> None:
    number = begun(api, sound, container=container, sample_format=sample_format, tail=1.0)
    render = wait_for(number, "done", "failed")
    assert render.state == "done", render.message
    assert render.progress == 1.0
    answer = api("GET", f"/renders/{number}/file")
    content = b"".join(answer.streaming_content) if not answer.is_async else gathered(answer)
    samples, rate = soundfile.read(io.BytesIO(content))
    assert len(samples) == 9 * rate
    assert abs(samples).max() > 0.01
    assert container in answer.headers["Content-Disposition"]
    listed = api("GET", f"/sounds/{sound.pk}/renders").json()
    assert [r["state"] for r in listed] == ["done"]


def test_a_render_can_be_cancelled_and_run_again(api: Api, sound: Sound) -> None:
    number = begun(api, sound, end=600.0)
    wait_for(number, "running")
    api("POST", f"/renders/{number}/cancel")
    render = wait_for(number, "cancelled", "done")
    assert render.state == "cancelled"
    assert not jobs.path_of(render).exists()
    again = api("POST", f"/renders/{number}/again").json()
    api("POST", f"/renders/{again['id']}/cancel")
    wait_for(again["id"], "cancelled", "done")


def test_waiting_renders_can_be_cancelled(api: Api, sound: Sound) -> None:
    first, second = begun(api, sound, end=600.0), begun(api, sound)
    api("POST", f"/renders/{second}/cancel")
    api("POST", f"/renders/{first}/cancel")
    assert wait_for(second, "cancelled", "done").state == "cancelled"
    wait_for(first, "cancelled", "done")


def test_a_full_disk_is_explained(api: Api, sound: Sound, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Worker, "run", full)
    render = wait_for(begun(api, sound), "failed")
    assert "disk is full" in render.message
    assert "the sound itself is safe" in render.message


def test_a_folder_that_cannot_be_written_is_explained(
    api: Api, sound: Sound, settings: Any, tmp_path: Path
) -> None:
    (tmp_path / "file").write_text("in the way")
    settings.RENDERS_DIR = tmp_path / "file" / "renders"
    assert "could not be written" in wait_for(begun(api, sound), "failed").message


def test_what_was_under_way_at_a_kill_is_marked(api: Api, sound: Sound) -> None:
    def left(state: Render.State) -> Render:
        return Render.objects.create(
            sound=sound, document=sound.document, score=sound.cue.score.document, container="wav",
            sample_format="pcm16", rate=48_000, start=0.0, end=2.0, state=state,
        )  # fmt: skip

    running, waiting = left(Render.State.RUNNING), left(Render.State.WAITING)
    done = left(Render.State.DONE)
    part = jobs.path_of(running).with_name(f".{running.pk}.123.part.wav")
    part.parent.mkdir(parents=True)
    part.write_bytes(b"half")
    assert jobs.recover() == 2
    assert not part.exists()
    for render in (running, waiting):
        render.refresh_from_db()
        assert render.state == Render.State.CUT_OFF
        assert "Render it again" in render.message
    done.refresh_from_db()
    assert done.state == Render.State.DONE
    again = api("POST", f"/renders/{running.pk}/again").json()
    assert wait_for(again["id"], "done", "failed").state == "done"


@pytest.mark.parametrize(
    "body",
    [
        {"container": "mp9"},
        {"rate": 12_000},
        {"start": 5.0, "end": 2.0},
        {"container": "flac", "sample_format": "float32"},
        {"tail": 900},
    ],
)
def test_impossible_renders_are_refused(api: Api, sound: Sound, body: dict[str, Any]) -> None:
    assert api("POST", f"/sounds/{sound.pk}/renders", body).status_code == 422
    assert Render.objects.count() == 0


def test_a_file_that_is_not_there_is_said(api: Api, sound: Sound) -> None:
    render = wait_for(begun(api, sound, end=1.0), "done")
    jobs.path_of(render).unlink()
    assert api("GET", f"/renders/{render.pk}/file").status_code == 404


def test_the_api_takes_the_sample_formats_that_the_core_writes() -> None:
    annotation = RenderIn.model_fields["sample_format"].annotation
    assert get_args(annotation) == tuple(SAMPLE_FORMATS)

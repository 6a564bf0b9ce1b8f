"""Photos beside a figure that an operator types, and in its place."""

import io
from typing import Any

import pytest
from PIL import Image

from loricate.client import Client, RefusedError
from tests.conftest import release


def entries(code: str) -> dict[str, Any]:
    """A sequence that asks for a figure with its photo, and for one that a photo may stand for."""
    asked = {"quantity": "voltage", "target": "24 V"}
    return {
        "format": "loricate-sequence/2", "code": code, "title": "Panel", "product": "DC-40",
        "steps": [
            {"id": "panel", "kind": "entry",
             "settings": {"question": "Panel voltage", "photo": "beside", **asked}},
            {"id": "lamp", "kind": "entry",
             "settings": {"question": "Lamp voltage", "photo": "instead", **asked}},
        ],
    }  # fmt: skip


def photo(shade: int = 40) -> bytes:
    data = io.BytesIO()
    Image.new("RGB", (32, 24), (shade, 90, 40)).save(data, "PNG")
    return data.getvalue()


def test_a_photo_comes_with_a_figure_or_stands_for_it(client: Client) -> None:
    release(client, entries("PHOTO-1"))
    run = client.create_run("PHOTO-1", "FX-A", {"1": "PH-1"})
    client.arm_run(run.id)
    client.start_run(run.id)
    asked = []
    for event in client.events(run.id):
        if event.name != "question":
            continue
        asked.append((event.data["question"], event.data["photo"]))
        if event.data["step"] == "panel":
            with pytest.raises(RefusedError, match="picture: is missing; a photo must come"):
                client.answer(run.id, "1", "24.1 V")
            with pytest.raises(RefusedError, match="choice: '' is not a number"):
                client.answer(run.id, "1", "", picture=photo())
            client.answer(run.id, "1", "24.1 V", picture=photo())
        else:
            with pytest.raises(RefusedError, match="choice: '' is not a number"):
                client.answer(run.id, "1", "")
            client.answer(run.id, "1", "", "needle at 24", picture=photo(80))
    assert asked == [("Panel voltage", "beside"), ("Lamp voltage", "instead")]
    (unit,) = client.run(run.id).units
    panel, lamp = unit.answers
    assert panel.picture is not None and lamp.picture is not None
    assert client.picture(lamp.picture)
    assert (panel.choice, lamp.choice, lamp.note) == ("24.1 V", "", "needle at 24")
    figures, shown = unit.attempts
    assert [each.text for each in figures.readings] == ["24.10 V"] and shown.readings == []
    assert shown.note == f"Photo {lamp.picture[:12]}. needle at 24"
    assert unit.verdict == "pass"


def test_a_picture_that_was_never_sent_is_refused(client: Client) -> None:
    release(client, entries("PHOTO-2"))
    run = client.create_run("PHOTO-2", "FX-A", {"1": "PH-2"})
    client.arm_run(run.id)
    client.start_run(run.id)
    next(event for event in client.events(run.id) if event.name == "question")
    body = {"nest": "1", "choice": "24 V", "picture": "ab" * 32}
    with pytest.raises(RefusedError, match="picture: is not kept here; send it to"):
        client.send("POST", f"/api/v1/runs/{run.id}/answers", json=body)
    client.abort_run(run.id)

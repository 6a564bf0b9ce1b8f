"""Pictures: re-encoded, bounded, kept once under their digest."""

import hashlib
import io
import sqlite3
from pathlib import Path

import pytest
from PIL import Image

from loricate.records import pictures
from loricate.records.errors import NotFound, PictureRefused


def picture(kind: str = "PNG", size: tuple[int, int] = (40, 20), **more: object) -> bytes:
    out = io.BytesIO()
    image = Image.new("RGB", size, (200, 30, 30))
    image.putpixel((0, 0), (0, 0, 255))
    image.save(out, kind, **more)
    return out.getvalue()


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP"])
def test_a_picture_is_kept_once_under_its_digest(
    conn: sqlite3.Connection, tmp_path: Path, kind: str
) -> None:
    folder = tmp_path / "pictures"
    kept = pictures.reencode(picture(kind))
    assert kept.digest == hashlib.sha256(kept.data).hexdigest()
    for _ in range(2):
        pictures.keep_picture(conn, folder, kept, "mara")
    files = [path for path in folder.rglob("*") if path.is_file()]
    assert [path.name for path in files] == [kept.digest]
    found = pictures.get_picture(conn, folder, kept.digest)
    assert found == kept and pictures.has_picture(conn, kept.digest)


def test_nothing_hidden_passes() -> None:
    """Metadata, and whatever is hung on the end of the file, is gone."""
    exif = Image.Exif()
    exif[0x010E] = "secret place"
    exif[0x0112] = 6  # turned by 90 degrees
    hidden = picture("JPEG", exif=exif.tobytes(), comment=b"secret") + b"PK secret archive"
    kept = pictures.reencode(hidden)
    assert b"secret" not in kept.data
    with Image.open(io.BytesIO(kept.data)) as found:
        assert not found.getexif() and found.size == (20, 40), "upright without its mark"


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"<svg onload='x'/>", "not a whole PNG, JPEG or WebP"),
        (picture()[:60], "not a whole PNG"),
        (picture("GIF"), "not a whole PNG"),
        (b"\x89PNG" + b"0" * pictures.MOST_BYTES, "at most 8 MiB"),
    ],
)
def test_what_is_no_picture_is_refused(data: bytes, told: str) -> None:
    with pytest.raises(PictureRefused, match=told):
        pictures.reencode(data)


def test_a_picture_of_too_many_pixels_is_refused() -> None:
    with pytest.raises(PictureRefused, match="million"):
        pictures.reencode(picture(size=(8000, 6000)))


def test_a_digest_that_is_not_kept_is_told(conn: sqlite3.Connection, tmp_path: Path) -> None:
    with pytest.raises(NotFound):
        pictures.get_picture(conn, tmp_path, "../../etc/passwd")

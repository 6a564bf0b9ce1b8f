"""Pictures: re-encoded so that nothing hidden passes, and kept beside the database by digest."""

import hashlib
import io
import sqlite3
import warnings
from dataclasses import dataclass
from pathlib import Path

from PIL import Image, ImageOps

from loricate.records import audit
from loricate.records.errors import NotFound, PictureRefused
from loricate.records.kept_files import keep_file, place_of
from loricate.records.stamps import now

MOST_BYTES = 8 * 2**20
MOST_PIXELS = 40_000_000
MEDIA_TYPES = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture as kept: its digest is the SHA-256 of ``data``."""

    digest: str
    media_type: str
    width: int
    height: int
    data: bytes


def reencode(data: bytes) -> Picture:
    """Decode a PNG, JPEG or WebP and encode its pixels afresh, upright and without metadata.

    Raises PictureRefused, with the remedy, for anything else.
    """
    if len(data) > MOST_BYTES:
        raise PictureRefused(
            f"has {len(data) / 2**20:.1f} MiB; at most {MOST_BYTES // 2**20} MiB are taken"
        )
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data), formats=list(MEDIA_TYPES)) as found:
                kind = str(found.format)
                if found.width * found.height > MOST_PIXELS:
                    raise PictureRefused(
                        f"has {found.width} x {found.height} pixels; at most "
                        f"{MOST_PIXELS // 10**6} million are taken"
                    )
                upright = ImageOps.exif_transpose(found)
                mode = "RGB" if kind == "JPEG" or "A" not in upright.getbands() else "RGBA"
                pixels = Image.new(mode, upright.size)
                pixels.paste(upright.convert(mode))
    except PictureRefused:
        raise
    except Exception as error:  # the decoders raise errors of many kinds on damaged files
        raise PictureRefused("is not a whole PNG, JPEG or WebP picture") from error
    out = io.BytesIO()
    quality = {"quality": 88} if kind != "PNG" else {}
    pixels.save(out, kind, **quality)
    fresh = out.getvalue()
    digest = hashlib.sha256(fresh).hexdigest()
    return Picture(digest, MEDIA_TYPES[kind], pixels.width, pixels.height, fresh)


def keep_picture(conn: sqlite3.Connection, folder: Path, picture: Picture, account: str) -> None:
    """Write a picture's file, then its row; the same picture is kept once."""
    keep_file(folder, picture.data)
    added = conn.execute(
        "INSERT OR IGNORE INTO picture (digest, media_type, width, height, bytes, added_at,"
        " added_by) VALUES (?, ?, ?, ?, ?, ?, ?)",
        (
            picture.digest,
            picture.media_type,
            picture.width,
            picture.height,
            len(picture.data),
            now(),
            account,
        ),
    )
    if added.rowcount:
        audit.note(conn, account, "add picture", picture.digest)


def get_picture(conn: sqlite3.Connection, folder: Path, digest: str) -> Picture:
    """A picture by its digest; raises NotFound."""
    row = conn.execute(
        "SELECT media_type, width, height FROM picture WHERE digest = ?", (digest,)
    ).fetchone()
    if row is None:
        raise NotFound("picture", digest)
    data = place_of(folder, digest).read_bytes()
    return Picture(digest, row["media_type"], row["width"], row["height"], data)


def media_type_of(conn: sqlite3.Connection, digest: str) -> str:
    """The form of a picture by its digest; raises NotFound."""
    row = conn.execute("SELECT media_type FROM picture WHERE digest = ?", (digest,)).fetchone()
    if row is None:
        raise NotFound("picture", digest)
    return str(row["media_type"])


def has_picture(conn: sqlite3.Connection, digest: str) -> bool:
    """Whether a picture is kept under this digest."""
    row = conn.execute("SELECT 1 FROM picture WHERE digest = ?", (digest,)).fetchone()
    return row is not None

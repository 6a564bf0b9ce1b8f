"""Photos and logos on paper: the typesetter takes text alone, so one comes to it in an SVG."""

import base64
import io

from PIL import Image, UnidentifiedImageError

WIDEST, HIGHEST = 1200, 900  # pixels of a photo on paper
MEDIA_TYPES = {"PNG": "image/png", "JPEG": "image/jpeg"}


class NoPicture(ValueError):
    """What should be a PNG or JPEG is none."""


def in_svg(data: bytes) -> bytes:
    """An SVG that shows a PNG or JPEG as it is; raises NoPicture."""
    try:
        with Image.open(io.BytesIO(data), formats=list(MEDIA_TYPES)) as found:
            found.load()
            (width, height), kind = found.size, MEDIA_TYPES[str(found.format)]
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise NoPicture(f"no whole PNG or JPEG ({error})") from error
    shown = base64.b64encode(data).decode()
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" '
        f'viewBox="0 0 {width} {height}"><image width="{width}" height="{height}" '
        f'href="data:{kind};base64,{shown}"/></svg>'
    ).encode()


def photo_in_svg(data: bytes) -> bytes:
    """An SVG that shows a photo no larger than paper can show it; raises NoPicture."""
    try:
        with Image.open(io.BytesIO(data)) as found:
            found.thumbnail((WIDEST, HIGHEST))
            shown = found.convert("RGBA")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise NoPicture(f"no whole picture ({error})") from error
    flat = Image.new("RGB", shown.size, "white")
    flat.paste(shown, mask=shown.getchannel("A"))
    out = io.BytesIO()
    flat.save(out, "JPEG", quality=85)
    return in_svg(out.getvalue())

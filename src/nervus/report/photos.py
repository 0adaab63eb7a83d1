"""Photos for a report: turned upright, scaled to what a page shows, their hidden data left out."""

from io import BytesIO
from pathlib import Path

from nervus.domain.errors import OutsideError

# A page is 174 mm wide between its margins: so many points print it at 200 to the inch.
WIDEST = 1370
_MOST_PIXELS = 120_000_000
_QUALITY = 82


class PhotoUnusable(OutsideError):
    """A file that is no picture, or can't be read."""


def scaled_photo(path: Path, widest: int = WIDEST) -> bytes:
    """A photo as JPEG, no wider and no taller than so many points.

    Raises:
        PhotoUnusable: it is no picture, or not there any more.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError  # noqa: PLC0415 - seldom wanted

    try:
        with Image.open(path) as opened:
            if opened.width * opened.height > _MOST_PIXELS:
                raise PhotoUnusable(
                    f"{path.name}: too large for a report; accepted is up to 120 megapixels."
                )
            upright = ImageOps.exif_transpose(opened)
            flat = Image.new("RGB", upright.size, "white")
            shown = upright.convert("RGBA")
            flat.paste(shown, mask=shown.getchannel("A"))
    except UnidentifiedImageError as wrong:
        raise PhotoUnusable(
            f"{path.name}: it is no picture; accepted are such as JPEG, PNG, WebP and TIFF."
        ) from wrong
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as wrong:
        raise PhotoUnusable(f"{path.name}: the picture can't be read ({wrong}).") from wrong
    flat.thumbnail((widest, widest))
    out = BytesIO()
    flat.save(out, format="JPEG", quality=_QUALITY, optimize=True)
    return out.getvalue()

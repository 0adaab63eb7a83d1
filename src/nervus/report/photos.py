"""Photos for a report: turned upright, scaled to what a page shows, their hidden data left out."""

from collections.abc import Iterator
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path

from nervus.domain.errors import OutsideError
from nervus.language import say

# A page is 174 mm wide between its margins: so many points print it at 200 to the inch.
WIDEST = 1370
_MOST_PIXELS = 120_000_000
_QUALITY = 82


class PhotoUnusable(OutsideError):
    """A file that is no picture, or can't be read."""


@contextmanager
def _as_picture(path: Path) -> Iterator[None]:
    """What is wrong with a picture, in a sentence."""
    from PIL import Image, UnidentifiedImageError  # noqa: PLC0415 - seldom wanted

    try:
        yield
    except UnidentifiedImageError as wrong:
        raise PhotoUnusable(
            say(
                "{name}: it is no picture; accepted are such as JPEG, PNG, WebP and TIFF.",
                name=path.name,
            )
        ) from wrong
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as wrong:
        raise PhotoUnusable(
            say("{name}: the picture can't be read ({wrong}).", name=path.name, wrong=wrong)
        ) from wrong


def check_photo(path: Path) -> None:
    """See whether a file is a picture, before it is kept as one.

    Raises:
        PhotoUnusable: it is none, or can't be read.
    """
    from PIL import Image  # noqa: PLC0415 - seldom wanted

    with _as_picture(path), Image.open(path) as opened:
        opened.verify()


def scaled_photo(path: Path, widest: int = WIDEST) -> bytes:
    """A photo as JPEG, no wider and no taller than so many points.

    Raises:
        PhotoUnusable: it is no picture, or not there any more.
    """
    from PIL import Image, ImageOps  # noqa: PLC0415 - seldom wanted

    with _as_picture(path), Image.open(path) as opened:
        if opened.width * opened.height > _MOST_PIXELS:
            raise PhotoUnusable(
                say("{name}: too large for a report; accepted is up to 120 megapixels.", name=path.name)
            )
        upright = ImageOps.exif_transpose(opened)
        flat = Image.new("RGB", upright.size, "white")
        shown = upright.convert("RGBA")
        flat.paste(shown, mask=shown.getchannel("A"))
    flat.thumbnail((widest, widest))
    out = BytesIO()
    flat.save(out, format="JPEG", quality=_QUALITY, optimize=True)
    return out.getvalue()

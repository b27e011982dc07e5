"""A photo as it is kept with a record: turned upright, small, without where and by what it was taken."""

from __future__ import annotations

import io

from PIL import Image, ImageFile, ImageOps, UnidentifiedImageError

_LONGEST_PX = 1280
_MOST_PX = 60_000_000
_KEPT_BYTES = 220_000
_QUALITIES = (80, 70, 60, 50, 40)
_FORMATS = ("JPEG", "PNG", "WEBP")


class PhotoError(ValueError):
    """The file is no photo that can be kept. ``message`` says what to do."""

    code = "invalid"
    field = "file"

    def __init__(self, message: str) -> None:
        super().__init__(message)
        self.message = message


def read_photo(data: bytes) -> bytes:
    """Return a photo as a small JPEG.

    Raises
    ------
    PhotoError
        It is no JPEG, PNG or WebP, is cut off, or is larger than any camera takes.
    """
    # A library beside this one may have told the decoder to fill in what is missing.
    fills_in, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, False
    try:
        with Image.open(io.BytesIO(data), formats=_FORMATS) as opened:
            if opened.width * opened.height > _MOST_PX:
                raise PhotoError(f"The photo has {opened.width} × {opened.height} pixels. Send one of 60 megapixels at most.")
            # Asked for a draft, the decoder of large photos reads them smaller at once.
            opened.draft("RGB", (_LONGEST_PX, _LONGEST_PX))
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except PhotoError:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as bad:
        raise PhotoError("This is no photo that can be read. Take it again as JPEG, PNG or WebP.") from bad
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = fills_in
    upright.thumbnail((_LONGEST_PX, _LONGEST_PX))
    kept = b""
    for quality in _QUALITIES:
        held = io.BytesIO()
        upright.save(held, "JPEG", quality=quality, optimize=True)
        kept = held.getvalue()
        if len(kept) <= _KEPT_BYTES:
            break
    return kept

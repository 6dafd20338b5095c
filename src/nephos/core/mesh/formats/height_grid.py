"""Heights from a greyscale picture: white is high. Used in the sandbox, so it imports no kernels."""

import io
from typing import Any

import numpy as np

WIDTH = 200.0
HEIGHT = 20.0
MOST_POINTS = 2_500_000


def height_grid(data: bytes) -> tuple[Any, Any, list[str], float | None]:
    """A sheet of triangles over the points of a PNG or TIFF of 8 or 16 bits.

    The wider side becomes 200 mm and white stands 20 mm over black, as a picture has no size of its own. Raises
    ValueError with a sentence for what is no such picture."""
    from PIL import Image, UnidentifiedImageError

    Image.MAX_IMAGE_PIXELS = 120_000_000
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "TIFF")) as picture:
            if picture.width * picture.height > 100_000_000:
                raise ValueError(
                    f"the picture has {picture.width} x {picture.height} points: make it smaller than 10000 x 10000"
                )
            plain = picture.mode in {"L", "I;16", "I;16B", "I", "F", "1"}
            notes = [] if plain else ["the picture has colours: their brightness was taken as height"]
            grey = picture if not notes else picture.convert("L")
            heights = np.asarray(grey, np.float64)
    except UnidentifiedImageError:
        raise ValueError("this is no PNG or TIFF picture") from None
    except (OSError, SyntaxError, Image.DecompressionBombError):
        raise ValueError("the picture is damaged or too large: save it again") from None
    if min(heights.shape) < 2:
        raise ValueError("the picture is less than two points wide or high")
    sieve = int(np.ceil(np.sqrt(heights.size / MOST_POINTS)))
    if sieve > 1:
        heights = heights[::sieve, ::sieve]
        notes.append(
            f"every {sieve}th point of the picture was taken, which leaves {heights.shape[1]} x {heights.shape[0]}"
        )
    low, high = float(heights.min()), float(heights.max())
    if not high > low:
        raise ValueError("the picture is all of one grey: there is no relief in it")
    ny, nx = heights.shape
    pitch = WIDTH / (max(nx, ny) - 1)
    y, x = np.mgrid[ny - 1 : -1 : -1, 0:nx] * pitch
    z = (heights - low) * (HEIGHT / (high - low))
    k = np.arange(ny * nx, dtype=np.int32).reshape(ny, nx)
    a, b, c, d = (q.ravel() for q in (k[1:, :-1], k[1:, 1:], k[:-1, 1:], k[:-1, :-1]))
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    notes.append(
        f"a picture has no size: {WIDTH:g} mm for its longer side and {HEIGHT:g} mm from black to white are assumed"
    )
    return np.stack([x, y, z], -1).reshape(-1, 3), faces, notes, 1.0

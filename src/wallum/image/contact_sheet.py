"""Many small pictures on one, with the hour over each column and the shot beside each row."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

__all__ = ["contact_sheet"]

GROUND, TEXT = (43, 43, 43), (184, 184, 184)
GAP, LABEL = 6, 20


def contact_sheet(
    pictures: Sequence[Sequence[NDArray[np.uint8]]],
    labels: Sequence[str],
    titles: Sequence[str],
    columns: int,
) -> NDArray[np.uint8]:
    """(H, W, 3) a sheet of pictures in rows of at most `columns`, each with its label.

    pictures : for each title a sequence of (h, w, 3), as many as there are labels
    """
    height, width = pictures[0][0].shape[:2]
    lines = -(-len(labels) // columns)
    across = min(columns, len(labels))
    block = LABEL + lines * (height + LABEL + GAP)
    sheet = Image.new("RGB", (GAP + across * (width + GAP), GAP + len(titles) * block), GROUND)
    draw, font = ImageDraw.Draw(sheet), ImageFont.load_default(13)
    for number, (title, row) in enumerate(zip(titles, pictures, strict=True)):
        top = GAP + number * block
        draw.text((GAP, top), title, fill=(232, 232, 232), font=font)
        for i, (label, picture) in enumerate(zip(labels, row, strict=True)):
            x = GAP + i % columns * (width + GAP)
            y = top + LABEL + i // columns * (height + LABEL + GAP)
            sheet.paste(Image.fromarray(picture), (x, y))
            draw.text((x + 1, y + height + 2), label, fill=TEXT, font=font)
    return np.asarray(sheet)

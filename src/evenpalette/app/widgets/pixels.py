"""The pixels of a picture of Qt as an array."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage


def pixels_of(image: QImage) -> NDArray[np.uint8]:
    """uint8 (height, width, channels) of a picture with 8 bits a channel; a copy, as the memory goes with the
    picture."""
    bits = image.constBits()
    assert bits is not None
    bits.setsize(image.sizeInBytes())
    channels = image.depth() // 8
    rows = np.frombuffer(bits, np.uint8).reshape(image.height(), image.bytesPerLine())  # type: ignore[call-overload]
    return np.array(rows[:, : image.width() * channels].reshape(image.height(), image.width(), channels))

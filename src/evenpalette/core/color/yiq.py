"""YIQ, the space of the classic cheap hue shift.

Source: NTSC (FCC 1953) as given with full precision in scikit-image and in Keith Jack, "Video Demystified".
The rotation is applied to linear light here, so that a shader needs one 3x3 matrix and no encoding.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.color.oklab import glsl_matrix

YIQ_FROM_RGB: NDArray[np.float64] = np.array(
    [
        [0.299, 0.587, 0.114],
        [0.59590059, -0.27455667, -0.32134392],
        [0.21153661, -0.52273617, 0.31119955],
    ]
)
RGB_FROM_YIQ: NDArray[np.float64] = np.linalg.inv(YIQ_FROM_RGB).astype(np.float64)


#: Both matrices for shader text.
GLSL = glsl_matrix("EP_YIQ_FROM_RGB", YIQ_FROM_RGB) + glsl_matrix("EP_RGB_FROM_YIQ", RGB_FROM_YIQ)


def rgb_to_yiq(rgb: NDArray) -> F32:
    """RGB (..., 3) to YIQ (..., 3), in whatever light the input is in; float32."""
    return (np.asarray(rgb, np.float64) @ YIQ_FROM_RGB.T).astype(np.float32)


def yiq_to_rgb(yiq: NDArray) -> F32:
    """YIQ (..., 3) to RGB (..., 3); float32."""
    return (np.asarray(yiq, np.float64) @ RGB_FROM_YIQ.T).astype(np.float32)


def hue_shift_matrix(angle_degrees: float, saturation: float) -> NDArray[np.float64]:
    """The 3x3 matrix (RGB column vectors) that turns (I, Q) by the angle and scales them by the saturation.

    Zero degrees and unit saturation give the identity.
    """
    angle = np.radians(angle_degrees)
    c, s = np.cos(angle) * saturation, np.sin(angle) * saturation
    turn = np.array([[1, 0, 0], [0, c, -s], [0, s, c]])
    return RGB_FROM_YIQ @ turn @ YIQ_FROM_RGB

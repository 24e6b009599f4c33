"""Numbers without the noise of their last digits, for reports."""

import math

import numpy as np
from numpy.typing import NDArray


def rounded(values: NDArray[np.float64] | list[float], scale: float) -> list[float]:
    """Values to nine digits of a scale, minus zero as zero."""
    digits = 9 - max(-6, math.floor(math.log10(scale))) if scale > 0 else 9
    return [round(float(v), digits) + 0.0 for v in values]

"""What Patches made, and other stages may look at."""

import numpy as np
from numpy.typing import NDArray

from intaglio.parts.model import Product


def patch_of_face(product: Product) -> NDArray[np.int32]:
    """The patch (faces,) of each face of the domain, -1 where it is on none."""
    return np.asarray(product.arrays["patch_of_face"], np.int32)

"""What Sizing made, and other stages may look at: the size field, and what its arrays mean."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.parts.model import Product
from intaglio.sizing.octree import SizeField


def field_arrays(field: SizeField) -> dict[str, NDArray[Any]]:
    """A size field as arrays of a product."""
    return {
        "low": field.low,
        "side": np.array([field.side]),
        "child": field.child,
        "corner": field.corner,
        "value": field.value,
    }


def field_of(product: Product) -> SizeField:
    """The size field of a product that holds one."""
    a = product.arrays
    return SizeField(
        np.ascontiguousarray(a["low"]),
        float(a["side"][0]),
        np.ascontiguousarray(a["child"]),
        np.ascontiguousarray(a["corner"]),
        np.ascontiguousarray(a["value"]),
    )

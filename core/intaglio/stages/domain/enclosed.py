"""The enclosure that the settings ask for."""

import numpy as np
from numpy.typing import NDArray

from intaglio.cad.enclosing import Enclosure, enclosing
from intaglio.stages.domain.settings import Domain


def enclosure_of(
    settings: Domain, low: NDArray[np.float64], high: NDArray[np.float64]
) -> Enclosure:
    """The enclosure that the settings ask for around a body's box."""
    symmetry = None
    if settings.symmetry != "none":
        symmetry = (settings.symmetry, settings.symmetry_at)
    distances = {k: getattr(settings, k) for k in ("ahead", "behind", "aside", "above", "below")}
    return enclosing(
        settings.shape, low, high, settings.along, distances, symmetry, settings.widening
    )

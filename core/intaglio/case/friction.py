"""The shear at a wall, and the first layer's height for a wanted y+, by the friction of a plate or
of a pipe.

Sources: F. M. White, Fluid Mechanics, 7th ed., 7.4: the turbulent boundary layer on a smooth flat
plate by the one-seventh power law; H. Blasius, "Das Aehnlichkeitsgesetz bei Reibungsvorgängen in
Flüssigkeiten", VDI-Forschungsheft 131 (1913): the friction of a smooth pipe.
"""

from dataclasses import dataclass

import numpy as np

# what the wall is likened to, and what that is called
ALONG = {"plate": "a flat plate, one-seventh power law", "pipe": "a smooth pipe, Blasius"}


@dataclass(frozen=True)
class WallFlow:
    """reynolds number; friction: coefficient of the wall's shear over ½ρU²; shear_speed (m/s);
    height (m) of a first layer whose middle lies at the wanted y+; thickness (m) of the boundary
    layer, in a pipe its radius."""

    reynolds: float
    friction: float
    shear_speed: float
    height: float
    thickness: float


def wall_flow(yplus: float, speed: float, length: float, viscosity: float, along: str) -> WallFlow:
    """The flow at a wall: speed (m/s) far from it or in the mean, length (m) along the plate or
    the diameter of the pipe, kinematic viscosity (m²/s), along one of ALONG."""
    reynolds = speed * length / viscosity
    if along == "plate":
        friction = 0.027 / reynolds ** (1 / 7)
        thickness = 0.16 * length / reynolds ** (1 / 7)
    else:
        # Darcy's factor is four times the coefficient of the wall's shear
        friction = 0.316 / reynolds**0.25 / 4
        thickness = length / 2
    shear_speed = speed * float(np.sqrt(friction / 2))
    return WallFlow(reynolds, friction, shear_speed, 2 * yplus * viscosity / shear_speed, thickness)

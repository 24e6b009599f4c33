"""Numbers of similarity, and what is estimated of a turbulent inlet.

Sources: H. Schlichting, K. Gersten, Boundary-Layer Theory; F. M. White, Fluid Mechanics, 6.6
(pipes); D. C. Wilcox, Turbulence Modeling for CFD, for k, ε, ω and a length.
"""

import math
from dataclasses import dataclass

# of the closure with two equations, whose shear stress is √Cμ k
C_MU = 0.09
# a pipe's flow is laminar below, and surely turbulent above
LAMINAR_PIPE, TURBULENT_PIPE = 2300.0, 4000.0
# a plate's boundary layer turns between these, in a stream of little turbulence
LAMINAR_PLATE, TURBULENT_PLATE = 5e5, 3e6
# eddies of a developed pipe's core over its hydraulic diameter
PIPE_EDDIES = 0.07


def reynolds(density: float, speed: float, length: float, viscosity: float) -> float:
    """ρ |v| L / μ in SI units."""
    return density * abs(speed) * length / viscosity


def speed_for(reynolds: float, density: float, length: float, viscosity: float) -> float:
    """The speed in m/s that gives a Reynolds number on a length in m."""
    return reynolds * viscosity / (density * length)


def viscosity_for(reynolds: float, density: float, speed: float, length: float) -> float:
    """The dynamic viscosity in Pa·s that gives a Reynolds number on a length in m."""
    return density * abs(speed) * length / reynolds


def mach(speed: float, sound: float) -> float:
    """|v| over the speed of sound."""
    return abs(speed) / sound


def pipe_intensity(reynolds: float) -> float:
    """Turbulence intensity 0.16 Re^(-1/8) in the core of a developed pipe flow."""
    return 0.16 * reynolds ** (-0.125)


@dataclass(frozen=True)
class Turbulence:
    """At an inlet: kinetic energy m²/s², dissipation m²/s³, its rate 1/s, eddy viscosity m²/s."""

    energy: float
    dissipation: float
    rate: float
    eddy_viscosity: float


def turbulence(speed: float, intensity: float, length: float) -> Turbulence:
    """From the mean speed in m/s, the intensity as a share of it, and the mixing length in m:
    k = 3/2 (I v)², ε = Cμ^(3/4) k^(3/2) / l, ω = ε / (Cμ k) = √k / (Cμ^(1/4) l), ν_t = k / ω."""
    energy = 1.5 * (intensity * speed) ** 2
    dissipation = C_MU**0.75 * energy**1.5 / length
    rate = math.sqrt(energy) / (C_MU**0.25 * length)
    return Turbulence(energy, dissipation, rate, energy / rate if rate > 0 else 0.0)


def entrance_length(reynolds: float) -> float:
    """Diameters until a pipe's flow has developed: 0.06 Re laminar, 4.4 Re^(1/6) turbulent."""
    return 0.06 * reynolds if reynolds < LAMINAR_PIPE else 4.4 * reynolds ** (1.0 / 6.0)

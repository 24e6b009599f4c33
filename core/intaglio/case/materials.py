"""A small library of fluids and solids: their properties at a temperature.

Sources: G. S. Kell, J. Chem. Eng. Data 20 (1975) 97, density of water; J. Kestin, M. Sokolov,
W. A. Wakeham, J. Phys. Chem. Ref. Data 7 (1978) 941, its viscosity; M. L. V. Ramires et al.,
J. Phys. Chem. Ref. Data 24 (1995) 1377, its conductivity; M. H. Sharqawy, J. H. Lienhard,
S. M. Zubair, Desalin. Water Treat. 16 (2010) 354, sea water; F. M. White, Viscous Fluid Flow,
Sutherland's law for air; F. P. Incropera, D. P. DeWitt, Fundamentals of Heat and Mass Transfer,
tables A.1, A.4, A.5 and A.6, heat capacities, ethylene glycol and solids.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from intaglio.errors import SettingRejected

ZERO = 273.15
# J/(kg K), Pa: air as an ideal gas at the pressure of the standard atmosphere
GAS_CONSTANT_OF_AIR, ATMOSPHERE = 287.055, 101_325.0
HEAT_RATIO_OF_AIR = 1.4
# ethylene glycol in the mixture, by mass; molar masses in g/mol
GLYCOL_SHARE, _MOLAR_GLYCOL, _MOLAR_WATER = 0.5, 62.07, 18.015
# kg/kg of salt in standard sea water
SALINITY = 0.035


@dataclass(frozen=True)
class Properties:
    """Of a material: density kg/m³, dynamic viscosity Pa·s (0 of a solid), heat capacity J/(kg K),
    conductivity W/(m K); sound: speed of sound in m/s, 0 where it is not known."""

    density: float
    viscosity: float
    heat_capacity: float
    conductivity: float
    sound: float = 0.0

    @property
    def prandtl(self) -> float:
        """Momentum's over heat's diffusivity."""
        return self.viscosity * self.heat_capacity / self.conductivity


@dataclass(frozen=True)
class Material:
    """A material of the library: key, words, whether it flows, the temperatures in °C that its
    properties are known for, and these at such a temperature."""

    key: str
    label: str
    kind: Literal["fluid", "solid"]
    least: float
    most: float
    at: Callable[[float], Properties]


# K, J/(kg K): water along saturation, air at one atmosphere
_WATER_HEAT = np.array([
    (273.15, 4217), (275, 4211), (280, 4198), (285, 4189), (290, 4184), (295, 4181), (300, 4179),
    (305, 4178), (310, 4178), (315, 4179), (320, 4180), (325, 4182), (330, 4184), (335, 4186),
    (340, 4188), (345, 4191), (350, 4195), (355, 4199), (360, 4203), (365, 4209), (370, 4214),
    (373.15, 4217),
])  # fmt: skip
_AIR_HEAT = np.array([
    (200, 1007), (250, 1006), (300, 1007), (350, 1009), (400, 1014), (450, 1021), (500, 1030),
    (550, 1040), (600, 1051),
])  # fmt: skip
# K, kg/m³, J/(kg K), Pa·s, W/(m K)
_GLYCOL = np.array([
    (273, 1130.8, 2294, 6.51e-2, 0.242), (280, 1125.8, 2323, 4.20e-2, 0.244),
    (290, 1118.8, 2368, 2.47e-2, 0.248), (300, 1114.4, 2415, 1.57e-2, 0.252),
    (310, 1103.7, 2460, 1.07e-2, 0.255), (320, 1096.2, 2505, 0.757e-2, 0.258),
    (330, 1089.5, 2549, 0.561e-2, 0.260), (340, 1083.8, 2592, 0.431e-2, 0.261),
    (350, 1079.0, 2637, 0.342e-2, 0.261), (360, 1074.0, 2682, 0.278e-2, 0.261),
    (370, 1066.7, 2728, 0.228e-2, 0.262), (373, 1058.5, 2742, 0.215e-2, 0.263),
])  # fmt: skip


def water(celsius: float) -> Properties:
    """Water at one atmosphere, 0 to 100 °C."""
    t = celsius
    over = 999.83952 + 16.945176 * t - 7.9870401e-3 * t**2 - 46.170461e-6 * t**3
    over += 105.56302e-9 * t**4 - 280.54253e-12 * t**5
    off = 20.0 - t
    power = off / (t + 96.0) * (1.2364 - 1.37e-3 * off + 5.7e-6 * off**2)
    warm = (t + ZERO) / 298.15
    return Properties(
        over / (1.0 + 16.879850e-3 * t),
        1.002e-3 * 10.0**power,
        _between(_WATER_HEAT, 1, t),
        0.6065 * (-1.48445 + 4.12292 * warm - 1.63866 * warm**2),
        # Marczak, J. Acoust. Soc. Am. 102 (1997) 2776
        1.402385e3 + 5.038813 * t - 5.799136e-2 * t**2 + 3.287156e-4 * t**3 - 1.398845e-6 * t**4
        + 2.787860e-9 * t**5,
    )  # fmt: skip


def sea_water(celsius: float) -> Properties:
    """Sea water of 35 g/kg at one atmosphere, 0 to 40 °C."""
    t, s = celsius, SALINITY
    density = 9.999e2 + 2.034e-2 * t - 6.162e-3 * t**2 + 2.261e-5 * t**3 - 4.657e-8 * t**4
    density += s * (8.020e2 - 2.001 * t + 1.677e-2 * t**2 - 3.060e-5 * t**3 - 1.613e-5 * s * t**2)
    pure = 4.2844e-5 + 1.0 / (0.157 * (t + 64.993) ** 2 - 91.296)
    one = 1.541 + 1.998e-2 * t - 9.52e-5 * t**2
    two = 7.974 - 7.561e-2 * t + 4.724e-4 * t**2
    k, g = t + ZERO, 1000.0 * s
    heat = 5.328 - 9.76e-2 * g + 4.04e-4 * g**2
    heat += (-6.913e-3 + 7.351e-4 * g - 3.15e-6 * g**2) * k
    heat += (9.6e-6 - 1.927e-6 * g + 8.23e-9 * g**2) * k**2
    heat += (2.5e-9 + 1.666e-9 * g - 7.125e-12 * g**2) * k**3
    power = np.log10(240.0 + 0.0002 * g)
    power += 0.434 * (2.3 - (343.5 + 0.037 * g) / k) * (1.0 - k / (647.0 + 0.03 * g)) ** 0.333
    # Medwin, J. Acoust. Soc. Am. 58 (1975) 1318
    sound = 1449.2 + 4.6 * t - 0.055 * t**2 + 0.00029 * t**3 + (1.34 - 0.010 * t) * (g - 35.0)
    return Properties(
        density, pure * (1.0 + one * s + two * s**2), 1000.0 * heat, 1e-3 * 10.0**power, sound
    )


def air(celsius: float) -> Properties:
    """Dry air at one atmosphere as an ideal gas, -70 to 320 °C."""
    k = celsius + ZERO
    return Properties(
        ATMOSPHERE / (GAS_CONSTANT_OF_AIR * k),
        1.716e-5 * (k / ZERO) ** 1.5 * (ZERO + 110.4) / (k + 110.4),
        _between(_AIR_HEAT, 1, celsius),
        0.0241 * (k / ZERO) ** 1.5 * (ZERO + 194.0) / (k + 194.0),
        float(np.sqrt(HEAT_RATIO_OF_AIR * GAS_CONSTANT_OF_AIR * k)),
    )


def glycol_mixture(celsius: float) -> Properties:
    """Water with half its mass of ethylene glycol, 0 to 95 °C, by mixing rules: volumes and heats
    added, viscosity by Grunberg and Nissan, Nature 164 (1949) 799, conductivity by Filippov (B. E.
    Poling et al., The Properties of Gases and Liquids, 10-12.2). Within about 10 % of measured
    viscosities, 3 % of the rest."""
    one, two = water(celsius), glycol(celsius)
    a = 1.0 - GLYCOL_SHARE
    b = GLYCOL_SHARE
    moles = b / _MOLAR_GLYCOL
    x = moles / (moles + a / _MOLAR_WATER)
    # their molecules hold to each other: 4.0 mPa s at 20 °C and half by mass
    power = (1 - x) * np.log(one.viscosity) + x * np.log(two.viscosity) + 3.9 * x * (1 - x)
    k = a * one.conductivity + b * two.conductivity
    k -= 0.72 * a * b * abs(one.conductivity - two.conductivity)
    return Properties(
        1.0 / (a / one.density + b / two.density),
        float(np.exp(power)),
        a * one.heat_capacity + b * two.heat_capacity,
        k,
    )


def glycol(celsius: float) -> Properties:
    """Ethylene glycol, 0 to 99 °C; viscosity between the table's rows in its logarithm."""
    k = celsius + ZERO
    rows = _GLYCOL
    return Properties(
        _between(rows, 1, celsius),
        float(np.exp(np.interp(k, rows[:, 0], np.log(rows[:, 3])))),
        _between(rows, 2, celsius),
        _between(rows, 4, celsius),
    )


def _between(table: np.ndarray, column: int, celsius: float) -> float:
    return float(np.interp(celsius + ZERO, table[:, 0], table[:, column]))


def _solid(density: float, heat: float, conductivity: float) -> Callable[[float], Properties]:
    """A solid whose properties are taken as those at 27 °C."""
    return lambda celsius: Properties(density, 0.0, heat, conductivity)


MATERIALS = (
    Material("water", "water", "fluid", 0.0, 100.0, water),
    Material("sea_water", "sea water", "fluid", 0.0, 40.0, sea_water),
    Material("air", "air", "fluid", -70.0, 320.0, air),
    Material("glycol_mixture", "water with half glycol", "fluid", 0.0, 95.0, glycol_mixture),
    Material("glycol", "ethylene glycol", "fluid", 0.0, 99.0, glycol),
    Material("carbon_steel", "carbon steel", "solid", -70.0, 130.0, _solid(7854.0, 434.0, 60.5)),
    Material("stainless_steel", "stainless steel", "solid", -70.0, 130.0,
             _solid(7900.0, 477.0, 14.9)),
    Material("aluminium", "aluminium", "solid", -70.0, 130.0, _solid(2702.0, 903.0, 237.0)),
    Material("copper", "copper", "solid", -70.0, 130.0, _solid(8933.0, 385.0, 401.0)),
    Material("brass", "brass", "solid", -70.0, 130.0, _solid(8530.0, 380.0, 110.0)),
    Material("titanium", "titanium", "solid", -70.0, 130.0, _solid(4500.0, 522.0, 21.9)),
    Material("glass", "borosilicate glass", "solid", -70.0, 130.0, _solid(2225.0, 835.0, 1.4)),
)  # fmt: skip
BY_KEY = {material.key: material for material in MATERIALS}


def properties(where: str, key: str, celsius: float) -> Properties:
    """Of a material at a temperature. Raises SettingRejected where it is not known."""
    material = BY_KEY.get(key)
    if material is None:
        known = ", ".join(BY_KEY)
        raise SettingRejected(where, f"The library has no {key}. It has {known}.")
    if not material.least <= celsius <= material.most:
        raise SettingRejected(
            where,
            f"{material.label.capitalize()} is known from {material.least:g} to "
            f"{material.most:g} °C. Give properties of your own for {celsius:g} °C.",
        )
    return material.at(celsius)

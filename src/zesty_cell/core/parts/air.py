"""Air density from altitude and temperature."""

from __future__ import annotations

#: Sea-level density of the standard atmosphere at 15 °C [kg/m³] (ISO 2533).
REFERENCE_DENSITY_KG_M3 = 1.225
_SEA_LEVEL_PRESSURE_PA = 101_325.0
_DRY_AIR_GAS_CONSTANT_J_KG_K = 287.053
ZERO_CELSIUS_K = 273.15
STANDARD_GRAVITY_M_S2 = 9.806_65


def air_density_kg_m3(*, temperature_c: float, altitude_m: float) -> float:
    """Density of dry air from pressure altitude and the actual air temperature.

    Parameters
    ----------
    temperature_c : float
        Air temperature [°C].
    altitude_m : float
        Altitude above sea level [m], −500 to 11 000.

    Returns
    -------
    float
        Density [kg/m³].

    Notes
    -----
    Standard-atmosphere pressure p = p₀·(1 − 2.25577e-5·h)^5.25588 (ISO 2533), then the ideal
    gas law ρ = p / (R·T) with the actual temperature.
    """
    pressure_pa = _SEA_LEVEL_PRESSURE_PA * (1.0 - 2.255_77e-5 * altitude_m) ** 5.255_88
    return float(pressure_pa / (_DRY_AIR_GAS_CONSTANT_J_KG_K * (temperature_c + ZERO_CELSIUS_K)))

"""The six chemistries we ship.

Every number's source or reasoning is in docs/physics.md, "Chemistries".
"""

from __future__ import annotations

from zesty_cell.core.errors import UnknownNameError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey

# Resistance over charge: flat in the middle, nearly doubled at the end (Plett vol. 1, ch. 2;
# shape chosen to meet "rises below about 0.2, nearly doubles at the end").
_SHAPE = (1.95, 1.56, 1.30, 1.13, 1.05, 1.02, *([1.0] * 15))

_LIPO_OCV = (
    *(3.27, 3.58, 3.69, 3.71, 3.73, 3.75, 3.77, 3.785, 3.80, 3.815, 3.83),
    *(3.85, 3.87, 3.905, 3.94, 3.98, 4.02, 4.065, 4.11, 4.155, 4.20),
)
_LIHV_OCV = (
    *(3.27, 3.58, 3.69, 3.71, 3.73, 3.75, 3.77, 3.785, 3.80, 3.825, 3.86),
    *(3.90, 3.945, 3.99, 4.035, 4.085, 4.135, 4.19, 4.245, 4.297, 4.35),
)
_NICKEL_RICH_OCV = (
    *(2.50, 3.02, 3.20, 3.295, 3.37, 3.43, 3.48, 3.525, 3.57, 3.61, 3.65),
    *(3.695, 3.74, 3.79, 3.84, 3.89, 3.94, 4.00, 4.06, 4.12, 4.19),
)
_POWER_CELL_OCV = (
    *(2.50, 3.06, 3.25, 3.35, 3.42, 3.475, 3.52, 3.56, 3.60, 3.635, 3.67),
    *(3.71, 3.755, 3.80, 3.85, 3.90, 3.95, 4.005, 4.06, 4.12, 4.19),
)
_LIFEPO4_OCV = (
    *(2.60, 3.06, 3.19, 3.215, 3.235, 3.25, 3.262, 3.272, 3.28, 3.285, 3.289),
    *(3.293, 3.297, 3.302, 3.308, 3.315, 3.322, 3.328, 3.334, 3.342, 3.42),
)
_NIMH_OCV = (
    *(1.00, 1.15, 1.20, 1.225, 1.24, 1.252, 1.262, 1.27, 1.276, 1.282, 1.288),
    *(1.294, 1.30, 1.307, 1.315, 1.324, 1.334, 1.346, 1.36, 1.38, 1.42),
)

_POUCH_CAUTION, _ROUND_CAUTION = fact("chemistry.caution.pouch"), fact("chemistry.caution.round")

CHEMISTRIES: dict[ChemistryKey, Chemistry] = {
    c.key: c
    for c in (
        Chemistry(
            key="lipo",
            name="Lithium-polymer",
            short_name="LiPo",
            nominal_v=3.7,
            full_v=4.20,
            storage_v=3.82,
            hard_floor_v=3.0,
            loaded_floor_v=3.3,
            landing_rest_v=3.73,
            landing_loaded_v=3.5,
            honest_loaded_v=3.3,
            ocv_v=_LIPO_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=2800.0,
            arrhenius_warm_b_k=1500.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            diffusion_ratio=0.55,
            diffusion_tau_s=300.0,
            diffusion_more_b_k=1000.0,
            specific_heat_j_kg_k=1050.0,
            density_kg_m3=2050.0,
            cell_form="pouch",
            resistance_capacity_ohm_ah={"tabless": 0.0065, "good": 0.0065, "ordinary": 0.011, "micro": 0.022},
            energy_density_wh_kg=165.0,
            label_capacity_share=0.95,
            label_capacity_sigma=0.06,
            small_label_sigma=0.06,
            charge_advice=fact("chemistry.charge.pouch"),
            caution=_POUCH_CAUTION,
        ),
        Chemistry(
            key="lihv",
            name="High-voltage lithium-polymer",
            short_name="LiHV",
            nominal_v=3.8,
            full_v=4.35,
            storage_v=3.85,
            hard_floor_v=3.0,
            loaded_floor_v=3.3,
            landing_rest_v=3.73,
            landing_loaded_v=3.5,
            honest_loaded_v=3.3,
            ocv_v=_LIHV_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=2800.0,
            arrhenius_warm_b_k=1500.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            diffusion_ratio=0.55,
            diffusion_tau_s=300.0,
            diffusion_more_b_k=1000.0,
            specific_heat_j_kg_k=1050.0,
            density_kg_m3=2050.0,
            cell_form="pouch",
            resistance_capacity_ohm_ah={"tabless": 0.0075, "good": 0.0075, "ordinary": 0.012, "micro": 0.022},
            energy_density_wh_kg=160.0,
            label_capacity_share=0.95,
            label_capacity_sigma=0.06,
            small_label_sigma=0.10,
            charge_advice=fact("chemistry.charge.pouch_high", full_v=4.35),
            caution=_POUCH_CAUTION,
        ),
        Chemistry(
            key="liion_energy",
            name="Lithium-ion, energy cell",
            short_name="lithium-ion",
            nominal_v=3.6,
            full_v=4.20,
            storage_v=3.65,
            hard_floor_v=2.5,
            loaded_floor_v=2.8,
            landing_rest_v=3.37,
            landing_loaded_v=3.0,
            honest_loaded_v=2.8,
            ocv_v=_NICKEL_RICH_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=4000.0,
            arrhenius_warm_b_k=1500.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            diffusion_ratio=0.55,
            diffusion_tau_s=300.0,
            diffusion_more_b_k=1000.0,
            specific_heat_j_kg_k=1000.0,
            density_kg_m3=2800.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"tabless": 0.090, "good": 0.090, "ordinary": 0.110, "micro": 0.130},
            energy_density_wh_kg=245.0,
            label_capacity_share=0.96,
            label_capacity_sigma=0.045,
            small_label_sigma=0.045,
            charge_advice=fact("chemistry.charge.round", often_c_rate=0.5),
            caution=_ROUND_CAUTION,
        ),
        Chemistry(
            key="liion_power",
            name="Lithium-ion, power cell",
            short_name="lithium-ion",
            nominal_v=3.6,
            full_v=4.20,
            storage_v=3.68,
            hard_floor_v=2.5,
            loaded_floor_v=2.8,
            landing_rest_v=3.42,
            landing_loaded_v=3.0,
            honest_loaded_v=2.8,
            ocv_v=_POWER_CELL_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=4000.0,
            arrhenius_warm_b_k=1500.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            diffusion_ratio=0.55,
            diffusion_tau_s=300.0,
            diffusion_more_b_k=1000.0,
            specific_heat_j_kg_k=1000.0,
            density_kg_m3=2800.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"tabless": 0.0275, "good": 0.048, "ordinary": 0.056, "micro": 0.065},
            energy_density_wh_kg=215.0,
            label_capacity_share=0.96,
            label_capacity_sigma=0.045,
            small_label_sigma=0.045,
            charge_advice=fact("chemistry.charge.round", often_c_rate=1.0),
            caution=_ROUND_CAUTION,
        ),
        Chemistry(
            key="lifepo4",
            name="Lithium iron phosphate",
            short_name="LiFePO4",
            nominal_v=3.2,
            full_v=3.60,
            storage_v=3.30,
            hard_floor_v=2.0,
            loaded_floor_v=2.6,
            landing_rest_v=3.235,
            landing_loaded_v=2.8,
            honest_loaded_v=2.6,
            ocv_v=_LIFEPO4_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=3000.0,
            arrhenius_cold_b_k=4000.0,
            arrhenius_warm_b_k=1500.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            diffusion_ratio=0.55,
            diffusion_tau_s=300.0,
            diffusion_more_b_k=1000.0,
            specific_heat_j_kg_k=1100.0,
            density_kg_m3=2200.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"tabless": 0.018, "good": 0.018, "ordinary": 0.020, "micro": 0.030},
            energy_density_wh_kg=105.0,
            label_capacity_share=0.97,
            label_capacity_sigma=0.045,
            small_label_sigma=0.045,
            charge_advice=fact("chemistry.charge.iron", full_v=3.6),
            caution=_ROUND_CAUTION,
        ),
        Chemistry(
            key="nimh",
            name="Nickel-metal hydride",
            short_name="NiMH",
            nominal_v=1.2,
            full_v=1.45,
            storage_v=1.25,
            hard_floor_v=0.9,
            loaded_floor_v=1.0,
            landing_rest_v=1.24,
            landing_loaded_v=1.05,
            honest_loaded_v=1.0,
            ocv_v=_NIMH_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2200.0,
            arrhenius_cold_b_k=2200.0,
            arrhenius_warm_b_k=1500.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            diffusion_ratio=0.55,
            diffusion_tau_s=300.0,
            diffusion_more_b_k=1000.0,
            specific_heat_j_kg_k=1050.0,
            density_kg_m3=3200.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"tabless": 0.018, "good": 0.018, "ordinary": 0.028, "micro": 0.050},
            energy_density_wh_kg=75.0,
            label_capacity_share=0.95,
            label_capacity_sigma=0.06,
            small_label_sigma=0.06,
            charge_advice=fact("chemistry.charge.nimh"),
            caution=fact("chemistry.caution.nimh"),
        ),
    )
}

_BY_KEY: dict[str, Chemistry] = {chemistry.key: chemistry for chemistry in CHEMISTRIES.values()}


def chemistry_for(key: str) -> Chemistry:
    """Look a chemistry up by its key.

    Raises
    ------
    UnknownNameError
        If no chemistry of that key is shipped.
    """
    found = _BY_KEY.get(key)
    if found is None:
        raise UnknownNameError(
            fact("refused.chemistry.unknown", key=key[:40], names=", ".join(CHEMISTRIES)), name=key
        )
    return found

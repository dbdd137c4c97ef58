"""docs/physics.md is enough to rebuild the model: three flights from its tables and constants alone."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.connectors import CONNECTORS

TEXT = (Path(__file__).parents[2] / "docs" / "physics.md").read_text()


def cells(first: str, count: int) -> list[str]:
    """The cells of the table row that begins with a name and has so many further cells."""
    for line in TEXT.splitlines():
        parts = [p.strip() for p in line.strip().strip("|").split("|")]
        if line.startswith("|") and parts[0] == first and len(parts) == count + 1:
            return parts[1:]
    raise AssertionError(f"The document has no row “{first}” of {count} cells.")


def numbers(text: str) -> list[float]:
    return [float(n) for n in re.findall(r"\d+(?:\.\d+)?", text)]


def said(pattern: str) -> float:
    return float(re.search(pattern, TEXT)[1])


class Written:
    """A chemistry as the document has it."""

    def __init__(self, name: str) -> None:
        grid = np.linspace(0.0, 1.0, 21)
        self.ocv = PchipInterpolator(grid, [float(v) for v in cells(name, 21)])
        self.shape = PchipInterpolator(grid, [float(v) for v in cells("resistance", 21)])
        slopes, more, pairs, heat, density, label = cells(name, 6)
        self.cold, self.usual, self.warm = numbers(slopes)
        self.more, self.heat, self.density = float(more), float(heat), float(density)
        self.ratio1, self.tau1, self.ratio2, self.tau2 = numbers(pairs)
        self.label = numbers(label)
        self.width = said(r"w = ([\d.e-]+) /K")

    def factors(self, celsius: float) -> tuple[float, float]:
        """f of R0 and f·g of R2."""

        def line(x: float, k: float) -> float:
            top, bottom = 1.0 + math.exp((x - k) / self.width), 1.0 + math.exp(-k / self.width)
            return self.width * math.log(top / bottom)

        x, k10 = 1.0 / (celsius + 273.15) - 1.0 / 298.15, 1.0 / 283.15 - 1.0 / 298.15
        log = self.warm * x + (self.usual - self.warm) * line(x, 0.0) + (self.cold - self.usual) * line(x, k10)
        return math.exp(log), math.exp(log + self.more * line(x, 0.0))


def flown_by_the_document(one) -> tuple[list[float], list[float]]:
    """Times [s] and volts a cell until a fifth is left, stepped at 20 Hz by the document's words alone."""
    pack, craft = one.pack, one.craft
    made = Written(CHEMISTRIES[pack.chemistry].name)
    s, p = pack.series, pack.parallel
    of_round = r"A series link is ([\d.]+) mΩ"
    link_mohm = said(r"and ([\d.]+) mΩ on pouches" if pack.chemistry == "lipo" else of_round)
    leads_ohm = 2 * said(r"Leads are copper, ([\d.e-]+) Ω·m") * pack.lead_length_m / (pack.lead_area_mm2 * 1e-6)
    plug_mohm = float(cells(CONNECTORS[pack.connector].name, 2)[1])
    outside = 1e-3 * (link_mohm * (s - 1) / p + plug_mohm) + leads_ohm
    capacity_as = pack.capacity_ah * made.label[0] * 3600.0
    air_c, mass = one.conditions.air_c, craft.dry_mass_kg + pack.mass_kg
    density, then = (101_325.0 / (287.053 * (c + 273.15)) for c in (air_c, craft.steady.air_c))
    reference_w = craft.steady.current_a * craft.steady.voltage_v - craft.avionics_w
    watts = {}
    for regime, row in (("hover", "hover on rotors"), ("forward", "forward flight on rotors")):
        weight, by_density, _ = cells(row, 3)
        exponent = float(by_density.split(" ±")[0].replace("−", "-"))
        heavier = (mass / craft.steady.all_up_mass_kg) ** numbers(weight)[0]
        watts[regime] = reference_w * heavier * (density / then) ** exponent
    full_a, full_v = craft.full_throttle.current_a, craft.full_throttle.voltage_v
    c = full_a / (full_v - full_a * craft.motor_resistance_ohm) ** 2 * density / 1.225
    spare_w = full_a * full_v - reference_w - craft.avionics_w
    leads_kg = 1.6 * 2 * pack.lead_length_m * pack.lead_area_mm2 * 1e-6 * 8960 + CONNECTORS[pack.connector].mass_kg
    cells_kg = pack.mass_kg - leads_kg
    cooling = said(r"(\d+) in the airflow") * 7.0 * (cells_kg / made.density) ** (2 / 3)
    z, v1, v2, celsius, t, dt = 1.0, 0.0, 0.0, air_c, 0.0, 0.05
    times_s, cell_v = [], []
    while True:
        for act in one.flying.activities:
            left_s, value = act.duration_s, 0.0
            while left_s > 1e-9:
                f, fg = made.factors(celsius)
                shape = float(made.shape(z))
                cell_ohm = pack.cell_resistance_ohm * shape * s / p
                r0, r2 = cell_ohm * f, made.ratio2 * cell_ohm * fg
                e, r = s * float(made.ocv(z)) - v1 - v2, r0 + outside
                if act.of == "full throttle":
                    x = 2 * c * e * (r + craft.motor_resistance_ohm)
                    amps = 2 * c * e * e / (x + 1 + math.sqrt(2 * x + 1))
                    if value == 0.0:
                        value = amps * (e - amps * r) - watts["hover"] - craft.avionics_w
                        work = spare_w * act.duration_s * mass / craft.steady.all_up_mass_kg
                        left_s = act.duration_s * min(max(work / value / act.duration_s, 0.4), 2.5)
                else:
                    power = act.share * watts["hover" if act.name == "hover" else "forward"] + craft.avionics_w
                    amps = (e - math.sqrt(e * e - 4 * power * r)) / (2 * r)
                h = min(dt, left_s)
                times_s.append(t)
                cell_v.append((e - amps * r) / s)
                if z - amps * h / capacity_as <= 0.2:
                    return [*times_s, t + (z - 0.2) * capacity_as / amps], [*cell_v, cell_v[-1]]
                z -= amps * h / capacity_as
                heat = amps * amps * r0 + amps * (v1 + v2) - cooling * (celsius - air_c)
                v1 += h * (amps * made.ratio1 * r0 - v1) / made.tau1
                v2 += h * (amps * r2 - v2) / made.tau2
                celsius += h * heat / (cells_kg * made.heat)
                t, left_s = t + h, left_s - h


@pytest.mark.parametrize(
    "one",
    [
        sheet(),
        sheet(pack=satsuma(), pattern="gentle_hover", conditions=Conditions(air_c=22.0)),
        sheet(
            craft=heron(dry_mass_kg=0.8), pack=pomelo(capacity_ah=3.0, mass_kg=0.42),
            conditions=Conditions(air_c=-3.0),
        ),
    ],
    ids=["lighthouse", "hover", "cold and heavy"],
)  # fmt: skip
def test_three_flights_are_rebuilt_from_the_document_alone(one):
    times_s, cell_v = flown_by_the_document(one)
    flight = fly(set_up(one))
    assert times_s[-1] == pytest.approx(flight.landing_s, rel=1e-3)
    # The volts too: how long a flight lasts hardly goes by what polarisation holds.
    last = (flight.time_s > 0.6 * flight.landing_s) & (flight.time_s < 0.99 * flight.landing_s)
    apart_v = np.interp(flight.time_s[last], times_s, cell_v) - flight.loaded_v[last]
    assert abs(float(np.median(apart_v))) < 0.5e-3


@pytest.mark.parametrize("chemistry", CHEMISTRIES.values(), ids=lambda c: c.key)
def test_the_documents_tables_are_the_codes(chemistry):
    assert [float(v) for v in cells(chemistry.name, 21)] == pytest.approx(chemistry.ocv_v)
    made = Written(chemistry.name)
    assert (made.cold, made.usual, made.warm) == (
        chemistry.arrhenius_cold_b_k, chemistry.arrhenius_b_k, chemistry.arrhenius_warm_b_k,
    )  # fmt: skip
    assert (made.more, made.heat, made.density, *made.label) == (
        chemistry.diffusion_more_b_k, chemistry.specific_heat_j_kg_k, chemistry.density_kg_m3,
        chemistry.label_capacity_share, chemistry.label_capacity_sigma,
    )  # fmt: skip
    assert (made.ratio1, made.tau1, made.ratio2, made.tau2) == (
        chemistry.polarisation_ratio, chemistry.polarisation_tau_s,
        chemistry.diffusion_ratio, chemistry.diffusion_tau_s,
    )  # fmt: skip
    assert [float(v) for v in cells("resistance", 21)] == list(chemistry.resistance_shape)


@pytest.mark.parametrize("plug", CONNECTORS.values(), ids=lambda c: c.key)
def test_the_documents_plugs_are_the_codes(plug):
    assert [float(v) for v in cells(plug.name, 2)] == [plug.rating_a, pytest.approx(1000 * plug.contact_ohm)]

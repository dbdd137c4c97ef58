"""What is said of a label, of what makes a forecast unsure, and of what to measure next."""

from __future__ import annotations

_LABEL = {
    "label.nothing": "Nothing in it is a pack’s: write cells or volts and charge, as in “4s 1500 100c”.",
    "label.too_long": "Only the first {most} characters are looked at.",
    "label.twice": "“{shown}” says another thing than what stands before it: the first is taken.",
    "label.sign": "“{shown}” is left out.",
    "label.word": "“{shown}” is left out: plugs are told by their amps, as in “60 A plug”.",
    "label.number": "“{shown}” has no unit: {hint}",
    "label.which_cells": "“{shown}” of what? Write {shown}S for {shown} cells in series.",
    "label.unit_missing": "write C, A or V behind it.",
    "label.unit_missing.weight": "write C, A, V or g behind it.",
    "label.outside.series": "“{shown}”: packs have {least:.0f} to {most:.0f} cells in series here.",
    "label.outside.parallel": "“{shown}”: packs have {least:.0f} to {most:.0f} cells in parallel here.",
    "label.outside.capacity_ah": "“{shown}” is no pack’s charge: from 20 mAh to 200 Ah.",
    "label.outside.energy_wh": "“{shown}” is no pack’s energy.",
    "label.outside.pack_v": "“{shown}” is no pack’s voltage: {least:.0f} to {most:.0f} V.",
    "label.outside.label_c": "“{shown}” is no rate: up to {most:.0f}C is printed.",
    "label.outside.burst_c": "“{shown}” is no rate: up to {most:.0f}C is printed.",
    "label.outside.rating_a": "“{shown}” is no rating: up to {most:.0f} A.",
    "label.outside.mass_kg": "“{shown}” is no pack’s weight.",
    "label.outside.cell_resistance_ohm": "“{shown}” is no cell’s resistance.",
    "label.outside.plug_a": "“{shown}” is no plug: {least:.0f} to {most:.0f} A.",
    "label.round_pouch": "{size} is a round cell, and round cells are no LiPo: lithium-ion is taken.",
    "label.volts_and_cells": "{pack_v:volts} and {series} cells do not belong together: the cells are believed.",
    "label.volts_unknown": "{pack_v:volts} is no whole number of cells: say how many.",
    "label.too_much_for_cell": "No {size} holds {capacity_ah}: is it the whole pack’s? Say how many are in parallel.",
    "label.energy_apart": "{energy_wh:.3g} Wh are printed, cells and charge make {reckoned_wh:.3g} Wh: cells and charge are believed.",
    "label.weight": "{energy_wh:.3g} Wh in {mass_kg} cannot be: the weight is left out.",
}

_START = {
    "start.lighter_than_pack": "The pack alone weighs {pack_kg}: is this the weight without it?",
    "start.other_count": "That is the reading of {readings} cells; this pack has {series} in series.",
    "start.cannot_be": "That cannot be: it is left out.",
    "start.left_out": "{why} Left out until it is clear.",
}

_MATCH = {
    "match.does_not_carry": "thrust is {over_weight:.2f} times its weight: it does not fly",
    "match.over.motor_a": "a motor draws {value:.0f} A of the {limit:.0f} A it may",
    "match.over.motor_w": "a motor takes {value:.0f} W of the {limit:.0f} W it may",
    "match.over.esc": "{value:.0f} A go through an ESC for {limit:.0f} A",
    "match.too_much": "the propeller is too much for the motor: it reaches {turns_share} of its free speed, the rest is heat",
    "match.fast_tip": "tips at {tip_m_s}: near the speed of sound the figures flatter, and it howls",
    "match.little_to_spare": "{over_weight:.1f} times its weight leaves little for wind, climbs and a tired pack",
    "match.nervous": "hovers at {throttle_share} of the throttle: hard to fly gently, so fewer cells or a slower motor",
}

_RESULTS = {
    "results.charger": "cells of {low_ohm:milliohms_bare} to {high_ohm:milliohms} at {pack_c}",
    "results.capacity": "{charge_ah:typed} mAh from full to {cell_v:.2f} V a cell",
    "results.capacity.floor": "{charge_ah:typed} mAh from full to empty",
    "results.two_currents": "{first_v} at {first_a:g} A and {second_v} at {second_a:g} A",
    "results.nothing": "Nothing in it is a result: a resistance in mΩ, a charge in mAh or Wh, or volts at amps.",
    "results.other_count": "{readings} resistances, and the pack has {series} cells in series: give one a cell, or one for all.",
    "results.two_needed": "Two voltages at two currents are needed to tell a resistance.",
    "results.cannot_be": "That cannot be: is the unit right?",
    "results.twice": "That is there twice: the first is taken.",
    "results.too_long": "At most {most} characters, please.",
}

START: dict[str, str] = {**_LABEL, **_START, **_MATCH, **_RESULTS}

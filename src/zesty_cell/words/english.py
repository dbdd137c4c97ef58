"""The templates of all facts, in English: one a fact, and no sentence of the job anywhere else.

Keys are in the order of the core's folders.  ``{name}`` is a figure of the fact; see :mod:`zesty_cell.words.say`.
"""

from __future__ import annotations

_CHANGES = {
    "change.other_chemistry": "{chemistry} of the same weight",
    "change.other_chemistry.cost": "another charger profile, other landing voltages",
    "change.more_capacity": "A pack of {more_share} more capacity",
    "change.more_capacity.cost": "the price of a pack",
    "change.lower_resistance": "A pack of {less_share} less resistance",
    "change.lower_resistance.cost": "the price of a pack",
    "change.better_plug": "A larger plug: {plug}",
    "change.better_plug.cost": "soldering on pack and craft, the pack away from heat",
    "change.lighter": "{off_kg:about} off the craft: guards, camera, spare leads",
    "change.lighter.cost": "what you leave at home",
    "change.larger_propeller.multirotor": "Propellers {larger_share} larger and finer",
    "change.larger_propeller.helicopter": "Rotor {larger_share} larger",
    "change.larger_propeller.wing": "A larger, slower propeller",
    "change.larger_propeller.cost": "room for the blades, slower reaction; watch motor amps again",
    "change.well_tuned": "Balanced and well tuned, {less_share} less steady power",
    "change.well_tuned.cost": "an evening's care, propellers off on the bench",
    "change.less_avionics": "{less_w:watts} less for video and camera",
    "change.less_avionics.cost": "video reach or recording",
    "change.gentler.bursts": "Half the time at full throttle",
    "change.gentler.turns": "Half as hard in turns and climbs",
    "change.gentler.cost": "some of the fun",
    "change.warmer_air": "A day of {air_c}",
    "change.warmer_air.cost": "patience",
    "change.lower_down": "A field {lower_m:height} lower",
    "change.lower_down.cost": "a drive",
    "change.warm_pack": "The pack kept at {pack_c} before flight",
    "change.warm_pack.cost": "an insulated bag; never a heater left alone",
}

_COMPARE = {
    "verdict.longest": "{pack} flies {landing_s} at {all_up_kg:about}.",
    "verdict.longest.against": "{pack} flies {landing_s} at {all_up_kg:about}: {against}.",
    "verdict.strongest": "{pack} still pulls {to_spare:.1f} {times} at landing, {kept_share} of fresh.",
    "verdict.strongest.next": (
        "{pack} still pulls {to_spare:.1f} {times} at landing, {kept_share} of fresh; {next_pack} comes next with "
        "{next_to_spare:.1f}."
    ),
    "verdict.times_weight": "times its weight",
    "verdict.times_level": "times the power of level flight",
    "verdict.lightest": "{pack} is ready to fly at {all_up_kg:about} and stays up {landing_s}.",
    "verdict.lightest.against": "{pack} is ready to fly at {all_up_kg:about} and stays up {landing_s}: {against}.",
    "verdict.coolest": "{pack} uses {honest_share} of its honest current in steady flight and lands coolest.",
    "verdict.coolest.near": (
        "{pack} uses {honest_share} of its honest current in steady flight and lands coolest, though {next_pack} "
        "is within {within_k:difference}."
    ),
    "verdict.in_class": (
        "Inside “{weight_class}”, {pack} flies longest: {landing_s}, with {room_kg:about} to spare. What the class "
        "allows is for your local rules."
    ),
    "verdict.the_class": "the weight class",
    "verdict.passed_over.one": " 1 with a check that stops is passed over.",
    "verdict.passed_over": " {passed} with a check that stops are passed over.",
    "verdict.with_passed": "{verdict}{passed_over}",
    "verdict.no_class": "This craft watches no weight class: give one in the hangar.",
    "verdict.none_in_class": "None of these stays inside the weight class: the lightest is {over_kg:about} over.",
    "verdict.all_stop": "Every one of these has a check that says stop: look at their marks first.",
    "against.same_weight": "{time} {pack} at the same weight",
    "against.heavier": "{time} {pack} for {apart_kg:about} more",
    "against.lighter": "{time} {pack} for {apart_kg:about} less",
    "against.as_long": "as long as",
    "against.longer": "{apart_share} longer than",
    "against.shorter": "{apart_share} shorter than",
}

_DISAGREEMENT = {
    "cause.sensor": "Some of these charges are the sensor's, not the charger's.",
    "cause.sensor.test": "Put one pack back by the charger: if it takes what was shown, the sensor is right.",
    "cause.tired_pack": "{pack} takes more than the others on the same flights.",
    "cause.tired_pack.test": (
        "Check its cells at rest and read its resistance; fly the same timer on another pack."
    ),
    "cause.capacity": "By their rest voltage the packs are emptier than the charge put back explains.",
    "cause.capacity.test": "Discharge one to its floor at a gentle current and put it back: that is its capacity.",
    "cause.colder": "These flights were in air {apart_k:difference} colder than the sheet's.",
    "cause.warmer": "These flights were in air {apart_k:difference} warmer than the sheet's.",
    "cause.temperature.test": "Set the sheet's air to that of the day and look whether it agrees then.",
    "cause.harder": "It may be flown harder than “{pattern}” is written.",
    "cause.gentler": "It may be flown more gently than “{pattern}” is written.",
    "cause.pattern.test": (
        "Hover or cruise steadily for three minutes and put it back: if that agrees, it is the pattern."
    ),
    "cause.heavier": "It may be heavier than the sheet says, or fly on other propellers.",
    "cause.lighter": "It may be lighter than the sheet says, or fly on other propellers.",
    "cause.weight.test": "Weigh it ready to fly, and look at the propellers entered.",
}

_HEALTH = {
    "health.capacity": "It holds {kept_share} of what it held at first.",
    "health.resistance": "Its resistance is {times:.2f} times that of its first flights.",
    "health.cells": "Its cells are {spread_v:millivolts} apart at rest.",
    "health.cells.lowest": "Its cells are {spread_v:millivolts} apart at rest; cell {cell} is the lowest.",
    "health.deep": "It was once flown down to {left_share}.",
    "health.hot": "It was {hottest_c} hot once; above {limit_c} cells age fast.",
    "health.no_flight": "No flight is logged yet.",
    "health.too_few": "{flights} flights, and too few readings to compare.",
    "storage.full": "full for {days:whole} days: bring it to {storage_v} a cell to store it.",
    "storage.almost_empty": "almost empty for {days:whole} days: bring it to {storage_v} a cell to store it.",
    "storage.empty": "empty for {days:whole} days: bring it to {storage_v} a cell to store it.",
}

ENGLISH: dict[str, str] = {**_CHANGES, **_COMPARE, **_DISAGREEMENT, **_HEALTH}

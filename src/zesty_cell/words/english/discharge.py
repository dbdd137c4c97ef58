"""What is said of discharge runs and of a pack's own curve."""

from __future__ import annotations

DISCHARGE = {
    "refused.discharge.no_current": "No column is the current or the charge drawn: say which current was set.",
    "refused.discharge.short": "Only {count} lines have a voltage; {least} are needed for a curve.",
    "refused.discharge.long": (
        "It would last {hours:.0f} hours, and no discharge lasts over {most_hours:.0f}: another unit of time, or a pause"
        " in it?"
    ),
    "refused.discharge.beyond": "{highest:.3g} is no pack’s: up to {most:.0f} is read. Another column or unit?",
    "refused.discharge.nothing_drawn": "Nothing was drawn from the pack: is this a charge, or another column?",
    "refused.discharge.one_rate": (
        "Rest voltage and resistance can be told apart from two runs whose currents differ by {least_ratio:g} times or"
        " more. One run cannot: a pack that sags reads like one that is emptier."
    ),
    "refused.part.no_current": "A voltage across a part needs a current through it.",
    "refused.part.beyond": (
        "{ohm:milliohms} is no plug or lead: they lie under {most_ohm:milliohms}. Volts for millivolts, or another place?"
    ),
    "refused.curve.nowhere": "The curve was measured nowhere: its ends are the wrong way round.",
    "refused.curve.falls": "The rest voltage must rise with the charge; at {share:percent} it does not.",
    "refused.curve.far": (
        "At {share:percent} it rests at {own_v}, where cells of this chemistry rest at {table_v}: another chemistry, or"
        " another count of cells?"
    ),
    "refused.curve.other_chemistry": "The curve is of {curve}, the pack of {chemistry}.",
    "refused.curve.short": (
        "Only {told:percent} of the charge was told closely enough in one stretch; a curve needs {least:percent}. A run"
        " at a fifth of its capacity, down to where a cell under load ends, tells most."
    ),
    "discharge.cycles": "{pack}: cycle {second} gives {more:signed} of charge against cycle {first}.",
    "discharge.half.less": (
        "{pack}: its second half gives {by:parts} less than its first. The whole pack ends with its weaker half."
    ),
    "discharge.half.more": (
        "{pack}: its first half gives {by:parts} less than its second. The whole pack ends with its weaker half."
    ),
    "discharge.weakest": "{number}: cell {cell} is {behind_v:millivolts} behind the others at the end.",
    "discharge.halves": (
        "{number}: cells of the first half stood at {first_v} on average, those of the second at {second_v}."
    ),
    "doubt.discharge.volts": (
        "{low_v} to {high_v} a cell with {series} cells in series cannot be {pack}: another column, unit or pack."
    ),
    "doubt.discharge.charge": "{drawn_ah} out of a pack labelled {capacity_ah}: another unit, or another pack?",
    "doubt.discharge.current": "{mean_a:.0f} A on average would empty {pack} within a minute: another unit.",
    "doubt.discharge.rises": "The voltage rises under the load: this is a charge, or another column.",
    "doubt.discharge.disagree": (
        "The recorder counted {counted_ah}, its current over the time makes {summed_ah}. The count is used."
    ),
    "doubt.discharge.cells": "{found} cells have columns; {series} were on the discharger.",
}

THRUST = {
    "refused.thrust.few": "Two steps or more, please: between them it is reckoned.",
    "refused.thrust.a_watt": (
        "{thrust_kg} for {watts:watts} is {per_watt:.1f} g/W, which no propeller has: grams or kilograms, volts or"
        " millivolts?"
    ),
    "refused.thrust.not_asked": "A thrust stand does not tell what this test measures.",
    "refused.thrust.no_sheet": "No sheet of this craft says what it weighs: make one first.",
    "refused.thrust.no_hover": (
        "The craft hovers on {need_kg} of what is on the bench, and the steps go from {low_kg} to {high_kg}: step to"
        " both sides of it."
    ),
    "refused.thrust.order": "{upper_kg} takes no more power than {lower_kg}: are two steps of one run?",
}

"""What is said of callouts: plans, their faults, and the ladder."""

from __future__ import annotations

_LINT = {
    "lint.set": "Set {value}",
    "lint.set_rule": "Set “{rule}” to {value}",
    "lint.cell_value": "{cell_v} a cell",
    "lint.pack_value": "{pack_v:g} V",
    "lint.hold_it": "Hold it {hold_s:g} s",
    "lint.switch_off": "Switch this rule off",
    "lint.switch_off.leads": "Switch it off: charge used and the timer lead here",
    "lint.as_the_flight_asks": "Set what this flight asks for",
    "lint.only_while_armed": "Speak only while armed",
    "lint.shown_for": "{set_v:g} V is {cell_v} a cell for {series}S",
    "lint.not_for_this_cell_count.one_cell": "{shown}: it looks like the voltage of one cell.",
    "lint.not_for_this_cell_count.one_cell.mend": "Take it as {set_v:g} V a cell, {pack_v:.1f} V for the pack",
    "lint.not_for_this_cell_count.no_cell": "{shown}, which no {chemistry} cell has.",
    "lint.not_for_this_cell_count.another_count": "{shown}, which no {chemistry} cell has: it would suit {meant}S.",
    "lint.not_for_this_cell_count.another_count.mend": "Set {value}, the same a cell",
    "lint.land_now_not_below_pack_low": "“{rule}” at {land_v} a cell is not under “{other}” at {low_v:.2f}: the first "
    "word would be the last.",
    "lint.under_the_cells_floor": "{cell_v} a cell is under the {floor_v:g} V that {chemistry} is landed at.",
    "lint.under_the_esc_cutoff": "The ESC takes the power away at {cutoff_v} a cell, before “{rule}” at {cell_v:.2f}.",
    "lint.under_the_esc_cutoff.mend": "Set {value}, or lower the ESC's cutoff",
    "lint.over_the_voltage_at_take_off": "A full pack is at {fresh_v} a cell once it flies: at {cell_v:.2f} this speaks "
    "at take-off.",
    "lint.craft_lands_first": "The craft lands by itself at {landing_v} a cell, before you hear “{rule}” at {land_v:.2f}: "
    "wherever it is then, over water too.",
    "lint.craft_lands_first.lower": "Let it land at {lower_v}",
    "lint.craft_lands_first.off": "Switch its landing off",
    "lint.craft_lamp_first": "The craft's lamp comes on at {lamp_v} a cell, before “{rule}” at {land_v:.2f}: it will be "
    "taken for nothing.",
    "lint.craft_lamp_first.lower": "Let it come on at {lower_v}",
    "lint.craft_lamp_first.off": "Switch the lamp off",
    "lint.hold_too_short": "A climb holds the voltage under {cell_v} for {burst_s:.1f} s: held {hold_s:g} s, “{rule}” "
    "speaks for nothing.",
    "lint.hold_too_long": "Held {hold_s:g} s, “{rule}” comes with {left_share} of the charge left.",
    "lint.lowest_latches": "The lowest voltage so far never rises again: after the first climb this stays true.",
    "lint.lowest_latches.mend": "Watch the live voltage",
    "lint.no_way_to_stop": "“{rule}” repeats every {every_s:g} s, armed or not: nothing on the transmitter makes it stop.",
    "lint.speaks_on_the_bench": "“{rule}” also speaks while the craft is not armed: on the bench, with every pack plugged "
    "in or out.",
    "lint.no_profile_guard.kinds": "“{rule}” is watched whichever pack is flown, and it flies cells of several kinds.",
    "lint.no_profile_guard.kinds.mend": "Watch it with {profile} alone",
    "lint.no_profile_guard.counts": "{set_v:g} V is watched whichever pack is flown, and this model flies {counts}.",
    "lint.no_profile_guard.counts.mend": "Watch {cell_v} a cell",
    "lint.more_than_the_pack_holds": "{set_ah} is more than the {capacity_ah} in the pack: it is never reached.",
    "lint.more_than_the_pack_holds.mend": "Set {set_ah}, four fifths",
    "lint.current_sensor_unchecked": "The current sensor was {state}: charge used can be out by as much. Compare one flight "
    "with the charge put back.",
    "lint.current_sensor_unchecked.mend": "Let the voltage speak too",
    "lint.sensor.never": "never checked",
    "lint.sensor.out": "{out_share} out",
    "lint.timer_after_the_landing": "The timer ends at {at_s}; one flight in twenty is over by {low_s}.",
    "lint.timer_after_the_landing.mend": "Set it to {at_s}",
    "lint.nothing_without_telemetry": "When telemetry stops, nothing in this plan tells you to land.",
    "lint.nothing_without_telemetry.mend": "Add a timer of {at_s}",
    "lint.telemetry_loss_unsaid": "When telemetry stops these rules fall silent, and silence sounds like a full pack.",
    "lint.telemetry_loss_unsaid.mend": "Say “telemetry lost”",
    "lint.same_words": "“{rule}” and “{other}” say the same: you will not know which it was.",
    "lint.same_words.mend": "Say “{words}”",
    "lint.switch_reads_all_flight": "Switch {switch} chooses the pack, so “{rule}” reads out all flight with one of them.",
    "lint.switch_reads_all_flight.mend": "Ask by switch {switch}",
    "lint.not_the_receivers_pack": "At {set_v:g} V {series} cells of {chemistry} are {state}.",
    "lint.not_the_receivers_pack.mend": "Call it below {call_v:g} V",
    "lint.receiver.empty": "all but empty",
    "lint.receiver.full": "far from empty",
    "lint.land_now_is_silent": "“{rule}” stays silent, or comes late, in {missed} of {flights} flights.",
    "lint.land_now_cries_wolf": "“{rule}” speaks for nothing in {false_flights} of {flights} flights.",
}

_LADDER = {
    "ladder.lamp": "Craft's lamp",
    "ladder.landing": "Craft lands itself",
    "ladder.esc": "ESC cutoff",
    "ladder.floor": "Cell floor",
    "collision.together": "“{first}” and “{then}” are {apart_v} apart, and this flight passes both within {within:.1f} s: "
    "they come as one.",
    "collision.swapped.pack_low": "“{then}” at {then_v} is not under “{first}” at {first_v:.2f}: it warns after the fact.",
    "collision.swapped.land_now": "“{then}” at {then_v} is not under “{first}” at {first_v:.2f}: the first word is the "
    "last.",
    "collision.swapped.lamp": "“{then}” at {then_v} is not under “{first}” at {first_v:.2f}: the lamp shows before you hear "
    "the call, and is taken for nothing.",
    "collision.swapped.landing": "“{then}” at {then_v} is not under “{first}” at {first_v:.2f}: the craft lands by itself "
    "before you hear the call, wherever it is.",
    "collision.swapped.esc": "“{then}” at {then_v} is not under “{first}” at {first_v:.2f}: the ESC cuts the power before "
    "you hear the call.",
    "collision.swapped.floor": "“{then}” at {then_v} is not under “{first}” at {first_v:.2f}: the cell is harmed before "
    "anything acts.",
}

CALLOUTS: dict[str, str] = {
    **_LINT,
    **_LADDER,
}

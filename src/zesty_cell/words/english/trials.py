"""What is said of fair tests."""

from __future__ import annotations

_MEASURES = {
    "trial.measure.charge_a_minute": "charge a minute",
    "trial.measure.charge_a_km": "charge a kilometre",
    "trial.measure.time_to_charge": "time to the same charge used",
    "trial.measure.time_to_voltage": "time to the same voltage",
    "trial.measure.energy": "energy out of the pack",
    "trial.measure.loaded_v": "voltage under the same load",
    "trial.measure.thrust": "thrust",
    "trial.measure.grams_a_watt": "thrust a watt",
    "trial.measure.temperature": "temperature",
    "trial.measure.top_speed": "top speed",
}

_REFUSALS = {
    "trial.at_missing.cell_v": "At which voltage a cell? Time is taken until then.",
    "trial.at_missing.used_ah": "At which charge used? Time is taken until then.",
    "trial.at_missing.current_a": "At which current? The voltage under load is read there.",
    "trial.matters_too_much": "A difference of {matters_share} is not one to plan a test for: it is seen at once.",
    "trial.sides_alike": "Both sides are called “{name}”: what differs?",
    "trial.no_such_craft": "The hangar has no craft called “{name}”: add it, or change the name in the file.",
    "trial.slot_taken": "Run {number} is there already: set one of them aside.",
    "trial.run_not_positive": "Run {number} measured nothing.",
}

_LESSONS = {
    "trial.lesson.b_is_on": "{craft} has “{b}” on now: put the other set on, then its power is known from it.",
    "trial.lesson.impossible": (
        "The part is reckoned at {was_ohm:milliohms}; the test found {change_ohm:milliohms} of a change, which would"
        " leave less than nothing. What else differed?"
    ),
    "trial.lesson.unmeasured": (
        "The steady power of {craft} is an estimate: measure its hover or cruise once, then the difference can be put"
        " into a set."
    ),
    "trial.lesson.nothing_left": "So large a difference would leave nothing for the motors of {craft}.",
}

_VERDICT = {
    "trial.by.more": "{by_share:parts} more",
    "trial.by.less": "{by_share:parts} less",
    "trial.by.more_v": "{by_v:millivolts} more",
    "trial.by.less_v": "{by_v:millivolts} less",
    "trial.by.more_k": "{by_k:difference} more",
    "trial.by.less_k": "{by_k:difference} less",
    "trial.size": "{by_share:parts}",
    "trial.size_v": "{by_v:millivolts}",
    "trial.size_k": "{by_k:difference}",
    "trial.span": "{near} to {far}",
    "trial.span.across": "{low} to {high}",
    "trial.call.differs": "B, {b}: {difference} {measure} than A, {a}. Nine chances in ten: {span}.",
    "trial.call.none": "No difference that matters. B, {b}: {difference} {measure} than A, {a}. Nine chances in ten: "
    "{span}.",
    "trial.call.open": "Open still. The plan is flown, and B, {b}, may be anything from {span} {measure}. It takes more "
    "pairs, or a larger difference.",
    "trial.call.goes_on": "Nothing to call yet. After {pairs:whole} of {planned:whole} pairs B, {b}, may be anything "
    "from {span} {measure}.",
    "trial.call.too_few": "Three pairs before anything can be said: {pairs:whole} so far.",
    "trial.call.one_order": "Nothing can be called: all pairs were flown in one order, so what drifted along cannot be "
    "told from what differs.",
    "trial.chance.better": "The chance that B is better by what matters, {matters}, is {chance_share:chance}.",
    "trial.chance.worse": "The chance that B is worse by what matters, {matters}, is {chance_share:chance}.",
    "trial.early": "It was called before the plan was flown: what is seen so early is rather too much than too little.",
}

_SPOILED = {
    "trial.spoiled.one_order": "All {pairs:whole} pairs had {side} first: what warms up or tires counts for one side.",
    "trial.spoiled.different_packs": "In {pairs:whole} of the pairs the sides had different packs: their difference is in it.",
    "trial.spoiled.air_by_side": "B had air {apart_k:difference} apart from A's on average.",
    "trial.spoiled.tires.up": "{pack} went up by {by_share} on both sides through the test: something changed along.",
    "trial.spoiled.tires.down": "{pack} went down by {by_share} on both sides through the test: it tires, or the day "
    "changed.",
    "trial.spoiled.drifts": "{pack} went one way on both sides through the test: it tires, or the day changed.",
    "trial.spoiled.warmer": "The air went from {first_c} to {last_c} through the test.",
    "trial.spoiled.odd": "Run {number:whole} ({side}) is far from its like: look what was different, before you look "
    "at the verdict again.",
    "trial.spoiled.set_aside_late": "{count:whole} of the runs set aside after the verdict had been seen, run {number:whole} "
    "first: who may choose then can have any verdict.",
    "trial.spoiled.outside_band": "{count:whole} of the runs were outside the air that was planned, {coolest_c} to {warmest_c}.",
}

_PLAN = {
    "trial.plan.enough": "{pairs:whole} pairs see {matters} nine times in ten.",
    "trial.plan.not_enough": "No plan of up to {pairs:whole} pairs sees {matters} nine times in ten: so many see {sees}.",
    "trial.plan.fewer": "{pairs:whole} pairs see {sees} nine times in ten, and {matters} with {power_share}.",
    "trial.plan.scatter.prior": "One run differs from its like by {scatter} as is usual: this craft has not shown its own "
    "scatter yet.",
    "trial.plan.scatter.log": "One run differs from its like by {scatter}, as {seen:whole} flights in the log show.",
    "trial.plan.made_for": "{pairs:whole} pairs, to see {matters} where one run differs from its like by {scatter}.",
    "trial.plan.takes.one_pack": "{runs:whole} runs, about {hours:hours} hours with one pack.",
    "trial.plan.takes": "{runs:whole} runs, about {hours:hours} hours with {packs:whole} packs.",
}

TRIALS: dict[str, str] = {**_MEASURES, **_REFUSALS, **_LESSONS, **_VERDICT, **_SPOILED, **_PLAN}

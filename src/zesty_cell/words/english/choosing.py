"""What is said of packs searched, and of the weight past which another gram stops paying."""

from __future__ import annotations

CHOOSING = {
    "knee.none": "A further {hundred_kg} buys {gain:.0f} s at the weight of {pack}.",
    "knee.before": (
        "Another gram stops paying near {knee_kg}: from there 1 % more pack buys less than ½ % more time. {pack} stands "
        "before it, where a further {hundred_kg} buys {gain:.0f} s."
    ),
    "knee.past": (
        "Another gram stops paying near {knee_kg}: from there 1 % more pack buys less than ½ % more time. {pack} stands "
        "past it, where a further {hundred_kg} buys {gain:.0f} s."
    ),
    "left_out.holds": "{count:grouped} cannot hold the craft up to landing.",
    "left_out.holds.alone": "{count:grouped} cannot hold the craft up to landing, {alone:grouped} by itself.",
    "left_out": "{limit:sentence} ({bound}) leaves out {count:grouped}; nearest is {pack} with {value}.",
    "left_out.alone": (
        "{limit:sentence} ({bound}) leaves out {count:grouped}, {alone:grouped} by itself; nearest is {pack} with {value}."
    ),
    "limit.all_up": "the all-up weight",
    "limit.pack_mass": "the pack’s weight",
    "limit.length": "the pack’s length",
    "limit.width": "the pack’s width",
    "limit.height": "the pack’s height",
    "limit.voltage": "the highest voltage of the craft’s parts",
    "limit.motor": "the motors’ current",
    "limit.motor_power": "the motors’ power",
    "limit.esc": "the ESCs’ current",
    "limit.cutoff": "the ESC’s cutoff",
    "limit.time": "the flight time",
    "limit.thrust": "the thrust kept",
    "limit.to_spare": "the thrust at landing",
    "limit.heat": "the hottest cell",
    "bound.mass": "{bound_kg}",
    "bound.size": "{bound:size}",
    "bound.volts": "{bound:.1f} V",
    "bound.cell_volts": "{bound:.2f} V",
    "bound.amps": "{bound:.0f} A",
    "bound.watts": "{bound:.0f} W",
    "bound.time": "{bound_s}",
    "bound.share": "{bound:percent}",
    "bound.warmth": "{bound_c}",
    "bound.times": "{bound:.1f}",
}

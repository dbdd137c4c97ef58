"""Pilots with something off, or with nothing: what they notice, and what their instruments read.

What a pilot says follows from how far his flight is from a usual one, from how attentive he is and from what he
imagines; what a check finds follows from the same craft, read with an instrument that errs.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Final

import numpy as np

from zesty_cell.core.faults import told
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.standins.faulty_rig import FAULTS, fly, usual_rig

_LIPO: Final = chemistry_for("lipo")
#: A fault that nobody could notice is drawn again, so often at most.
_MOST_DRAWN: Final = 50
#: What a pilot has changed of late for no reason of ours, and what goes with a fault.
_NEW: Final = ("new_propellers", "new_pack", "new_plug", "new_motor", "new_tune", "new_load")
_CHANGED: Final = {
    "propeller_too_much": ("new_propellers", 0.75), "label": ("new_pack", 0.6), "pack_too_small": ("new_pack", 0.5),
    "weight_grown": ("new_load", 0.7), "tune": ("new_tune", 0.6), "plug_or_lead": ("new_plug", 0.3),
    "cell_count": ("new_pack", 0.4),
}  # fmt: skip


class FaultyPilot:
    """A pilot with one fault, or none; the same seed notices and reads the same.

    Parameters
    ----------
    fault : str
        Key of :data:`FAULTS`; empty for a craft that is well.
    seed : int
    """

    def __init__(self, fault: str, *, seed: int) -> None:
        self.fault, self._rng = fault, np.random.default_rng(seed)
        rng = self._rng
        self._attentive = float(rng.uniform(0.65, 0.97))
        for _ in range(_MOST_DRAWN):
            self.usual_rig = usual_rig(rng)
            self.rig = FAULTS[fault](self.usual_rig, rng) if fault else self.usual_rig
            self.usual, self.flown = fly(self.usual_rig, rng=rng), fly(self.rig, rng=rng)
            self._there = self._signs_there()
            if self._there or not fault:
                break

    def _off(self, sigma: float) -> float:
        """A factor that is out by so much, one standard deviation [1]."""
        return float(np.exp(sigma * self._rng.normal()))

    def signs(self) -> frozenset[str]:
        """What the pilot ticks: never nothing, or he would not ask."""
        rng = self._rng
        there = self._there
        ticked = {key for key in sorted(there) if rng.uniform() < self._attentive}
        if there and not ticked:  # it is why he asks
            ticked.add(str(rng.choice(sorted(there))))
        ticked |= {key for key in _IMAGINED if rng.uniform() < 0.015}
        ticked |= {key for key in _NEW if rng.uniform() < 0.05}
        change = _CHANGED.get(self.fault)
        if change is not None and rng.uniform() < change[1]:
            ticked.add(change[0])
        if not ticked - set(_NEW):
            weights = np.array(list(_IMAGINED.values()))
            ticked.add(str(rng.choice(list(_IMAGINED), p=weights / weights.sum())))
        return frozenset(ticked)

    def _signs_there(self) -> set[str]:
        """Signs that are truly there: how far this flight is from a usual one."""
        rng, now, was, rig = self._rng, self.flown, self.usual, self.rig
        found = set()
        # The timer or the alarm ends a flight, whichever comes first.
        heard_s = now.lasts_s
        if now.early_left is not None and now.early_left > 0.3:
            heard_s *= (1.0 - now.early_left) / 0.8
        if heard_s * self._off(0.05) < 0.87 * was.lasts_s:
            found.add("flights_shorter")
        if now.climb_w * self._off(0.05) < 0.87 * was.climb_w:
            found.add("weak_climb")
        if now.early_left is not None and now.early_left + 0.05 * rng.normal() > 0.42:
            found.add("alarm_early")
        if now.words >= 4 and now.words > 2 * was.words:
            found.add("alarm_chatters")
        if now.early_left is None and (was.early_left is not None or rig.other_sensor):
            found.add("alarm_silent")
        if self.fault == "plug_or_lead" and rng.uniform() < 0.4:
            found.add("volts_jump")
        if now.lowest_v < rig.cutoff_v or (rig.supply_dips and rng.uniform() < 0.9) or now.lowest_v < 2.6:
            found.add("power_lost")
        if now.pack_c + 3.0 * rng.normal() > max(52.0, was.pack_c + 6.0):
            found.add("pack_hot")
        if now.motor_c + 5.0 * rng.normal() > 66.0 or (rig.one_motor > 1.6 and rng.uniform() < 0.5):
            found.add("motors_hot")
        if "pack_hot" in found and now.motor_c < 58.0 and rng.uniform() < 0.6:
            found.add("motors_cold")
        if now.cell_spread_v + 0.008 * rng.normal() > 0.04:
            found.add("cell_apart")
        if now.cell_spread_v > 0.06 and rng.uniform() < 0.6:
            found.add("longer_to_charge")
        shown = rig.amps_scale / rig.charger_scale * self._off(0.01)
        if shown > 1.08:
            found.add("less_put_back")
        if shown < 0.92:
            found.add("more_put_back")
        if rig.shakes * self._off(0.15) > 1.6:
            found.add("vibrates")
        if (rig.one_motor > 1.3 and rng.uniform() < 0.4) or (rig.wind_m_s > 7.0 and rng.uniform() < 0.35):
            found.add("drifts")
        if self.fault == "tired_pack" and rng.uniform() < 0.1:
            found.add("swollen")
        return found

    def read(self, key: str) -> str | None:
        """What a check finds, as its outcome; None where it says neither."""
        rng, rig, now, was = self._rng, self.rig, self.flown, self.usual
        slip = rng.uniform() < 0.03  # now and then one looks at the wrong thing
        looks: dict[str, tuple[str, str, bool]] = {
            "wind": ("calm", "windy", rig.wind_m_s + rng.normal() > 6.5),
            "spin": ("smooth", "rough", self.fault == "bent_or_dry" and rng.uniform() < 0.92),
            "plug": ("cool", "warm", now.line_w > 2.2 * was.line_w * self._off(0.15)),
            "manner": ("as usual", "harder", rng.uniform() < 0.08),
            "cell_count": ("right", "wrong", self.fault == "cell_count"),
            "sensor": ("the pack's", "another", rig.other_sensor),
            "hold": ("long enough", "too short", rig.hold_s < 1.5),
            "threshold": ("loaded voltage", "resting voltage", rig.alarm_v > self.usual_rig.alarm_v + 0.08),
            "cutoff": ("low enough", "too high", rig.cutoff_v > 3.25),
            "timer": ("begins anew", "went on", rig.timer_on),
            "gaps": ("none", "gaps", rig.gaps),
            "receiver": ("fine", "low", rig.receiver_low),
            "charger": ("right", "wrong", abs(rig.charger_scale * self._off(0.01) - 1.0) > 0.05),
            "supply": ("steady", "dips", rig.supply_dips),
        }
        if key in looks:
            well, wrong, is_off = looks[key]
            return wrong if is_off != slip else well
        return self._measured(key)

    def in_the_log(self) -> dict[str, str]:
        """What a pilot who keeps sheets, plan and log has there already: most of it, by chance."""
        found = {}
        for key, share in _KEPT.items():
            outcome = self.read(key) if self._rng.uniform() < share else None
            if outcome is not None:
                found[key] = outcome
        return found

    def _measured(self, key: str) -> str | None:
        rng, rig, now = self._rng, self.rig, self.flown
        if key == "cells":
            volts = [3.8 + 0.003 * rng.normal() for _ in range(rig.series)]
            volts[0] -= now.cell_spread_v
            return told.cells(volts, chemistry=_LIPO)
        if key == "resistance":
            return told.resistance(rig.cell_ohm / rig.should_ohm * self._off(0.08))
        if key == "capacity":
            # A discharge ends where the weakest cell does.
            return told.capacity(rig.holds_ah * rig.weak / rig.label_ah * self._off(0.015))
        if key == "charged_to":
            return told.charged_to(rig.full_v + 0.006 * rng.normal(), chemistry=_LIPO)
        if key == "line":
            return told.line(rig.line_ohm / 0.0035 * self._off(0.12))
        if key == "voltage_scale":
            return told.voltage_scale(rig.volts_scale * self._off(0.002) - 1.0)
        if key == "current_scale":
            return told.current_scale(rig.amps_scale / rig.charger_scale * self._off(0.015) - 1.0)
        if key == "power":
            return told.power(rig.power * self._off(0.02))
        if key == "weight":
            return told.weight(rig.weighs * self._off(0.006))
        if key == "air":
            return told.air(rig.air_c + rng.normal())
        if key == "motors":
            warm_c = now.motor_c + 5.0 * rng.normal()
            if 28.0 * (rig.one_motor - 1.0) + 4.0 * rng.normal() > 14.0:
                return "one hotter"
            return "all hot" if warm_c > 66.0 else "alike"
        if key == "chain":
            shares = rig.climb_a / rig.rated_a * self._off(0.1), rig.climb_a / rig.motor_a * self._off(0.1)
            return "inside" if max(shares) <= 1.0 else "pack" if shares[0] >= shares[1] else "motors"
        return self._with_another_pack()

    def _with_another_pack(self) -> str:
        """Whether what was complained of is gone with a pack that is well."""
        well = self.usual_rig
        other = replace(
            self.rig, cell_ohm=well.cell_ohm, holds_ah=well.holds_ah, weak=well.weak, full_v=well.full_v
        )
        flown = fly(other, rng=self._rng)
        was_off = abs(self.flown.lasts_s / self.usual.lasts_s - 1.0) > 0.08
        still = abs(flown.lasts_s / self.usual.lasts_s - 1.0) > 0.08
        return "it is gone" if was_off and not still else "the same"


#: What stands in sheet, plan and log, and how often.
_KEPT: Final = {
    "air": 0.7, "chain": 0.7, "cell_count": 0.5, "hold": 0.5, "threshold": 0.5, "charged_to": 0.3,
    "current_scale": 0.25, "resistance": 0.2, "cells": 0.2,
}  # fmt: skip
#: What a pilot may imagine, and how readily.
_IMAGINED: Final = {
    "flights_shorter": 3.0, "weak_climb": 1.5, "alarm_early": 1.5, "pack_hot": 1.5, "motors_hot": 1.0,
    "vibrates": 0.7, "volts_jump": 0.7, "drifts": 0.7, "longer_to_charge": 0.5, "cell_apart": 0.5,
}  # fmt: skip

"""Line loss and the craft's own alarm: what the voltage gives back after landing (PHYSICS 6)."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact

#: Above this loss a cell in cruise the pack is tired or a plug is bad [V].
TIRED_LOSS_V = 0.3
#: The guided test sets the craft's alarm this far under a full pack [V]: early enough to be safe.
TEST_UNDER_FULL_V = 1.0


@dataclass(frozen=True)
class LineLoss:
    """What a flight to the craft's lamp showed.

    Attributes
    ----------
    loss_v : float
        Of the pack: rest after landing less the voltage at which the lamp came on [V].
    loss_cell_v : float
        [V a cell].
    resistance_ohm : float or None
        Of the pack with leads and plug [Ω]; None without a current.
    tired : bool
        More than a healthy pack and plug lose.
    alarm_v : float
        What to enter for the first stage so that the lamp shows at the rest voltage wanted, with the controller's
        own loss at nothing [V].
    loss_entered_v : float
        Or: the loss to enter, with the rest voltage itself as the threshold [V].
    """

    loss_v: float
    loss_cell_v: float
    resistance_ohm: float | None
    tired: bool
    alarm_v: float
    loss_entered_v: float


def line_loss(
    *, alarm_v: float, rest_v: float, series: int, wanted_rest_v: float, current_a: float | None = None
) -> LineLoss:
    """Line loss from the guided test: fly to the lamp, land, wait a minute, measure.

    Parameters
    ----------
    alarm_v : float
        At which the lamp came on [V, pack, loaded].
    rest_v : float
        A minute after landing [V, pack].
    series : int
    wanted_rest_v : float
        Rest voltage at which the lamp should come on [V a cell].
    current_a : float, optional
        In cruise [A].

    Raises
    ------
    OutOfRangeError
        When the pack rests lower than it was under load.
    """
    loss_v = rest_v - alarm_v
    if loss_v <= 0.0:
        raise OutOfRangeError(
            fact("refused.lamp.under_the_lamp", rest_v=rest_v, alarm_v=alarm_v),
            field="rest_v", value=rest_v, limit=alarm_v,
        )  # fmt: skip
    cell_v = loss_v / series
    return LineLoss(
        loss_v=loss_v,
        loss_cell_v=cell_v,
        resistance_ohm=loss_v / current_a if current_a else None,
        tired=cell_v > TIRED_LOSS_V,
        alarm_v=wanted_rest_v * series - loss_v,
        loss_entered_v=loss_v,
    )

"""Plugs and leads of one's own, measured by millivolts at amps."""

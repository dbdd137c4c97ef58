"""Guided calibrations: sensors beside a meter and a charger, line loss, hover-down, cells."""

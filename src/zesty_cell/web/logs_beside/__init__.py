"""Telemetry logs side by side."""

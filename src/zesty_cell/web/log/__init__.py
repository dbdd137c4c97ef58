"""The log of flights, their import and their telemetry."""

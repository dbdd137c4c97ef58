"""Where on loopback things are found."""

from __future__ import annotations

#: The application, and the bench transmitter.
DEFAULT_PORT, DEFAULT_BENCH_PORT = 8765, 8766

"""Where things are found."""

from __future__ import annotations

#: On loopback: the application, the bench transmitter, and the discharger.
DEFAULT_PORT, DEFAULT_BENCH_PORT, DEFAULT_DISCHARGER_PORT = 8765, 8766, 8769
#: On the network: the application over TLS, and the plain page that gives the certificate.
DEFAULT_LAN_PORT, DEFAULT_CERTIFICATE_PORT = 8767, 8768

"""Bringing the application to a phone: the page with the codes, pairing, the certificate."""

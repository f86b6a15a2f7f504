"""Sending: when something goes, and what its letters say, without a clock, a server or a database."""

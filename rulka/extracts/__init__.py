"""Extracts: stored pulls of rows."""

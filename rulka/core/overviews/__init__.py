"""Overviews: pages of tiles that show lines of statements as key figures and drawings."""

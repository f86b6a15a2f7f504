"""Overviews: how a month, the year so far and the year as a whole stand, as pictures over lines of statements."""

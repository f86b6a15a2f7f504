"""Edits: what can be done to the definition of a statement, as functions on its bodies.

A body is what a definition file says, as a mapping. Every function changes the body it is given (its caller hands in a
copy), keeps every line's key while lines move, and returns what it did in words together with the lines it leaves
chosen.
"""

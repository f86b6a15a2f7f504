"""Dispatch: to each their own figures, by several ways, with a log of what the other side answered."""

"""Pages of dispatches."""

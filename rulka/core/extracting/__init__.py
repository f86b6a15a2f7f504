"""What rows an extract asks for: its text, its parameters, its conditions, computed columns, layouts, pivots."""

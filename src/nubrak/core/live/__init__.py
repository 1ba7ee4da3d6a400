"""Live."""

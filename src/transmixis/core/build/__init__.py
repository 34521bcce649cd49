"""Putting pictures together: over, placing, matching."""

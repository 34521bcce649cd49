"""Tracks, cameras and lenses in open formats, written and read back."""

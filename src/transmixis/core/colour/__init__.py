"""Colour arithmetic: curves, CIELAB, colour difference, alpha algebra."""

"""Transmixis: measured compositing for short film shots."""

__version__ = "0.1.0"

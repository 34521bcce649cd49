"""Arithmetic of the shoot: lenses, shutters, the Sun, miniatures, timing, what a trick needs."""

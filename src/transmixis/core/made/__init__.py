"""Things that are made, not filmed: strokes of light, particles, patterns, rough edges. All of them follow from numbers and a seed."""

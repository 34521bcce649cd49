"""The plot beside a step's controls: one widget for all kinds, drawn from core.plot's plain values."""

"""The document: production, shots, plates, steps, pins, undo, store, log book; and rendering a work order."""

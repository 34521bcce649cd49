"""The window: PyQt6 widgets only. Widgets hold no truth; they watch the document and change it by commands."""

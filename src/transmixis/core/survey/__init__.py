"""What the material can bear, measured from its frames."""

"""Light that added things give and take: glow, light on surroundings, shadows, reflections, flares."""

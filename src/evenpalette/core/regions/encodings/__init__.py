"""Ways to hold regions in textures, and what each costs."""
